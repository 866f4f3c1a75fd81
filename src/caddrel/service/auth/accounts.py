"""Console accounts: signing in, proving again, passwords, ways in.

Not here: who a request comes from (`callers`), second factors.
"""

from __future__ import annotations

from datetime import timedelta

from caddrel.service.auth import second_factors, secrets
from caddrel.service.auth.callers import Caller
from caddrel.service.auth.common_passwords import why_guessable
from caddrel.service.auth.login_throttle import Throttle
from caddrel.service.auth.second_factors import Challenges
from caddrel.service.problems import ServiceError
from caddrel.service.state.data_folder import DataFolder
from caddrel.store.accounts import PEOPLE
from caddrel.wire import access as wire

SESSION_LASTS = timedelta(hours=12)
CODE_LASTS = timedelta(minutes=30)
LONGEST_PASSWORD = 1000
SHORTEST_PASSWORD = 12


def sign_in(
    data: DataFolder, throttle: Throttle, request: wire.SignInRequest, address: str
) -> tuple[str, wire.SessionInfo]:
    """Return a new session's cookie and description, for a password or a one-time code.

    A one-time code comes from the host, so it stands for all factors; a password alone does not, where there are others
    or others are required.
    """
    now = data.clock()
    factors: list[str] = []
    if request.code:
        name = data.accounts.use_entry_code(secrets.digest(request.code), now)
        if name is None:
            hint = "make a new one on the host: caddrel account enter"
            raise ServiceError(401, "code-used", "this one-time way in is unknown, used or past its time", hint)
    else:
        name = request.name
        check_password(data, throttle, name, request.password, address)
        factors = second_factors.factors_of(data, name)
    account = data.accounts.account(name)
    if account is None:
        raise ServiceError(401, "wrong-credentials", "name or password is wrong")
    half = not request.code and (bool(factors) or data.settings.second_factor)
    cookie, csrf = secrets.new_secret(), secrets.new_secret()
    until = now + SESSION_LASTS
    data.accounts.add_session(secrets.digest(cookie), account.name, csrf, now, until, address, half)
    return cookie, wire.SessionInfo(account.name, account.role, csrf, until.isoformat(), half, factors)


def check_password(data: DataFolder, throttle: Throttle, name: str, password: str, address: str) -> None:
    """Check a password; the try is counted before it is looked at.

    Raises
    ------
    ServiceError
        When it is wrong, or there were too many tries.
    """
    now = data.clock()
    throttle.count(name[:200], address, now)
    account = data.accounts.account(name)
    stored = account.password_hash if account and account.password_hash else secrets.NOBODY
    with throttle.looking():
        good = len(password) <= LONGEST_PASSWORD and secrets.verify(stored, password)
    if not good:
        raise ServiceError(401, "wrong-credentials", "name or password is wrong")
    throttle.succeeded(name[:200], address, now)


def prove(
    data: DataFolder,
    throttle: Throttle,
    challenges: Challenges,
    caller: Caller,
    request: wire.ProofRequest,
    address: str,
) -> None:
    """Have a console session prove who it is: by a second factor where its account has any, else by the password.

    Raises
    ------
    ServiceError
        When what was given does not prove it.
    """
    if not caller.session:
        raise ServiceError(403, "no-session", "a token has nothing to prove")
    factors = second_factors.factors_of(data, caller.name)
    if request.passkey is not None:
        from caddrel.service.auth import passkeys

        good = passkeys.check_passkey(data, challenges, caller.name, caller.session, request.passkey)
    elif request.totp:
        throttle.count(f"{caller.name} totp", address, data.clock())
        good = second_factors.check_totp(data, caller.name, request.totp)
        if good:
            throttle.succeeded(f"{caller.name} totp", address, data.clock())
    elif factors or (caller.half and data.settings.second_factor):
        raise ServiceError(403, "second-factor", "a second factor is needed", f"one of: {', '.join(factors) or 'none'}")
    else:
        check_password(data, throttle, caller.name, request.password, address)
        good = True
    if not good:
        raise ServiceError(401, "wrong-proof", "that does not prove it", "each code is good once, for half a minute")
    data.accounts.prove_session(caller.session, data.clock())


def change_password(
    data: DataFolder, throttle: Throttle, caller: Caller, request: wire.PasswordChange, address: str
) -> None:
    """Give the account that asks another password; its other sessions end.

    Raises
    ------
    ServiceError
        When the current one is wrong, or the new one would be guessed.
    """
    account = data.accounts.account(caller.name)
    if account is None or account.password_hash:
        check_password(data, throttle, caller.name, request.current, address)
    make_account(data, caller.name, caller.role, request.password or " ", caller.session)


def make_account(data: DataFolder, name: str, role: str, password: str, but: str = "") -> None:
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
    data.accounts.put_account(name, role, secrets.hashed(password) if password else None, data.clock(), but)


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


def make_entry_code(data: DataFolder, account: str) -> str:
    """Return a one-time way in for an account."""
    code = secrets.new_secret()
    data.accounts.add_entry_code(secrets.digest(code), account, data.clock() + CODE_LASTS)
    return code
