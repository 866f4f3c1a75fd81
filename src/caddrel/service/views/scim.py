"""Endpoints of SCIM 2.0 (RFC 7644) for directories; outside of our own API."""

from __future__ import annotations

import threading
from functools import cache

from scim2_models import SCIMException
from scim2_server.handler import ScimHandler
from scim2_server.requests import ScimRequest
from scim2_server.responses import SCIM_MEDIA_TYPE
from scim2_server.service import ScimService

from caddrel.service.http.endpoints import Answer, Param
from caddrel.service.scim.resources import provider
from caddrel.service.scim.storage import InventoryStorage
from caddrel.service.views.calls import Call, Endpoints
from caddrel.store.accounts import DIRECTORY

endpoints = Endpoints()
_BASE = "/scim/v2"
_PARAMS = [
    Param(name, "As of RFC 7644, section 3.4.2.")
    for name in ("filter", "startIndex", "count", "sortBy", "sortOrder", "attributes", "excludedAttributes")
]
# One directory's change after the other: each is made to what was read.
_writing = threading.Lock()


@cache
def _service() -> ScimService:
    return ScimService(provider())


def _answer(method: str, call: Call) -> Answer:
    most = call.data.limits.body
    body = call.stream.read(most + 1) if call.stream is not None else b""
    headers = {"Content-Type": SCIM_MEDIA_TYPE}
    headers |= {name: value for name, value in (("If-Match", call.expected), ("If-None-Match", call.seen)) if value}
    request = ScimRequest(
        method, f"{call.data.settings.origin}{_BASE}", f"/{call.path['path']}", call.query, headers, body
    )
    storage = InventoryStorage(call.data, call.runtime.inventory, call.who().token_name, _writing)
    try:
        response = ScimHandler(_service(), storage).handle(request)
    except SCIMException as refused:
        response = _service().error_response(refused)
    told = {name: value for name, value in response.headers.items() if name.lower() != "content-type"}
    return Answer(int(response.status), response.body, SCIM_MEDIA_TYPE, told)


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
