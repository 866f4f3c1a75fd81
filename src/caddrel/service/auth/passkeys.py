"""Passkeys of console accounts (WebAuthn): asked for, kept, proved.

Loaded when the first is asked for: the library behind it reads more certificate formats than all the rest of a start.
"""

from __future__ import annotations

import base64
import json
from typing import Any
from urllib.parse import urlsplit

import webauthn
from webauthn.helpers.exceptions import WebAuthnException
from webauthn.helpers.structs import (
    AuthenticatorSelectionCriteria,
    PublicKeyCredentialDescriptor,
    ResidentKeyRequirement,
    UserVerificationRequirement,
)

from caddrel.service.auth.second_factors import Challenges
from caddrel.service.problems import ServiceError
from caddrel.service.state.data_folder import DataFolder
from caddrel.store.accounts import Passkey
from caddrel.wire import access as wire

MOST_PASSKEYS = 10


def begin_passkey(data: DataFolder, challenges: Challenges, account: str, session: str) -> dict[str, Any]:
    """Return what a browser is asked for to make a passkey (WebAuthn, section 5.4)."""
    there = data.accounts.passkeys(account)
    if len(there) >= MOST_PASSKEYS:
        raise ServiceError(409, "too-many-passkeys", f"an account has at most {MOST_PASSKEYS} passkeys")
    options = webauthn.generate_registration_options(
        rp_id=_rp(data),
        rp_name="Caddrel",
        user_name=account,
        challenge=challenges.new(session, data.clock()),
        exclude_credentials=[PublicKeyCredentialDescriptor(_bytes(key.id)) for key in there],
        authenticator_selection=AuthenticatorSelectionCriteria(
            resident_key=ResidentKeyRequirement.PREFERRED, user_verification=UserVerificationRequirement.PREFERRED
        ),
    )
    made: dict[str, Any] = json.loads(webauthn.options_to_json(options))
    return made


def keep_passkey(
    data: DataFolder, challenges: Challenges, account: str, session: str, request: wire.PasskeyMade
) -> None:
    """Keep a passkey that a browser made."""
    try:
        made = webauthn.verify_registration_response(
            credential=request.credential,
            expected_challenge=challenges.take(session, data.clock()),
            expected_rp_id=_rp(data),
            expected_origin=data.settings.origin,
        )
    except (WebAuthnException, ValueError, KeyError, TypeError) as refused:
        raise ServiceError(422, "bad-passkey", "the passkey cannot be kept", str(refused)[:200]) from None
    title = request.title.strip()[:100] or "Passkey"
    key = Passkey(_text(made.credential_id), account, made.credential_public_key, made.sign_count, title, data.clock())
    if not data.accounts.add_passkey(key):
        raise ServiceError(409, "passkey-there", "this passkey is kept already")


def ask_passkey(data: DataFolder, challenges: Challenges, account: str, session: str) -> dict[str, Any]:
    """Return what a browser is asked for to prove one of an account's passkeys (WebAuthn, section 5.5)."""
    options = webauthn.generate_authentication_options(
        rp_id=_rp(data),
        challenge=challenges.new(session, data.clock()),
        allow_credentials=[PublicKeyCredentialDescriptor(_bytes(key.id)) for key in data.accounts.passkeys(account)],
        user_verification=UserVerificationRequirement.PREFERRED,
    )
    made: dict[str, Any] = json.loads(webauthn.options_to_json(options))
    return made


def check_passkey(
    data: DataFolder, challenges: Challenges, account: str, session: str, credential: dict[str, Any]
) -> bool:
    """Tell whether a browser proved one of an account's passkeys."""
    challenge = challenges.take(session, data.clock())
    key = next((k for k in data.accounts.passkeys(account) if k.id == credential.get("id")), None)
    if key is None:
        return False
    try:
        proved = webauthn.verify_authentication_response(
            credential=credential,
            expected_challenge=challenge,
            expected_rp_id=_rp(data),
            expected_origin=data.settings.origin,
            credential_public_key=key.public_key,
            credential_current_sign_count=key.sign_count,
        )
    except (WebAuthnException, ValueError, KeyError, TypeError):
        return False
    data.accounts.used_passkey(key.id, proved.new_sign_count, data.clock())
    return True


def _rp(data: DataFolder) -> str:
    # The host that browsers know the console by (WebAuthn, section 5.1.2).
    return urlsplit(data.settings.origin).hostname or "localhost"


def _text(raw: bytes) -> str:
    return base64.urlsafe_b64encode(raw).decode().rstrip("=")


def _bytes(text: str) -> bytes:
    return base64.urlsafe_b64decode(text + "=" * (-len(text) % 4))
