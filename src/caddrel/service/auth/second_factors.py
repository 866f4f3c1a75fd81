"""Second factors of console accounts: which there are, and codes of an authenticator app (RFC 6238).

Not here: making and proving passkeys (`auth.passkeys`).
"""

from __future__ import annotations

import secrets as random
import threading
from collections import OrderedDict
from datetime import datetime, timedelta
from typing import TYPE_CHECKING

import pyotp

from caddrel.service.problems import ServiceError, not_found
from caddrel.wire import access as wire

if TYPE_CHECKING:
    from caddrel.service.runtime import Deps

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


def factors_of(deps: Deps, account: str) -> list[str]:
    """Return the second factors that an account has: ``totp``, ``passkey``."""
    kept = deps.accounts.account(account)
    found = ["totp"] if kept is not None and kept.totp else []
    return [*found, "passkey"] if deps.accounts.passkeys(account) else found


def view(deps: Deps, account: str) -> wire.FactorList:
    """Return an account's second factors as they travel."""
    kept = deps.accounts.account(account)
    keys = [
        wire.PasskeyInfo(key.id, key.title, key.created.isoformat(), key.used.isoformat() if key.used else None)
        for key in deps.accounts.passkeys(account)
    ]
    return wire.FactorList(kept is not None and bool(kept.totp), keys, deps.settings.second_factor)


def begin_totp(deps: Deps, account: str) -> wire.TotpBegun:
    """Return a new secret for an authenticator app; it counts once a code of it has been given."""
    secret = pyotp.random_base32()
    link = pyotp.TOTP(secret, name=account, issuer="Caddrel").provisioning_uri()
    return wire.TotpBegun(secret, link, deps.keys.lock(f"{account}\n{secret}"))


def confirm_totp(deps: Deps, account: str, request: wire.TotpConfirmed) -> None:
    """Keep a secret that was begun, when the code is one of it."""
    opened = deps.keys.unlock(request.begun)
    name, _, secret = (opened or "").partition("\n")
    if name != account or not secret:
        raise ServiceError(422, "bad-factor", "this was not begun here", "begin again")
    if _step(secret, request.code, deps.clock()) is None:
        raise ServiceError(422, "wrong-code", "the code is not one of this secret now", "check the clock of the phone")
    deps.accounts.set_totp(account, deps.keys.lock(secret))


def check_totp(deps: Deps, account: str, code: str) -> bool:
    """Tell whether a code is good now; each is good once, also for several who give it at the same moment."""
    kept = deps.accounts.account(account)
    secret = deps.keys.unlock(kept.totp) if kept is not None and kept.totp else None
    step = _step(secret, code, deps.clock()) if secret else None
    return step is not None and deps.accounts.use_totp(account, step)


def _step(secret: str, code: str, now: datetime) -> int | None:
    if not (code.isascii() and code.isdigit() and len(code) == 6):
        return None
    totp = pyotp.TOTP(secret)
    step = int(now.timestamp()) // totp.interval
    for near in range(step - _OFF, step + _OFF + 1):
        if pyotp.utils.strings_equal(totp.at(near * totp.interval), code):
            return near
    return None


def remove(deps: Deps, account: str, id: str) -> None:
    """Take a second factor away: ``totp``, or a passkey by its id."""
    kept = deps.accounts.account(account)
    there = len(deps.accounts.passkeys(account)) + bool(kept is not None and kept.totp)
    if deps.settings.second_factor and there <= 1:
        raise ServiceError(409, "last-factor", "a second factor is required here: this is the last one", "add another")
    gone = deps.accounts.set_totp(account, None) if id == "totp" else deps.accounts.remove_passkey(account, id)
    if not gone:
        raise not_found("second factor of that id")
