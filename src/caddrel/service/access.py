"""Who is asking, and what their role may do: the one place that decides it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from caddrel.core.diagnostics import did_you_mean, shorten
from caddrel.core.facts.catalogue import Catalogue
from caddrel.core.facts.claims import REPORTED
from caddrel.service import second_factors, secrets
from caddrel.service.common_passwords import why_guessable
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
SESSION_IDLE = timedelta(hours=1)
CODE_LASTS = timedelta(minutes=30)
COOKIE = "caddrel_session"
# Over https a browser takes this one from this very host alone (RFC 6265bis, section 4.1.3).
SECURE_COOKIE = "__Host-caddrel_session"
CSRF_HEADER = "X-Caddrel-CSRF"
LONGEST_PASSWORD = 1000
SHORTEST_PASSWORD = 12


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


def caller_from(deps: Deps, authorization: str, cookie: str, address: str = "") -> Caller | None:
    """Return who is asking by bearer token or console session, None for nobody."""
    if authorization:
        scheme, _, text = authorization.partition(" ")
        return _by_token(deps, text.strip(), address) if scheme.lower() == "bearer" else None
    if cookie:
        digest = secrets.digest(cookie)
        session = deps.accounts.session(digest, deps.clock(), SESSION_IDLE)
        if session is not None:
            return Caller(
                session.account, session.role, digest, session.csrf, proved=session.proved, half=session.half
            )  # fmt: skip
    return None


def _by_token(deps: Deps, text: str, address: str) -> Caller | None:
    parts = secrets.split_token(text)
    token = deps.accounts.token(parts[0]) if parts else None
    if parts is None or token is None or token.revoked_at is not None:
        return None
    if not token.secret_hash.startswith("sha256$"):
        # Of an earlier release: slow to look at, so not for everybody at once.
        if not deps.verified.knows(token.secret_hash, parts[1]):
            with deps.throttle.looking():
                deps.verified.check(token.secret_hash, parts[1])
        if not deps.verified.knows(token.secret_hash, parts[1]):
            return None
    elif not secrets.verify(token.secret_hash, parts[1]):
        return None
    now = deps.clock()
    if token.expires_at is not None and token.expires_at <= now:
        hint = "make a new one: caddrel token create"
        raise ServiceError(401, "token-expired", "this token has expired", hint)
    deps.token_uses.note(token.id, now, address)
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
    if caller.half:
        hint = "prove a second factor, or add one: POST /api/v1/session/proof, /api/v1/session/factors"
        raise ServiceError(403, "second-factor", "a second factor is needed first", hint)
    if role in {DOOR, DEVICE} and caller.role != role:
        hint = f"make one: caddrel token create NAME --role {role}"
        raise ServiceError(403, "not-allowed", f"only the token of a {role} may do this", hint)
    if ROLES.index(caller.role) < ROLES.index(role):
        raise ServiceError(403, "not-allowed", f"this needs the role {role}; yours is {caller.role}")
    if caller.only and area not in caller.only:
        message = f"this token is for {', '.join(caller.only)} only"
        raise ServiceError(403, "out-of-scope", message, "make another: caddrel token create NAME --only …")
    return caller


def sign_in(deps: Deps, request: wire.SignInRequest, address: str) -> tuple[str, wire.SessionInfo]:
    """Return a new session's cookie and description, for a password or a one-time code.

    A one-time code comes from the host, so it stands for all factors; a password alone does not, where there are others
    or others are required.
    """
    now = deps.clock()
    factors: list[str] = []
    if request.code:
        name = deps.accounts.use_entry_code(secrets.digest(request.code), now)
        if name is None:
            hint = "make a new one on the host: caddrel account enter"
            raise ServiceError(401, "code-used", "this one-time way in is unknown, used or past its time", hint)
    else:
        name = request.name
        check_password(deps, name, request.password, address)
        factors = second_factors.factors_of(deps, name)
    account = deps.accounts.account(name)
    if account is None:
        raise ServiceError(401, "wrong-credentials", "name or password is wrong")
    half = not request.code and (bool(factors) or deps.settings.second_factor)
    cookie, csrf = secrets.new_secret(), secrets.new_secret()
    until = now + SESSION_LASTS
    deps.accounts.add_session(secrets.digest(cookie), account.name, csrf, now, until, address, half)
    return cookie, wire.SessionInfo(account.name, account.role, csrf, until.isoformat(), half, factors)


def check_password(deps: Deps, name: str, password: str, address: str) -> None:
    """Check a password; the try is counted before it is looked at.

    Raises
    ------
    ServiceError
        When it is wrong, or there were too many tries.
    """
    now = deps.clock()
    deps.throttle.count(name[:200], address, now)
    account = deps.accounts.account(name)
    stored = account.password_hash if account and account.password_hash else secrets.NOBODY
    with deps.throttle.looking():
        good = len(password) <= LONGEST_PASSWORD and secrets.verify(stored, password)
    if not good:
        raise ServiceError(401, "wrong-credentials", "name or password is wrong")
    deps.throttle.succeeded(name[:200], address, now)


def prove(deps: Deps, caller: Caller, request: wire.ProofRequest, address: str) -> None:
    """Have a console session prove who it is: by a second factor where its account has any, else by the password.

    Raises
    ------
    ServiceError
        When what was given does not prove it.
    """
    if not caller.session:
        raise ServiceError(400, "no-session", "a token has nothing to prove")
    factors = second_factors.factors_of(deps, caller.name)
    if request.passkey is not None:
        good = second_factors.check_passkey(deps, caller.name, caller.session, request.passkey)
    elif request.totp:
        deps.throttle.count(f"{caller.name} totp", address, deps.clock())
        good = second_factors.check_totp(deps, caller.name, request.totp)
        if good:
            deps.throttle.succeeded(f"{caller.name} totp", address, deps.clock())
    elif factors or (caller.half and deps.settings.second_factor):
        raise ServiceError(403, "second-factor", "a second factor is needed", f"one of: {', '.join(factors) or 'none'}")
    else:
        check_password(deps, caller.name, request.password, address)
        good = True
    if not good:
        raise ServiceError(401, "wrong-proof", "that does not prove it", "each code is good once, for half a minute")
    deps.accounts.prove_session(caller.session, deps.clock())


def change_password(deps: Deps, caller: Caller, request: wire.PasswordChange, address: str) -> None:
    """Give the account that asks another password; its other sessions end.

    Raises
    ------
    ServiceError
        When the current one is wrong, or the new one would be guessed.
    """
    account = deps.accounts.account(caller.name)
    if account is None or account.password_hash:
        check_password(deps, caller.name, request.current, address)
    make_account(deps, caller.name, caller.role, request.password or " ", caller.session)


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
        id, name.strip(), role, secrets.hashed_random(secret), now, by, now + timedelta(days=days), None,
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


def make_account(deps: Deps, name: str, role: str, password: str, but: str = "") -> None:
    """Add or change an account; without a password it keeps the one it has, or is let in by a one-time code only.

    Parameters
    ----------
    but
        The digest of the session that asks: it goes on, the account's others end when anything changes.
    """
    if role not in PEOPLE or not name or len(name) > 100 or not name.isprintable():
        raise ServiceError(422, "bad-account", "an account needs a name and a role", f"roles: {', '.join(PEOPLE)}")
    if password:
        check_new_password(name, password)
    deps.accounts.put_account(name, role, secrets.hashed(password) if password else None, deps.clock(), but)


def check_new_password(name: str, password: str) -> None:
    """Refuse a password that would be guessed.

    Raises
    ------
    ServiceError
        Saying why.
    """
    if not SHORTEST_PASSWORD <= len(password) <= LONGEST_PASSWORD:
        raise ServiceError(422, "bad-password", f"a password has {SHORTEST_PASSWORD} to {LONGEST_PASSWORD} characters")
    why = why_guessable(password, name)
    if why:
        raise ServiceError(422, "bad-password", f"this password would be guessed: {why}", "four words are better")


def make_entry_code(deps: Deps, account: str) -> str:
    """Return a one-time way in for an account."""
    code = secrets.new_secret()
    deps.accounts.add_entry_code(secrets.digest(code), account, deps.clock() + CODE_LASTS)
    return code
