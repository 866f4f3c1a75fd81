"""Second factors of console accounts: which there are, and codes of an authenticator app (RFC 6238).

Not here: making and proving passkeys (`auth.passkeys`).
"""

from __future__ import annotations

import secrets as random
import threading
from collections import OrderedDict
from datetime import datetime, timedelta

import pyotp

from caddrel.service.problems import ServiceError, not_found
from caddrel.service.state.data_folder import DataFolder
from caddrel.wire import access as wire

MOST_CHALLENGES = 1_000
CHALLENGE_LASTS = timedelta(minutes=5)
# Steps of 30 seconds that a clock may be off, either way.
_OFF = 1


class Challenges:
    """What authenticators are asked to sign: each once, for one session."""

    def __init__(self) -> None:
        self._open: OrderedDict[str, tuple[bytes, datetime]] = OrderedDict()
        self._lock = threading.Lock()

    def new(self, session: str, now: datetime) -> bytes:
        """Return a new challenge for a console session."""
        made = random.token_bytes(32)
        with self._lock:
            self._open[session] = (made, now + CHALLENGE_LASTS)
            while len(self._open) > MOST_CHALLENGES:
                self._open.popitem(last=False)
        return made

    def take(self, session: str, now: datetime) -> bytes:
        """Return the challenge of a session, which is then used up.

        Raises
        ------
        ServiceError
            When there is none, or it is too old.
        """
        with self._lock:
            challenge, until = self._open.pop(session, (b"", now))
        if not challenge or until <= now:
            raise ServiceError(401, "no-challenge", "the passkey was asked for too long ago", "ask for it again")
        return challenge


def factors_of(data: DataFolder, account: str) -> list[str]:
    """Return the second factors that an account has: ``totp``, ``passkey``."""
    kept = data.accounts.account(account)
    found = ["totp"] if kept is not None and kept.totp else []
    return [*found, "passkey"] if data.accounts.passkeys(account) else found


def view(data: DataFolder, account: str) -> wire.FactorList:
    """Return an account's second factors as they travel."""
    kept = data.accounts.account(account)
    keys = [
        wire.PasskeyInfo(key.id, key.title, key.created.isoformat(), key.used.isoformat() if key.used else None)
        for key in data.accounts.passkeys(account)
    ]
    return wire.FactorList(kept is not None and bool(kept.totp), keys, data.settings.second_factor)


def begin_totp(data: DataFolder, account: str) -> wire.TotpBegun:
    """Return a new secret for an authenticator app; it counts once a code of it has been given."""
    secret = pyotp.random_base32()
    link = pyotp.TOTP(secret, name=account, issuer="Caddrel").provisioning_uri()
    return wire.TotpBegun(secret, link, data.keys.lock(f"{account}\n{secret}"))


def confirm_totp(data: DataFolder, account: str, request: wire.TotpConfirmed) -> None:
    """Keep a secret that was begun, when the code is one of it."""
    opened = data.keys.unlock(request.begun)
    name, _, secret = (opened or "").partition("\n")
    if name != account or not secret:
        raise ServiceError(422, "bad-factor", "this was not begun here", "begin again")
    if _step(secret, request.code, data.clock()) is None:
        raise ServiceError(422, "wrong-code", "the code is not one of this secret now", "check the clock of the phone")
    data.accounts.set_totp(account, data.keys.lock(secret))


def check_totp(data: DataFolder, account: str, code: str) -> bool:
    """Tell whether a code is good now; each is good once, also for several who give it at the same moment."""
    kept = data.accounts.account(account)
    secret = data.keys.unlock(kept.totp) if kept is not None and kept.totp else None
    step = _step(secret, code, data.clock()) if secret else None
    return step is not None and data.accounts.use_totp(account, step)


def _step(secret: str, code: str, now: datetime) -> int | None:
    if not (code.isascii() and code.isdigit() and len(code) == 6):
        return None
    totp = pyotp.TOTP(secret)
    step = int(now.timestamp()) // totp.interval
    for near in range(step - _OFF, step + _OFF + 1):
        if pyotp.utils.strings_equal(totp.at(near * totp.interval), code):
            return near
    return None


def remove(data: DataFolder, account: str, id: str) -> None:
    """Take a second factor away: ``totp``, or a passkey by its id."""
    kept = data.accounts.account(account)
    there = len(data.accounts.passkeys(account)) + bool(kept is not None and kept.totp)
    if data.settings.second_factor and there <= 1:
        raise ServiceError(409, "last-factor", "a second factor is required here: this is the last one", "add another")
    gone = data.accounts.set_totp(account, None) if id == "totp" else data.accounts.remove_passkey(account, id)
    if not gone:
        raise not_found("second factor of that id")
