"""From a request to the view of its endpoint, and from what that answers to a response: who asks, what is audited.

The only module besides the app factory that touches Flask's request. Not here: declaring endpoints (`http.endpoints`).
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace
from typing import Any

import msgspec
from flask import Flask, Response, g, request
from flask.globals import request_ctx
from werkzeug.exceptions import RequestEntityTooLarge
from werkzeug.http import parse_cookie
from werkzeug.routing import Rule

from caddrel.core.diagnostics import did_you_mean
from caddrel.service.auth.callers import COOKIE, CSRF_HEADER, SECURE_COOKIE, Caller, Callers, check
from caddrel.service.http.endpoints import NOBODY_NEEDED, Answer, Call, Endpoint, R, Serving, Stream
from caddrel.service.http.work_limits import Held
from caddrel.service.problems import ServiceError, problem_for
from caddrel.service.state.data_folder import DataFolder
from caddrel.service.state.limits import Limits
from caddrel.store.accounts import DOOR
from caddrel.wire.decoding import decode


class Route(Rule):
    """A route that requests are matched by, and that no address is built from.

    Compiling what would build addresses takes three quarters of what making the app does.
    """

    def _compile_builder(self, append_unknown: bool = True) -> Callable[..., tuple[str, str]]:
        del append_unknown
        return _no_address


def methods_here() -> list[str]:
    """Return the methods of an address (RFC 9110, section 10.2.1); where a fixed route fits, of that one alone."""
    adapter = request_ctx.url_adapter
    if adapter is None:
        return []
    found: dict[str, bool] = {}
    for method in adapter.allowed_methods():
        rule, _ = adapter.match(method=method, return_rule=True)
        found[method] = bool(rule.arguments)
    fixed = [method for method, named in found.items() if not named]
    return sorted(fixed or found)


def _no_address(route: Route, **values: object) -> tuple[str, str]:
    raise NotImplementedError(f"no address is built from {route.rule}, of {sorted(values)}")


def register(app: Flask, runtime: R, endpoint: Endpoint[R]) -> None:
    """Add an endpoint to the app."""

    def handle(**path: str) -> Response:
        call = _call(runtime, endpoint, path)
        if request.method == "HEAD" and endpoint.returns is Stream:
            # Nobody reads it: a stream that is begun would hold what it was given until the service ends.
            return Response(status=endpoint.status)
        try:
            answer = _answer(runtime, endpoint, call)
        except Exception as error:
            problem = problem_for(error, g.request_id)
            if _audited(endpoint, call) and problem.status != 429:
                _audit(runtime, endpoint, call.caller, problem.code, call.noted or problem.title)
            raise
        if _audited(endpoint, call):
            _audit(runtime, endpoint, call.caller, "done", call.noted)
        return _response(endpoint, call, answer)

    name = f"{endpoint.method} {endpoint.route}"
    app.add_url_rule(endpoint.route, name.replace(".", "_"), handle, methods=[endpoint.method])


def _call(runtime: R, endpoint: Endpoint[R], path: dict[str, str]) -> Call[R]:
    call = Call(runtime, _caller(runtime, endpoint), path, _query(endpoint), cookie=_cookie())
    call.address, call.csrf = request.remote_addr or "", request.headers.get(CSRF_HEADER, "")
    call.site, call.is_json = request.headers.get("Sec-Fetch-Site", ""), request.mimetype == "application/json"
    call.secure = _secure(runtime.data)
    call.expected = request.headers.get("If-Match", "")
    call.seen = request.headers.get("If-None-Match", "")
    call.base, call.request_id = f"{runtime.data.settings.origin}/", request.headers.get("X-Request-ID", "")
    return call


def _answer(runtime: R, endpoint: Endpoint[R], call: Call[R]) -> Any:
    """Return what the view answers; heavy work has a place of its kind until it is done, or sent."""
    _read_body(runtime.data.limits, endpoint, call)
    if not endpoint.heavy:
        return endpoint.view(call)
    who = call.caller.token or call.caller.name if call.caller is not None else ""
    runtime.heavy.take(endpoint.heavy, who)
    kept = False
    try:
        answer = endpoint.view(call)
        if isinstance(answer, Stream):
            answer = replace(answer, pieces=Held(answer.pieces, runtime.heavy, endpoint.heavy, who))
            kept = True
        return answer
    finally:
        if not kept:
            runtime.heavy.give_back(endpoint.heavy, who)


def _response(endpoint: Endpoint[R], call: Call[R], answer: Any) -> Response:
    if answer is None:
        response = Response(status=304)
    elif isinstance(answer, Answer):
        body = msgspec.json.encode(answer.document) if answer.document is not None else b""
        response = Response(body, answer.status, content_type=answer.media, headers=dict(answer.headers))
    elif isinstance(answer, Stream):
        response = Response(answer.pieces, endpoint.status, content_type=answer.media)
        if answer.filename:
            response.headers["Content-Disposition"] = f'attachment; filename="{answer.filename}"'
    else:
        response = Response(msgspec.json.encode(answer), endpoint.status, mimetype="application/json")
    response.headers["Cache-Control"] = "no-store"
    if call.etag:
        response.headers["ETag"] = call.etag
    if call.link:
        response.headers["Link"] = call.link
    for name, value in call.cookies.items():
        if value is None:
            response.delete_cookie(name, path="/", httponly=True, samesite="Strict", secure=call.secure)
        else:
            response.set_cookie(name, value, path="/", httponly=True, samesite="Strict", secure=call.secure)
    return response


def body_limits(runtime: Serving, endpoints: Iterable[Endpoint[Any]]) -> Callable[[str, str, Mapping[str, str]], int]:
    """Return what tells how many bytes the body of a request may have, before it is taken in.

    More than is needed to sign in is taken only from callers that are known, and only where it is asked for.
    """
    routes = [
        (e, re.compile("^" + re.sub(r"<[^>]+>", "[^/]+", e.route) + "/?$"))
        for e in endpoints
        if e.body is not None or e.stream
    ]

    def allowed(method: str, path: str, headers: Mapping[str, str]) -> int:
        for endpoint, route in routes:
            if endpoint.method != method or not route.match(path):
                continue
            if endpoint.role and not _known(runtime.callers, headers):
                return 0
            return int(getattr(runtime.data.limits, endpoint.limit))
        return 0

    return allowed


def _known(callers: Callers, headers: Mapping[str, str]) -> bool:
    """Tell whether a request comes from somebody known, by its headers as WSGI names them."""
    cookies = parse_cookie(headers.get("COOKIE", ""))
    try:
        cookie = cookies.get(SECURE_COOKIE, "") or cookies.get(COOKIE, "")
        caller = callers.caller(headers.get("AUTHORIZATION", ""), cookie)
    except ServiceError:
        return False
    return caller is not None


def _secure(data: DataFolder) -> bool:
    return request.is_secure or data.settings.origin.startswith("https://")


def _cookie() -> str:
    if "HTTP_COOKIE" not in request.environ:
        # Programs send none, and they ask the most.
        return ""
    return request.cookies.get(SECURE_COOKIE, "") or request.cookies.get(COOKIE, "")


def _caller(runtime: R, endpoint: Endpoint[R]) -> Caller | None:
    authorization = request.headers.get("Authorization", "")
    caller = runtime.callers.caller(authorization, _cookie(), request.remote_addr or "")
    if endpoint.role == NOBODY_NEEDED:
        return caller
    g.caller = caller.name if caller else ""
    try:
        return _checked(endpoint, caller)
    except ServiceError as refused:
        if refused.status == 403:
            _audit(runtime, endpoint, caller, refused.code, refused.title)
        raise


def _checked(endpoint: Endpoint[R], caller: Caller | None) -> Caller:
    changing = endpoint.method not in {"GET", "HEAD"}
    role = DOOR if endpoint.doors and caller is not None and caller.role == DOOR else endpoint.role
    area = endpoint.route.removeprefix("/api/v1/").partition("/")[0]
    return check(caller, role, changing, request.headers.get(CSRF_HEADER, ""), area)


def _audited(endpoint: Endpoint[R], call: Call[R]) -> bool:
    """Tell whether the audit trail tells of a call.

    Of strangers it tells only what a view notes: else anybody could fill the disk with it.
    """
    if call.caller is None:
        return endpoint.changes and bool(call.noted)
    return endpoint.changes and call.caller.role != DOOR


def _audit(runtime: R, endpoint: Endpoint[R], caller: Caller | None, outcome: str, note: str) -> None:
    """Add to the audit trail what somebody did, or was refused."""
    who = caller.name if caller is not None else "nobody"
    did = f"{endpoint.method} {endpoint.route}"
    address = request.remote_addr or ""
    data = runtime.data
    data.audit.add(data.clock(), who, did, request.path[:300], outcome, note[:1000], g.request_id, address)


def _query(endpoint: Endpoint[Any]) -> dict[str, str]:
    known = {param.name: param for param in endpoint.params}
    for name in request.args:
        if name not in known:
            hint = did_you_mean(name, known, f"it takes: {', '.join(sorted(known))}" if known else "it takes none")
            raise ServiceError(400, "unknown-parameter", f"there is no parameter `{name[:60]}`", hint)
        if len(request.args.getlist(name)) > 1:
            # Another program on the way may have read the other one.
            raise ServiceError(400, "bad-parameter", f"`{name}` is given more than once", "give it once")
        words = known[name].words
        if words and request.args[name] not in words:
            raise ServiceError(400, "bad-parameter", f"`{name}` is not known", f"one of {', '.join(words)}")
        if known[name].most and not request.args[name]:
            raise ServiceError(400, "bad-parameter", f"`{name}` is a whole number", "or leave it out")
    given = {name: value for name, value in request.args.items() if value}
    for name, param in known.items():
        if param.needed and name not in given:
            raise ServiceError(400, "bad-parameter", f"`{name}` is needed", param.doc)
    return given


def _read_body(limits: Limits, endpoint: Endpoint[R], call: Call[R]) -> None:
    if endpoint.body is None and not endpoint.stream:
        return
    most: int = getattr(limits, endpoint.limit)
    if request.content_length is not None and request.content_length > most:
        raise RequestEntityTooLarge
    request.max_content_length = most
    if endpoint.stream:
        call.stream = request.stream  # type: ignore[assignment]
    elif endpoint.body is not None:
        call.body = decode(request.get_data(cache=False), endpoint.body)
