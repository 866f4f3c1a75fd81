"""Sessions, accounts and tokens as they travel."""

from __future__ import annotations

from typing import Any

import msgspec

from caddrel.wire.numbers import Count


class SessionInfo(msgspec.Struct, frozen=True):
    """Who is asking; `csrf` goes into the header of every change made with a console session.

    Attributes
    ----------
    half
        Whether a second factor is still to be proved, or added: until then the session may do nothing else.
    factors
        The second factors that the account has: ``totp``, ``passkey``.
    """

    account: str
    role: str
    csrf: str
    expires_at: str | None
    half: bool = False
    factors: list[str] = []


class ProofRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A fresh proof of who somebody is: a code of the authenticator app, a passkey's answer, or the password."""

    totp: str = ""
    password: str = ""
    passkey: dict[str, Any] | None = None


class PasswordChange(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A new password for the account that asks, with the one it has; without, where it has none."""

    password: str
    current: str = ""


class PasskeyInfo(msgspec.Struct, frozen=True):
    """A passkey that is kept."""

    id: str
    title: str
    created_at: str
    used_at: str | None


class FactorList(msgspec.Struct, frozen=True):
    """The second factors of an account, and whether one is required here."""

    totp: bool
    passkeys: list[PasskeyInfo]
    required: bool


class TotpBegun(msgspec.Struct, frozen=True):
    """A secret for an authenticator app (RFC 6238), as text and as link; `begun` is sent back with the first code."""

    secret: str
    link: str
    begun: str


class TotpConfirmed(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """The first code of a secret that was begun."""

    begun: str
    code: str


class PasskeyOptions(msgspec.Struct, frozen=True):
    """What a browser is asked for, as WebAuthn has it."""

    options: dict[str, Any]


class PasskeyMade(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A passkey that a browser made, and what it is called."""

    credential: dict[str, Any]
    title: str = ""


class ConsoleSession(msgspec.Struct, frozen=True):
    """A console session; `id` is the beginning of its digest, `mine` tells that it is the one that asks."""

    id: str
    account: str
    created_at: str
    seen_at: str
    address: str
    mine: bool


class ConsoleSessionList(msgspec.Struct, frozen=True):
    """Console sessions, the newest first."""

    items: list[ConsoleSession]


class SignInRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A name and a password, or a one-time code."""

    name: str = ""
    password: str = ""
    code: str = ""


class AccountInfo(msgspec.Struct, frozen=True):
    """Somebody who may sign in to the console; `plans` are drafts that are to be published by their word."""

    name: str
    role: str
    has_password: bool
    factors: list[str] = []
    plans: list[str] = []


class AccountList(msgspec.Struct, frozen=True):
    """Every account."""

    items: list[AccountInfo]


class AccountRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """An account to add or change; without a password it keeps the one it has."""

    name: str
    role: str
    password: str = ""


class TokenInfo(msgspec.Struct, frozen=True):
    """A token without its secret; when it was used last and from where, and the drafts that it planned."""

    id: str
    name: str
    role: str
    created_at: str
    created_by: str
    expires_at: str | None
    revoked: bool
    reports: list[str] = []
    sees: bool = False
    only: list[str] = []
    used_at: str | None = None
    used_from: str = ""
    plans: list[str] = []


class TokenList(msgspec.Struct, frozen=True):
    """Every token."""

    items: list[TokenInfo]


class TokenRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A token to make; `days` until it expires.

    Attributes
    ----------
    reports
        Of a door: the facts that it may report, such as ``network``; those that only a door can see when empty.
    sees
        Of a door: whether decisions come with what is for administrators.
    only
        What it is for, such as ``signins``; all that its role may when empty.
    """

    name: str
    role: str
    days: Count = 90
    reports: list[str] = []
    sees: bool = False
    only: list[str] = []


class TokenMade(msgspec.Struct, frozen=True):
    """A new token; the secret is shown this once."""

    info: TokenInfo
    token: str


class Health(msgspec.Struct, frozen=True):
    """The service is there."""

    status: str
    version: str
    revision: int | None
