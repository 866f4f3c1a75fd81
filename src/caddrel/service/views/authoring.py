"""Endpoints for writing: one object of a draft with all that is shown beside it, the language, selectors."""

from __future__ import annotations

from caddrel.service.authoring import language, object_view
from caddrel.service.http.endpoints import Param
from caddrel.service.views.calls import Call, Endpoints
from caddrel.wire import authoring as wire

endpoints = Endpoints()
_LIMIT = Param("limit", "At most so many.", 100, 1000)
_OBJECT = "/api/v1/drafts/<id>/objects/<path>"
_SIDE = Param("side", "people when left out.", words=("people", "apps"))


@endpoints.add("GET", _OBJECT, role="viewer", returns=wire.ObjectView)
def show(call: Call) -> wire.ObjectView:
    """One object of a draft: as text and values, in words, what is wrong with it, whom it covers, what uses it."""
    return object_view.look(call.data, call.runtime.covering, call.path["id"], call.path["path"])


@endpoints.add(
    "GET",
    f"{_OBJECT}/covers",
    role="viewer",
    returns=wire.CoveredPage,
    params=[_SIDE, Param("after", "Only ids after this one."), _LIMIT],
)
def covers(call: Call) -> wire.CoveredPage:
    """Whom or what the scope of a draft's policy covers, by the inventory as it is now."""
    get = call.query.get
    limit = call.number(_LIMIT)
    return object_view.covered(
        call.data,
        call.runtime.covering,
        call.path["id"],
        call.path["path"],
        get("side", "people"),
        get("after", ""),
        limit,
    )


@endpoints.add(
    "GET", f"{_OBJECT}/holds", role="viewer", returns=wire.Standing, params=[Param("address", "An IP address.")]
)
def holds(call: Call) -> wire.Standing:
    """Whether an address is in a place of a draft, and by which part."""
    return object_view.address(call.data, call.path["id"], call.path["path"], call.query.get("address", ""))


@endpoints.add("GET", "/api/v1/language", role="viewer", returns=wire.LanguageView)
def show_language(call: Call) -> wire.LanguageView:
    """Comparisons and requirements that can be written."""
    del call
    return language.language()


@endpoints.add("POST", "/api/v1/language", role="viewer", body=wire.LanguageRequest, returns=wire.Understood)
def understand(call: Call) -> wire.Understood:
    """What a condition or an effect says, given as text or as rows; nothing is kept."""
    return language.understand(call.data, call.body)


@endpoints.add(
    "GET",
    "/api/v1/selectors",
    role="viewer",
    returns=wire.SelectorList,
    params=[_SIDE, Param("search", "Words of the selector or its title.")],
)
def selectors(call: Call) -> wire.SelectorList:
    """Selectors of people or apps that could be written, with how many each covers."""
    side = call.query.get("side", "people")
    return call.runtime.covering.selectors(side, call.query.get("search", ""))
