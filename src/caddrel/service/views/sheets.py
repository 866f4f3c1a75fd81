"""Endpoints of reviewers' sheets, and of reviews."""

from __future__ import annotations

from caddrel.service.http.endpoints import Param
from caddrel.service.profiles import policy_sheet, reviews
from caddrel.service.views.calls import Call, Endpoints
from caddrel.wire import sheets as wire

endpoints = Endpoints()
_DRAFT = Param("draft", "As this draft has it, instead of the current revision.")


@endpoints.add("GET", "/api/v1/rulebook/policies/<id>/sheet", role="viewer", returns=wire.PolicySheet, params=[_DRAFT])
def sheet(call: Call) -> wire.PolicySheet:
    """A policy on one page, spelled out for somebody who does not know the language."""
    return policy_sheet.policy_sheet(call.data, call.runtime.covering, call.path["id"], call.query.get("draft", ""))


@endpoints.add(
    "GET",
    "/api/v1/rulebook/sheets",
    role="viewer",
    returns=wire.PolicySheets,
    params=[_DRAFT],
    heavy="check",
)
def sheets(call: Call) -> wire.PolicySheets:
    """All policies as sheets, by owner and title."""
    return policy_sheet.policy_sheets(call.data, call.runtime.covering, call.query.get("draft", ""))


@endpoints.add(
    "GET",
    "/api/v1/reviews",
    role="viewer",
    returns=wire.ReviewList,
    params=[Param("owner", "Only policies of this owner.")],
)
def listed(call: Call) -> wire.ReviewList:
    """The policies with their last reviews, those that are due first."""
    return reviews.due(call.data, call.query.get("owner", ""))


@endpoints.add(
    "POST",
    "/api/v1/rulebook/policies/<id>/reviews",
    role="author",
    body=wire.ReviewRequest,
    returns=wire.ReviewList,
    status=201,
)
def review(call: Call) -> wire.ReviewList:
    """Keep that a policy was reviewed as it is, and when it is due again."""
    call.noted = f"reviewed{f', due again {call.body.again[:40]}' if call.body.again else ''}"
    return reviews.add(call.data, call.path["id"], call.body, call.who().name)
