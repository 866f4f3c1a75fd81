"""Endpoints of sessions, accounts and tokens, and of the service's health."""

from __future__ import annotations

from caddrel import __version__
from caddrel.core.words.pieces import counted
from caddrel.service.auth import accounts as access
from caddrel.service.auth import second_factors, secrets
from caddrel.service.auth import tokens as token_use
from caddrel.service.auth.callers import CSRF_HEADER, Caller
from caddrel.service.http.endpoints import NOBODY_NEEDED
from caddrel.service.problems import ServiceError, not_found
from caddrel.service.rulebooks import scheduled_publish
from caddrel.service.state.disk import has_room
from caddrel.service.views.calls import Call, Endpoints
from caddrel.store.accounts import Token
from caddrel.wire import access as wire

endpoints = Endpoints()


@endpoints.add("GET", "/healthz", role=NOBODY_NEEDED, returns=wire.Health)
def health(call: Call) -> wire.Health:
    """The service is there, its store can be read, and there is room to write; 503 when there is none."""
    if not has_room(call.data.folder):
        hint = "make room where the data is kept: nobody can be let in unrecorded"
        raise ServiceError(503, "no-room", "the disk is full", hint)
    return wire.Health("ok", __version__, call.data.revisions.current_number())


@endpoints.add("GET", "/readyz", role=NOBODY_NEEDED, returns=wire.Health)
def ready(call: Call) -> wire.Health:
    """The service can decide: a rulebook is published and read, and decisions can be recorded; 503 when not."""
    call.data.rulebooks.need_current()
    if not has_room(call.data.folder) or call.runtime.recorder.failing:
        raise ServiceError(503, "cannot-record", "decisions cannot be recorded", "make room where the data is kept")
    return wire.Health("ready", __version__, call.data.revisions.current_number())


@endpoints.add(
    "POST", "/api/v1/session", role=NOBODY_NEEDED, body=wire.SignInRequest, returns=wire.SessionInfo, changes=True
)
def sign_in(call: Call) -> wire.SessionInfo:
    """Sign in to the console with name and password, or with a one-time code."""
    if call.body.name and call.data.accounts.account(call.body.name) is not None:
        call.noted = f"as {call.body.name}"
    if call.site not in {"", "same-origin"}:
        raise ServiceError(403, "other-site", "sign in from the console itself", "Sec-Fetch-Site says otherwise")
    if not call.is_json:
        raise ServiceError(415, "not-json", "send JSON as application/json")
    cookie, info = access.sign_in(call.data, call.runtime.throttle, call.body, call.address)
    call.noted = f"as {info.account}"
    call.set_cookie(cookie)
    return info


@endpoints.add("GET", "/api/v1/session", role=NOBODY_NEEDED, returns=wire.SessionInfo)
def session(call: Call) -> wire.SessionInfo:
    """Who is asking; the account is empty when nobody is signed in."""
    caller = call.caller
    if caller is None:
        return wire.SessionInfo("", "", "", None)
    factors = second_factors.factors_of(call.data, caller.name) if caller.session else []
    return wire.SessionInfo(caller.name, caller.role, caller.csrf, None, caller.half, factors)


@endpoints.add("DELETE", "/api/v1/session", role=NOBODY_NEEDED, returns=wire.Health)
def sign_out(call: Call) -> wire.Health:
    """End the console session."""
    caller = _with_session(call)
    call.data.accounts.end_session(caller.session)
    call.set_cookie(None)
    return wire.Health("ok", __version__, None)


def _with_session(call: Call) -> Caller:
    """Return the caller of a console session, also of one whose second factor is still missing."""
    caller = call.who()
    if not caller.session:
        raise ServiceError(403, "no-session", "a token has no session")
    if not secrets.same(call.csrf, caller.csrf):
        raise ServiceError(403, "csrf", f"the {CSRF_HEADER} header is missing or wrong", "reload the console")
    return caller


def _enrolling(call: Call) -> Caller:
    """Return whoever may add a second factor: with a session that is proved, or without any factor yet."""
    caller = _with_session(call)
    if caller.half and second_factors.factors_of(call.data, caller.name):
        raise ServiceError(403, "second-factor", "prove a second factor first", "POST /api/v1/session/proof")
    if not caller.half:
        call.proved_lately()
    return caller


@endpoints.add(
    "POST", "/api/v1/session/proof", role=NOBODY_NEEDED, body=wire.ProofRequest, returns=wire.SessionInfo, changes=True
)
def prove(call: Call) -> wire.SessionInfo:
    """Prove again who asks: by a second factor where the account has any, else by the password."""
    caller = _with_session(call)
    call.noted = f"as {caller.name}"
    access.prove(call.data, call.runtime.throttle, call.runtime.challenges, caller, call.body, call.address)
    factors = second_factors.factors_of(call.data, caller.name)
    return wire.SessionInfo(caller.name, caller.role, caller.csrf, None, False, factors)


@endpoints.add("PUT", "/api/v1/session/password", role="viewer", body=wire.PasswordChange, returns=wire.Health)
def change_password(call: Call) -> wire.Health:
    """Give the account that asks another password; its other sessions end."""
    caller = _with_session(call)
    call.proved_lately()
    call.noted = f"of {caller.name}"
    access.change_password(call.data, call.runtime.throttle, caller, call.body, call.address)
    return wire.Health("ok", __version__, None)


@endpoints.add("GET", "/api/v1/session/factors", role=NOBODY_NEEDED, returns=wire.FactorList)
def factors(call: Call) -> wire.FactorList:
    """The second factors of the account that asks."""
    return second_factors.view(call.data, call.who().name)


@endpoints.add("POST", "/api/v1/session/factors/totp", role=NOBODY_NEEDED, returns=wire.TotpBegun)
def begin_totp(call: Call) -> wire.TotpBegun:
    """Begin with an authenticator app: a secret that counts once its first code has been given."""
    return second_factors.begin_totp(call.data, _enrolling(call).name)


@endpoints.add(
    "PUT",
    "/api/v1/session/factors/totp",
    role=NOBODY_NEEDED,
    body=wire.TotpConfirmed,
    returns=wire.FactorList,
    changes=True,
)
def confirm_totp(call: Call) -> wire.FactorList:
    """Keep an authenticator app's secret, by its first code."""
    caller = _enrolling(call)
    call.noted = f"authenticator app of {caller.name}"
    second_factors.confirm_totp(call.data, caller.name, call.body)
    call.data.accounts.prove_session(caller.session, call.data.clock())
    return second_factors.view(call.data, caller.name)


@endpoints.add("POST", "/api/v1/session/factors/passkey", role=NOBODY_NEEDED, returns=wire.PasskeyOptions)
def begin_passkey(call: Call) -> wire.PasskeyOptions:
    """Begin with a passkey: what the browser is to be asked for."""
    from caddrel.service.auth import passkeys

    caller = _enrolling(call)
    return wire.PasskeyOptions(passkeys.begin_passkey(call.data, call.runtime.challenges, caller.name, caller.session))


@endpoints.add(
    "PUT",
    "/api/v1/session/factors/passkey",
    role=NOBODY_NEEDED,
    body=wire.PasskeyMade,
    returns=wire.FactorList,
    changes=True,
)
def keep_passkey(call: Call) -> wire.FactorList:
    """Keep a passkey that the browser made."""
    from caddrel.service.auth import passkeys

    caller = _enrolling(call)
    call.noted = f"passkey of {caller.name}"
    passkeys.keep_passkey(call.data, call.runtime.challenges, caller.name, caller.session, call.body)
    call.data.accounts.prove_session(caller.session, call.data.clock())
    return second_factors.view(call.data, caller.name)


@endpoints.add("POST", "/api/v1/session/passkey", role=NOBODY_NEEDED, returns=wire.PasskeyOptions)
def ask_passkey(call: Call) -> wire.PasskeyOptions:
    """What the browser is to be asked for to prove a passkey."""
    from caddrel.service.auth import passkeys

    caller = _with_session(call)
    return wire.PasskeyOptions(passkeys.ask_passkey(call.data, call.runtime.challenges, caller.name, caller.session))


@endpoints.add("DELETE", "/api/v1/session/kept-factors/<id>", role="viewer", returns=wire.FactorList, changes=True)
def remove_factor(call: Call) -> wire.FactorList:
    """Take a second factor away: `totp`, or a passkey by its id."""
    caller = _with_session(call)
    call.proved_lately()
    call.noted = f"of {caller.name}"
    second_factors.remove(call.data, caller.name, call.path["id"])
    return second_factors.view(call.data, caller.name)


@endpoints.add("GET", "/api/v1/console-sessions", role="operator", returns=wire.ConsoleSessionList)
def console_sessions(call: Call) -> wire.ConsoleSessionList:
    """Who is signed in to the console, since when and from where."""
    return _console_sessions(call)


def _console_sessions(call: Call) -> wire.ConsoleSessionList:
    mine = call.who().session
    return wire.ConsoleSessionList(
        [
            wire.ConsoleSession(
                s.digest[:12], s.account, s.created.isoformat(), s.seen.isoformat(), s.address, s.digest == mine
            )
            for s in call.data.accounts.sessions(call.data.clock())
        ]
    )


@endpoints.add("DELETE", "/api/v1/accounts/<id>/sessions", role="operator", returns=wire.ConsoleSessionList)
def end_sessions(call: Call) -> wire.ConsoleSessionList:
    """End the console sessions of an account, but for the one that asks."""
    ended = call.data.accounts.end_sessions(call.path["id"], call.who().session)
    call.noted = f"{counted(ended, 'session')} ended"
    return _console_sessions(call)


@endpoints.add("DELETE", "/api/v1/accounts/<id>", role="operator", returns=wire.AccountList)
def remove_account(call: Call) -> wire.AccountList:
    """Take an account out: its sessions end, and what it planned is held."""
    name = call.path["id"]
    if name == call.who().name:
        raise ServiceError(409, "own-account", "you cannot take out your own account", "have another operator do it")
    if not call.data.accounts.remove_account(name):
        raise not_found("account of that name", "see caddrel account list")
    return _accounts(call)


def _info(call: Call, token: Token) -> wire.TokenInfo:
    expires = token.expires_at.isoformat() if token.expires_at else None
    created = token.created_at.isoformat()
    revoked = bool(token.revoked_at)
    at, address = call.runtime.callers.token_uses.latest(token.id) or (token.used_at, token.used_from)
    return wire.TokenInfo(
        token.id,
        token.name,
        token.role,
        created,
        token.created_by,
        expires,
        revoked,
        list(token.reports),
        token.sees,
        list(token.only),
        at.isoformat() if at is not None else None,
        address,
        scheduled_publish.plans_of(call.data, "", token.id),
    )


@endpoints.add("GET", "/api/v1/tokens", role="operator", returns=wire.TokenList)
def tokens(call: Call) -> wire.TokenList:
    """Every token, without secrets."""
    return _tokens(call)


def _tokens(call: Call) -> wire.TokenList:
    return wire.TokenList([_info(call, token) for token in call.data.accounts.all_tokens()])


@endpoints.add("POST", "/api/v1/tokens", role="operator", body=wire.TokenRequest, returns=wire.TokenMade, status=201)
def make_token(call: Call) -> wire.TokenMade:
    """Make a token; its text is shown this once."""
    body: wire.TokenRequest = call.body
    call.noted = f"{body.role} token {body.name[:100]}"
    call.proved_lately()
    token, text = token_use.make_token(
        call.data,
        body.name,
        body.role,
        body.days,
        call.who().name,
        body.reports,
        body.sees,
        body.only,
    )
    return wire.TokenMade(_info(call, token), text)


@endpoints.add("DELETE", "/api/v1/tokens/<id>", role="operator", returns=wire.TokenList)
def revoke_token(call: Call) -> wire.TokenList:
    """Revoke a token, from the next request on."""
    if not call.data.accounts.revoke_token(call.path["id"], call.data.clock()):
        raise not_found("token of that id in use")
    return _tokens(call)


@endpoints.add("GET", "/api/v1/accounts", role="operator", returns=wire.AccountList)
def accounts(call: Call) -> wire.AccountList:
    """Every account."""
    return _accounts(call)


def _accounts(call: Call) -> wire.AccountList:
    found = call.data.accounts.all_accounts()
    return wire.AccountList(
        [
            wire.AccountInfo(
                a.name,
                a.role,
                a.password_hash is not None,
                second_factors.factors_of(call.data, a.name),
                scheduled_publish.plans_of(call.data, a.name),
            )
            for a in found
        ]
    )


@endpoints.add(
    "POST", "/api/v1/accounts", role="operator", body=wire.AccountRequest, returns=wire.AccountList, status=201
)
def put_account(call: Call) -> wire.AccountList:
    """Add an account, or change its role and password."""
    body: wire.AccountRequest = call.body
    call.noted = f"{body.role} account {body.name[:100]}"
    call.proved_lately()
    access.make_account(call.data, body.name, body.role, body.password, call.who().session)
    return _accounts(call)
