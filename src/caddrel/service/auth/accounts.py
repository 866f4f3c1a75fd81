"""Console accounts: signing in, proving again, passwords, ways in.

Not here: who a request comes from (`callers`), second factors.
"""

from __future__ import annotations

from datetime import timedelta

from caddrel.service.auth import second_factors, secrets
from caddrel.service.auth.callers import Caller
from caddrel.service.auth.common_passwords import why_guessable
from caddrel.service.problems import ServiceError
from caddrel.service.runtime import Deps
from caddrel.store.accounts import PEOPLE
from caddrel.wire import access as wire

SESSION_LASTS = timedelta(hours=12)
CODE_LASTS = timedelta(minutes=30)
LONGEST_PASSWORD = 1000
SHORTEST_PASSWORD = 12


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
        from caddrel.service.auth import passkeys

        good = passkeys.check_passkey(deps, caller.name, caller.session, request.passkey)
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
