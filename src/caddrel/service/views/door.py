"""Endpoints of the OpenID AuthZEN Authorization API 1.0."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from itertools import islice
from typing import Any

import msgspec

from caddrel.core.facts.attempts import AttemptRefused
from caddrel.core.facts.catalogue import OPERATIONS
from caddrel.core.facts.claims import RESOURCES
from caddrel.service.decisions.evaluate import checked_page, unreadable
from caddrel.service.http.endpoints import NOBODY_NEEDED
from caddrel.service.problems import ServiceError, not_found
from caddrel.service.views.calls import Call, Endpoints
from caddrel.store.accounts import DOOR
from caddrel.wire import authzen as wire

endpoints = Endpoints()
MOST_EVALUATIONS = 1_000
# A search decides for each that it looks at.
MOST_LOOKED_AT = 2_000
_SEMANTICS = {"execute_all": None, "deny_on_first_deny": False, "permit_on_first_permit": True}
_BASE = "/access/v1"


@endpoints.add("GET", "/.well-known/authzen-configuration", role=NOBODY_NEEDED, returns=wire.Configuration)
def configuration(call: Call) -> wire.Configuration:
    """Where the endpoints of the AuthZEN API are (section 9)."""
    base = call.base.rstrip("/")
    return wire.Configuration(
        base,
        f"{base}{_BASE}/evaluation",
        f"{base}{_BASE}/evaluations",
        f"{base}{_BASE}/search/subject",
        f"{base}{_BASE}/search/resource",
        f"{base}{_BASE}/search/action",
    )


@endpoints.add("POST", f"{_BASE}/evaluation", role=DOOR, body=wire.Evaluation, returns=wire.AccessDecision)
def evaluation(call: Call) -> wire.AccessDecision:
    """Whether a person may do something now (AuthZEN section 6); answered once it is recorded."""
    try:
        return call.runtime.door.evaluate(call.who(), call.body, call.request_id)
    except AttemptRefused as refused:
        raise unreadable(refused) from None


@endpoints.add(
    "POST", f"{_BASE}/evaluations", role=DOOR, body=wire.Evaluations, returns=wire.AccessDecisions, limit="batch"
)
def evaluations(call: Call) -> wire.AccessDecisions | wire.AccessDecision:
    """Several evaluations in one request (AuthZEN section 7), with all three semantics."""
    body: wire.Evaluations = call.body
    defaults = wire.Evaluation(body.subject, body.action, body.resource, body.context)
    if not body.evaluations:
        # As section 7.1 has it: without evaluations it is a single one.
        try:
            return call.runtime.door.evaluate(call.who(), defaults, call.request_id)
        except AttemptRefused as refused:
            raise unreadable(refused) from None
    semantic = body.options.evaluations_semantic
    if semantic not in _SEMANTICS:
        hint = f"one of {', '.join(_SEMANTICS)}"
        raise ServiceError(400, "bad-parameter", "`options.evaluations_semantic` is not known", hint)
    if len(body.evaluations) > MOST_EVALUATIONS:
        raise ServiceError(413, "too-large", f"a request holds at most {MOST_EVALUATIONS} evaluations")
    merged = [_with_defaults(each, defaults) for each in body.evaluations]
    found = call.runtime.door.evaluate_all(call.who(), merged, call.request_id, _SEMANTICS[semantic])
    return wire.AccessDecisions([each if isinstance(each, wire.AccessDecision) else _refused(each) for each in found])


def _with_defaults(each: wire.Evaluation, defaults: wire.Evaluation) -> wire.Evaluation:
    return wire.Evaluation(
        each.subject or defaults.subject,
        each.action or defaults.action,
        each.resource or defaults.resource,
        each.context if each.context is not None else defaults.context,
    )


def _refused(error: ServiceError | AttemptRefused) -> wire.AccessDecision:
    """Return the decision on an evaluation of several that cannot be read (section 7.2.1)."""
    problem = error if isinstance(error, ServiceError) else unreadable(error)
    messages = [found.message for found in problem.errors] or [problem.title]
    return wire.AccessDecision(False, {"error": {"status": problem.status, "message": "; ".join(messages)}})


@endpoints.add("POST", f"{_BASE}/search/subject", role=DOOR, body=wire.Search, returns=wire.SearchResults)
def search_subject(call: Call) -> wire.SearchResults:
    """The people who may do something now (AuthZEN section 8.4)."""
    body: wire.Search = call.body
    people = sorted(call.data.inventories.current().people)
    return _search(call, people, lambda id: msgspec.structs.replace(body.subject, id=id), "subject")


@endpoints.add("POST", f"{_BASE}/search/resource", role=DOOR, body=wire.Search, returns=wire.SearchResults)
def search_resource(call: Call) -> wire.SearchResults:
    """The apps that a person may open now (AuthZEN section 8.5)."""
    body: wire.Search = call.body
    if body.resource.type not in RESOURCES:
        raise ServiceError(400, "bad-attempt", "`resource.type` is not known", f"one of {', '.join(RESOURCES)}")
    apps = sorted(call.data.inventories.current().apps)
    return _search(call, apps, lambda id: msgspec.structs.replace(body.resource, id=id), "resource")


@endpoints.add("POST", f"{_BASE}/search/action", role=DOOR, body=wire.Search, returns=wire.SearchResults)
def search_action(call: Call) -> wire.SearchResults:
    """What a person may do with an app now (AuthZEN section 8.6)."""
    body: wire.Search = call.body
    return _search(call, sorted(OPERATIONS), lambda name: msgspec.structs.replace(body.action, name=name), "action")


def _search(call: Call, names: Iterable[str], named: Callable[[str], Any], what: str) -> wire.SearchResults:
    """Return those of the names for which the request would be allowed, from where the page before ended."""
    body: wire.Search = call.body
    after, limit = checked_page(body.page.token), body.page.limit
    if not 1 <= limit <= MOST_EVALUATIONS:
        raise ServiceError(400, "bad-parameter", f"`page.limit` is a whole number from 1 to {MOST_EVALUATIONS}")
    parts = {"subject": body.subject, "action": body.action, "resource": body.resource}
    found: list[dict[str, str]] = []
    left = [name for name in names if name > after] if after else list(names)
    last = ""
    for name in islice(left, MOST_LOOKED_AT):
        last = name
        asked = wire.Evaluation(**{**parts, what: named(name)}, context=body.context)
        try:
            allowed = call.runtime.door.would_allow(call.who(), asked)
        except AttemptRefused as refused:
            raise unreadable(refused) from None
        if allowed:
            kind = getattr(parts[what], "type", "")
            found.append({"name": name} if what == "action" else {"type": kind, "id": name})
        if len(found) == limit:
            break
    more = bool(left) and last != left[-1]
    return wire.SearchResults(found, wire.PageAnswer(f"after:{last}" if more else ""))


@endpoints.add("POST", f"{_BASE}/sessions/end", role=DOOR, body=wire.SessionEnd, returns=wire.AccessDecision)
def sign_out(call: Call) -> wire.AccessDecision:
    """End a session of this door: the person has signed out."""
    session = call.data.door_sessions.get(call.body.id)
    if session is None or session.door != call.who().token:
        raise not_found("session of that id at this door")
    call.data.door_sessions.end(session.id, call.data.clock(), "door")
    return wire.AccessDecision(False, {"session": {"ended": "door"}})
