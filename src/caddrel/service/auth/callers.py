"""Who calls: a token or a console session, and whether they may: the one place that decides it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from caddrel.service.auth import secrets
from caddrel.service.auth.login_throttle import Throttle
from caddrel.service.auth.secrets import Verified
from caddrel.service.auth.token_uses import TokenUses
from caddrel.service.problems import ServiceError
from caddrel.store.accounts import PROGRAMS, ROLES, AccountStore

LONG_AGO = datetime(1970, 1, 1, tzinfo=UTC)
SESSION_IDLE = timedelta(hours=1)
COOKIE = "caddrel_session"
# Over https a browser takes this one from this very host alone (RFC 6265bis, section 4.1.3).
SECURE_COOKIE = "__Host-caddrel_session"
CSRF_HEADER = "X-Caddrel-CSRF"


@dataclass(frozen=True, slots=True)
class Caller:
    """Whoever makes a request; `session` is the digest of the console session, empty for a token.

    `proved` is when the account of the session was proved last; `half` tells that a second factor is still missing.
    """

    name: str
    role: str
    session: str = ""
    csrf: str = ""
    token: str = ""
    token_name: str = ""
    reports: tuple[str, ...] = ()
    sees: bool = False
    only: tuple[str, ...] = ()
    proved: datetime = LONG_AGO
    half: bool = False


class Callers:
    """Tells who a request comes from; one for the whole service."""

    def __init__(self, accounts: AccountStore, clock: Callable[[], datetime], throttle: Throttle) -> None:
        self._accounts = accounts
        self._clock = clock
        self._throttle = throttle
        self._verified = Verified()
        self.token_uses = TokenUses(accounts)

    def caller(self, authorization: str, cookie: str, address: str = "") -> Caller | None:
        """Return who is asking by bearer token or console session, None for nobody."""
        if authorization:
            scheme, _, text = authorization.partition(" ")
            return self._by_token(text.strip(), address) if scheme.lower() == "bearer" else None
        if cookie:
            digest = secrets.digest(cookie)
            session = self._accounts.session(digest, self._clock(), SESSION_IDLE)
            if session is not None:
                return Caller(
                    session.account, session.role, digest, session.csrf, proved=session.proved, half=session.half
                )  # fmt: skip
        return None

    def at_once(self, authorization: str, address: str) -> Caller | None:
        """Return who is asking by bearer token where that takes no time to find out, None for nobody else.

        For the thread that waits for everybody: what an earlier release hashed slowly is looked at elsewhere first.
        """
        scheme, _, text = authorization.partition(" ")
        parts = secrets.split_token(text.strip()) if scheme.lower() == "bearer" else None
        token = self._accounts.token(parts[0]) if parts else None
        if parts is None or token is None:
            return None
        if not _is_quick(token.secret_hash) and not self._verified.knows(token.secret_hash, parts[1]):
            return None
        return self._by_token(text.strip(), address)

    def _by_token(self, text: str, address: str) -> Caller | None:
        parts = secrets.split_token(text)
        token = self._accounts.token(parts[0]) if parts else None
        if parts is None or token is None or token.revoked_at is not None:
            return None
        if not _is_quick(token.secret_hash):
            # Of an earlier release: slow to look at, so not for everybody at once.
            if not self._verified.knows(token.secret_hash, parts[1]):
                with self._throttle.looking():
                    self._verified.check(token.secret_hash, parts[1])
            if not self._verified.knows(token.secret_hash, parts[1]):
                return None
        elif not secrets.verify(token.secret_hash, parts[1]):
            return None
        now = self._clock()
        if token.expires_at is not None and token.expires_at <= now:
            hint = "make a new one: caddrel token create"
            raise ServiceError(401, "token-expired", "this token has expired", hint)
        self.token_uses.note(token.id, now, address)
        return Caller(
            f"token {token.name}", token.role, token=token.id, token_name=token.name, reports=token.reports,
            sees=token.sees, only=token.only,
        )  # fmt: skip


def _is_quick(secret_hash: str) -> bool:
    """Tell whether a token's secret is looked at in no time: it is not where an earlier release hashed it."""
    return secret_hash.startswith("sha256$")


def check(caller: Caller | None, role: str, changing: bool, csrf: str, area: str = "") -> Caller:
    """Return the caller when their role may do this, else refuse.

    Parameters
    ----------
    role
        The least role that may.
    changing
        Whether the request changes anything; with a console session it then needs its CSRF value.
    area
        What it is about, for tokens that are for some areas only.
    """
    if caller is None:
        raise ServiceError(401, "not-signed-in", "sign in, or send a bearer token", "CADDREL_TOKEN, or the console")
    if changing and caller.session and not secrets.same(csrf, caller.csrf):
        raise ServiceError(403, "csrf", f"the {CSRF_HEADER} header is missing or wrong", "reload the console")
    if caller.half:
        hint = "prove a second factor, or add one: POST /api/v1/session/proof, /api/v1/session/factors"
        raise ServiceError(403, "second-factor", "a second factor is needed first", hint)
    if role in PROGRAMS and caller.role != role:
        hint = f"make one: caddrel token create NAME --role {role}"
        raise ServiceError(403, "not-allowed", f"only the token of a {role} may do this", hint)
    if ROLES.index(caller.role) < ROLES.index(role):
        raise ServiceError(403, "not-allowed", f"this needs the role {role}; yours is {caller.role}")
    if caller.only and area not in caller.only:
        message = f"this token is for {', '.join(caller.only)} only"
        raise ServiceError(403, "out-of-scope", message, "make another: caddrel token create NAME --only …")
    return caller
