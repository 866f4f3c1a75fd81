"""Who is asking, and what their role may do: the one place that decides it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from caddrel.core.diagnostics import did_you_mean, shorten
from caddrel.core.facts.catalogue import Catalogue
from caddrel.core.facts.claims import REPORTED
from caddrel.service import secrets
from caddrel.service.deps import Deps
from caddrel.service.errors import ServiceError
from caddrel.store.accounts import DEVICE, DOOR, PEOPLE, ROLES, Token
from caddrel.wire import access as wire

# What a token can be for alone: the first word of an address of the API. Not tokens and accounts: whoever may make
# those can do anything.
AREAS = (
    "acceptances", "apps", "audit", "causes", "devices", "doctor", "drafts", "facts", "groups", "jobs", "language",
    "lists", "mappings", "passwords", "people", "rehearse", "rulebook", "selectors", "sessions", "signins",
    "starter-codes",
)  # fmt: skip
LONG_AGO = datetime(1970, 1, 1, tzinfo=UTC)
SESSION_LASTS = timedelta(hours=12)
CODE_LASTS = timedelta(minutes=30)
COOKIE = "caddrel_session"
CSRF_HEADER = "X-Caddrel-CSRF"
LONGEST_PASSWORD = 1000
SHORTEST_PASSWORD = 12


@dataclass(frozen=True, slots=True)
class Caller:
    """Whoever makes a request; `session` is the digest of the console session, empty for a token."""

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


def caller_from(deps: Deps, authorization: str, cookie: str) -> Caller | None:
    """Return who is asking by bearer token or console session, None for nobody."""
    if authorization:
        scheme, _, text = authorization.partition(" ")
        return _by_token(deps, text.strip()) if scheme.lower() == "bearer" else None
    if cookie:
        digest = secrets.digest(cookie)
        session = deps.accounts.session(digest, deps.clock())
        if session is not None:
            return Caller(session.account, session.role, digest, session.csrf)
    return None


def _by_token(deps: Deps, text: str) -> Caller | None:
    parts = secrets.split_token(text)
    token = deps.accounts.token(parts[0]) if parts else None
    if parts is None or token is None or token.revoked_at is not None:
        return None
    if not deps.verified.check(token.secret_hash, parts[1]):
        return None
    if token.expires_at is not None and token.expires_at <= deps.clock():
        hint = "make a new one: caddrel token create"
        raise ServiceError(401, "token-expired", "this token has expired", hint)
    return Caller(
        f"token {token.name}", token.role, token=token.id, token_name=token.name, reports=token.reports,
        sees=token.sees, only=token.only,
    )  # fmt: skip


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
    if role in {DOOR, DEVICE} and caller.role != role:
        hint = f"make one: caddrel token create NAME --role {role}"
        raise ServiceError(403, "not-allowed", f"only the token of a {role} may do this", hint)
    if ROLES.index(caller.role) < ROLES.index(role):
        raise ServiceError(403, "not-allowed", f"this needs the role {role}; yours is {caller.role}")
    if caller.only and area not in caller.only:
        message = f"this token is for {', '.join(caller.only)} only"
        raise ServiceError(403, "out-of-scope", message, "make another: caddrel token create NAME --only …")
    return caller


def sign_in(deps: Deps, request: wire.SignInRequest) -> tuple[str, wire.SessionInfo]:
    """Return a new session's cookie and description, for a password or a one-time code."""
    now = deps.clock()
    if request.code:
        name = deps.accounts.use_entry_code(secrets.digest(request.code), now)
        if name is None:
            hint = "make a new one on the host: caddrel account enter"
            raise ServiceError(401, "code-used", "this one-time way in is unknown, used or past its time", hint)
    else:
        name = request.name
        deps.throttle.check(name, now)
        account = deps.accounts.account(name)
        stored = account.password_hash if account and account.password_hash else secrets.NOBODY
        if len(request.password) > LONGEST_PASSWORD or not secrets.verify(stored, request.password):
            deps.throttle.failed(name, now)
            raise ServiceError(401, "wrong-credentials", "name or password is wrong")
    account = deps.accounts.account(name)
    if account is None:
        raise ServiceError(401, "wrong-credentials", "name or password is wrong")
    cookie, csrf = secrets.new_secret(), secrets.new_secret()
    until = now + SESSION_LASTS
    deps.accounts.add_session(secrets.digest(cookie), account.name, csrf, now, until)
    return cookie, wire.SessionInfo(account.name, account.role, csrf, until.isoformat())


def make_token(
    deps: Deps, name: str, role: str, days: int, by: str, reports: Sequence[str] = (), sees: bool = False,
    only: Sequence[str] = (),
) -> tuple[Token, str]:  # fmt: skip
    """Return a new token and its text, which is not kept anywhere."""
    if role not in ROLES or not name.strip() or len(name) > 100 or not 1 <= days <= 3660:
        raise ServiceError(
            422, "bad-token", "a token needs a name, a role and 1 to 3660 days", f"roles: {', '.join(ROLES)}"
        )
    if role == DEVICE and name not in deps.inventories.current().devices:
        hint = "the token of a device has the device's id for its name"
        raise ServiceError(422, "bad-token", f"there is no device `{shorten(name)}`", hint)
    for area in only:
        if area not in AREAS or role not in PEOPLE:
            hint = did_you_mean(area, AREAS, f"of viewers, authors, publishers and operators: {', '.join(AREAS)}")
            raise ServiceError(422, "bad-token", f"a {role}'s token cannot be for `{shorten(area)}` only", hint)
    now = deps.clock()
    id, secret, text = secrets.new_token()
    token = Token(
        id, name.strip(), role, secrets.hashed(secret), now, by, now + timedelta(days=days), None,
        _reports(deps, role, reports), sees and role == DOOR, tuple(dict.fromkeys(only)),
    )  # fmt: skip
    deps.accounts.add_token(token)
    return token, text


def _reports(deps: Deps, role: str, asked: Sequence[str]) -> tuple[str, ...]:
    """Return what a door may report; of other roles nothing."""
    published = deps.rulebooks.current()
    catalogue = published.rulebook.catalogue if published is not None else Catalogue()
    for name in asked:
        if name not in catalogue and name not in catalogue.prefixes:
            hint = did_you_mean(name, catalogue, "a fact, or the beginning of several such as network")
            raise ServiceError(422, "bad-token", f"there is no fact `{shorten(name)}`", hint)
    if role != DOOR:
        return ()
    return tuple(asked) or REPORTED


def make_account(deps: Deps, name: str, role: str, password: str) -> None:
    """Add or change an account; without a password only a one-time code lets it in."""
    if role not in PEOPLE or not name or len(name) > 100 or not name.isprintable():
        raise ServiceError(422, "bad-account", "an account needs a name and a role", f"roles: {', '.join(PEOPLE)}")
    if password and not SHORTEST_PASSWORD <= len(password) <= LONGEST_PASSWORD:
        raise ServiceError(422, "bad-password", f"a password has {SHORTEST_PASSWORD} to {LONGEST_PASSWORD} characters")
    deps.accounts.put_account(name, role, secrets.hashed(password) if password else None, deps.clock())


def make_entry_code(deps: Deps, account: str) -> str:
    """Return a one-time way in for an account."""
    code = secrets.new_secret()
    deps.accounts.add_entry_code(secrets.digest(code), account, deps.clock() + CODE_LASTS)
    return code
