"""Endpoints of SCIM 2.0 (RFC 7644) for directories; outside of our own API."""

from __future__ import annotations

from caddrel.service.http.endpoints import Answer, Param
from caddrel.service.views.calls import Call, Endpoints
from caddrel.store.accounts import DIRECTORY

endpoints = Endpoints()
_BASE = "/scim/v2"
_PARAMS = [
    Param(name, "As in RFC 7644, section 3.4.2.")
    for name in ("filter", "startIndex", "count", "sortBy", "sortOrder", "attributes", "excludedAttributes")
]


def _answer(method: str, call: Call) -> Answer:
    from caddrel.service.scim.exchange import answered

    most = call.data.limits.body
    body = call.stream.read(most + 1) if call.stream is not None else b""
    headers = {name: value for name, value in (("If-Match", call.expected), ("If-None-Match", call.seen)) if value}
    url = f"{call.data.settings.origin}{_BASE}", f"/{call.path['path']}", call.query
    return answered(call.data, call.runtime.inventory, call.who().token_name, method, url, headers, body)


def _declare(method: str) -> None:
    def answered(call: Call) -> Answer:
        """People and groups, as directories keep them."""
        return _answer(method, call)

    endpoints.add(
        method,
        f"{_BASE}/<path:path>",
        role=DIRECTORY,
        returns=Answer,
        params=_PARAMS,
        stream="A SCIM message." if method in {"POST", "PUT", "PATCH"} else "",
        limit="body",
    )(answered)


for _method in ("GET", "POST", "PUT", "PATCH", "DELETE"):
    _declare(_method)
