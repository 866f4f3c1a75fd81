"""Endpoints of sessions, accounts and tokens, and of the service's health."""

from __future__ import annotations

from caddrel import __version__
from caddrel.service import access
from caddrel.service.endpoints import NOBODY_NEEDED, Call, Endpoints
from caddrel.service.errors import ServiceError, not_found
from caddrel.store.accounts import Token
from caddrel.wire import access as wire

endpoints = Endpoints()


@endpoints.add("GET", "/healthz", role=NOBODY_NEEDED, returns=wire.Health)
def health(call: Call) -> wire.Health:
    """The service is there, and its store can be read."""
    return wire.Health("ok", __version__, call.deps.revisions.current_number())


@endpoints.add(
    "POST", "/api/v1/session", role=NOBODY_NEEDED, body=wire.SignInRequest, returns=wire.SessionInfo, changes=True
)
def sign_in(call: Call) -> wire.SessionInfo:
    """Sign in to the console with name and password, or with a one-time code."""
    if call.body.name and call.deps.accounts.account(call.body.name) is not None:
        call.noted = f"as {call.body.name}"
    cookie, info = access.sign_in(call.deps, call.body)
    call.noted = f"as {info.account}"
    call.cookies[access.COOKIE] = cookie
    return info


@endpoints.add("GET", "/api/v1/session", role=NOBODY_NEEDED, returns=wire.SessionInfo)
def session(call: Call) -> wire.SessionInfo:
    """Who is asking; the account is empty when nobody is signed in."""
    caller = call.caller
    if caller is None:
        return wire.SessionInfo("", "", "", None)
    return wire.SessionInfo(caller.name, caller.role, caller.csrf, None)


@endpoints.add("DELETE", "/api/v1/session", role="viewer", returns=wire.Health)
def sign_out(call: Call) -> wire.Health:
    """End the console session."""
    caller = call.who()
    if not caller.session:
        raise ServiceError(400, "no-session", "a token has no session to end")
    call.deps.accounts.end_session(caller.session)
    call.cookies[access.COOKIE] = None
    return wire.Health("ok", __version__, None)


def _info(token: Token) -> wire.TokenInfo:
    expires = token.expires_at.isoformat() if token.expires_at else None
    created = token.created_at.isoformat()
    revoked = bool(token.revoked_at)
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
    )


@endpoints.add("GET", "/api/v1/tokens", role="operator", returns=wire.TokenList)
def tokens(call: Call) -> wire.TokenList:
    """Every token, without secrets."""
    return _tokens(call)


def _tokens(call: Call) -> wire.TokenList:
    return wire.TokenList([_info(token) for token in call.deps.accounts.all_tokens()])


@endpoints.add("POST", "/api/v1/tokens", role="operator", body=wire.TokenRequest, returns=wire.TokenMade, status=201)
def make_token(call: Call) -> wire.TokenMade:
    """Make a token; its text is shown this once."""
    body: wire.TokenRequest = call.body
    call.noted = f"{body.role} token {body.name[:100]}"
    token, text = access.make_token(
        call.deps,
        body.name,
        body.role,
        body.days,
        call.who().name,
        body.reports,
        body.sees,
        body.only,
    )
    return wire.TokenMade(_info(token), text)


@endpoints.add("DELETE", "/api/v1/tokens/<id>", role="operator", returns=wire.TokenList)
def revoke_token(call: Call) -> wire.TokenList:
    """Revoke a token, from the next request on."""
    if not call.deps.accounts.revoke_token(call.path["id"], call.deps.clock()):
        raise not_found("token of that id in use")
    return _tokens(call)


@endpoints.add("GET", "/api/v1/accounts", role="operator", returns=wire.AccountList)
def accounts(call: Call) -> wire.AccountList:
    """Every account."""
    return _accounts(call)


def _accounts(call: Call) -> wire.AccountList:
    found = call.deps.accounts.all_accounts()
    return wire.AccountList([wire.AccountInfo(a.name, a.role, a.password_hash is not None) for a in found])


@endpoints.add(
    "POST", "/api/v1/accounts", role="operator", body=wire.AccountRequest, returns=wire.AccountList, status=201
)
def put_account(call: Call) -> wire.AccountList:
    """Add an account, or change its role and password."""
    body: wire.AccountRequest = call.body
    call.noted = f"{body.role} account {body.name[:100]}"
    access.make_account(call.deps, body.name, body.role, body.password)
    return _accounts(call)
