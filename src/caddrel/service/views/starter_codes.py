"""Endpoints of starter codes."""

from __future__ import annotations

from caddrel.service.auth import starter_codes
from caddrel.service.problems import not_found
from caddrel.service.views.calls import Call, Endpoints
from caddrel.wire import starter_codes as wire

endpoints = Endpoints()


@endpoints.add("GET", "/api/v1/starter-codes", role="viewer", returns=wire.StarterCodeList)
def listed(call: Call) -> wire.StarterCodeList:
    """The starter codes, without their texts: for whom, when, by whom issued, and what used them."""
    return wire.StarterCodeList([starter_codes.view(code) for code in call.data.starter_codes.all()])


@endpoints.add(
    "POST",
    "/api/v1/starter-codes",
    role="operator",
    body=wire.StarterCodeRequest,
    returns=wire.StarterCodeMade,
    status=201,
)
def issue(call: Call) -> wire.StarterCodeMade:
    """Issue a starter code; its text is shown this once."""
    call.noted = f"for {call.body.person[:100]}, {call.body.lasts[:20]}"
    return starter_codes.issue(call.data, call.body, call.who().name)


@endpoints.add("DELETE", "/api/v1/starter-codes/<id>", role="operator", returns=wire.StarterCodeList)
def revoke(call: Call) -> wire.StarterCodeList:
    """Revoke a starter code that nobody has used."""
    if not call.data.starter_codes.revoke(call.path["id"], call.data.clock()):
        raise not_found("starter code of that id that could still be used")
    return wire.StarterCodeList([starter_codes.view(code) for code in call.data.starter_codes.all()])
