"""Endpoints of imports of the log."""

from __future__ import annotations

from caddrel.service.http.endpoints import Param
from caddrel.service.signins.taking_back import import_list, numbered, one_import
from caddrel.service.views.calls import Call, Endpoints
from caddrel.service.views.signins import MOST_NUMBER
from caddrel.wire import imports as wire

endpoints = Endpoints()
_LIMIT = Param("limit", "At most so many.", 50, 500)
_BEFORE = Param("before", "Only imports with a smaller number.", most=MOST_NUMBER)


@endpoints.add("GET", "/api/v1/imports", role="viewer", returns=wire.ImportList, params=[_LIMIT, _BEFORE])
def listed(call: Call) -> wire.ImportList:
    """What was taken into the log, import by import, newest first."""
    before = call.number(_BEFORE) if "before" in call.query else None
    return import_list(call.data, call.number(_LIMIT), before)


@endpoints.add("GET", "/api/v1/imports/<id>", role="viewer", returns=wire.LogImport)
def one(call: Call) -> wire.LogImport:
    """One import, with how many of its sign-ins are in the log still."""
    return one_import(call.data, numbered(call.path["id"]))
