"""Endpoints of drafts."""

from __future__ import annotations

import re

from caddrel.service.authoring import pattern_scope
from caddrel.service.problems import ServiceError, not_found
from caddrel.service.rulebooks import accepted_findings, pattern_policies
from caddrel.service.rulebooks import drafts as drafting
from caddrel.service.views.calls import Call, Endpoints
from caddrel.store.drafts import Draft
from caddrel.wire import drafts as wire
from caddrel.wire.rulebooks import PublishResult

endpoints = Endpoints()
_ONE = "/api/v1/drafts/<id>"
_TAG = re.compile(r'"(\d{1,9})"')


def _told(call: Call, draft: Draft) -> wire.WholeDraft:
    call.etag = f'"{draft.version}"'
    return drafting.whole(call.data, draft)


def seen_version(call: Call) -> int:
    """Return the version that the caller has seen (RFC 9110, section 13.1.1)."""
    found = _TAG.fullmatch(call.expected.strip())
    if found is None:
        hint = 'send If-Match with the ETag that you read, such as "3"'
        raise ServiceError(428, "no-version", "say which version of the draft you have seen", hint)
    return int(found.group(1))


def _prove_again(call: Call) -> None:
    """Have whoever publishes over a warning prove anew who they are."""
    body = call.body
    accepted = (body.accept_lockout_risk, body.accept_failing_rehearsals)
    if any(reason.strip() for reason in (*accepted, getattr(body, "accept_failing_guarantees", ""))):
        call.proved_lately()


@endpoints.add("GET", "/api/v1/drafts", role="viewer", returns=wire.DraftList)
def listed(call: Call) -> wire.DraftList:
    """Every draft, those saved last first; discarded ones too."""
    return _all(call)


def _all(call: Call) -> wire.DraftList:
    return wire.DraftList([drafting.info(call.data, draft) for draft in call.data.drafts.all()])


@endpoints.add(
    "POST",
    "/api/v1/drafts",
    role="author",
    body=wire.DraftRequest,
    returns=wire.WholeDraft,
    limit="rulebook",
    status=201,
)
def begin(call: Call) -> wire.WholeDraft:
    """Begin a draft on top of a revision."""
    call.noted = call.body.name[:100]
    return _told(call, drafting.begin(call.data, call.body, call.who().name))


@endpoints.add("GET", _ONE, role="viewer", returns=wire.WholeDraft)
def show(call: Call) -> wire.WholeDraft:
    """A draft with its documents and objects; its ETag is what a save must name."""
    return _told(call, drafting.need(call.data, call.path["id"]))


@endpoints.add(
    "PUT", _ONE, role="author", body=wire.DraftFiles, returns=wire.WholeDraft, limit="rulebook", seen="exact"
)
def save(call: Call) -> wire.WholeDraft:
    """Save a draft's documents; refused when somebody else saved in between."""
    draft = drafting.save(call.data, call.path["id"], seen_version(call), call.body.files, call.who().name)
    return _told(call, draft)


@endpoints.add(
    "POST",
    f"{_ONE}/objects",
    role="author",
    body=wire.ObjectRequest,
    returns=wire.ObjectSaved,
    limit="rulebook",
    seen="exact",
)
def put_object(call: Call) -> wire.ObjectSaved:
    """Put one object of a draft, or take it out; the rest of the documents stays as it is."""
    call.noted = call.body.path[:200]
    saved = drafting.put_object(call.data, call.path["id"], seen_version(call), call.body, call.who().name)
    call.etag = f'"{saved.info.version}"'
    return saved


@endpoints.add(
    "POST", f"{_ONE}/patterns", role="author", body=wire.PatternRequest, returns=wire.ObjectSaved, seen="exact"
)
def add_from_pattern(call: Call) -> wire.ObjectSaved:
    """Add a policy to a draft from a pattern; it begins in shadow."""
    call.noted = f"{call.body.id[:100]} from {call.body.pattern[:60]}"
    saved = pattern_policies.add(call.data, call.path["id"], seen_version(call), call.body, call.who().name)
    call.noted = f"{saved.path} from {call.body.pattern}"
    call.etag = f'"{saved.info.version}"'
    return saved


@endpoints.add(
    "POST", f"{_ONE}/accepted", role="author", body=wire.AcceptRequest, returns=wire.ObjectSaved, seen="exact"
)
def accept(call: Call) -> wire.ObjectSaved:
    """Have a draft say that a finding stands, with the reason."""
    call.noted = f"{call.body.code[:60]} at {call.body.object[:100]}: {call.body.because[:200]}"
    saved = accepted_findings.accept(call.data, call.path["id"], seen_version(call), call.body, call.who().name)
    call.etag = f'"{saved.info.version}"'
    return saved


@endpoints.add(
    "POST",
    f"{_ONE}/patterns/covers",
    role="author",
    body=wire.PatternScope,
    returns=wire.PatternCovers,
    changes=False,
)
def pattern_covers(call: Call) -> wire.PatternCovers:
    """How many people and apps a policy from a pattern would cover, with the blanks as they are filled so far."""
    return pattern_scope.covers(call.data, call.runtime.covering, call.path["id"], call.body)


@endpoints.add("GET", "/api/v1/rulebook/patterns", role="viewer", returns=wire.PatternList)
def pattern_list(_call: Call) -> wire.PatternList:
    """The patterns that policies are written from: sentences with blanks."""
    return pattern_policies.pattern_list()


@endpoints.add("POST", f"{_ONE}/move", role="author", body=wire.MoveRequest, returns=wire.Moved, seen="exact")
def move(call: Call) -> wire.Moved:
    """Move a draft onto the current revision; with conflicts nothing is moved, and they are told."""
    return drafting.move(call.data, call.path["id"], seen_version(call), call.body, call.who().name)


@endpoints.add(
    "POST", f"{_ONE}/publish", role="publisher", body=wire.PublishDraft, returns=PublishResult, status=201, seen="exact"
)
def publish(call: Call) -> PublishResult:
    """Publish a draft as the next revision."""
    _prove_again(call)
    name, by = call.path["id"], call.who().name
    made = drafting.publish(call.data, call.runtime.publisher, name, seen_version(call), call.body, by)
    call.noted = f"revision {made.revision.number}: {made.revision.why}"
    return made


@endpoints.add("POST", f"{_ONE}/plan", role="publisher", body=wire.PlanRequest, returns=wire.DraftInfo, seen="exact")
def plan(call: Call) -> wire.DraftInfo:
    """Have a draft published at a time; it is checked now, and again when it is due."""
    _prove_again(call)
    who = call.who()
    made = call.runtime.planner.plan(call.path["id"], seen_version(call), call.body, who.name, who.token)
    call.noted = f"at {call.body.at[:40]}: {call.body.why[:300]}"
    return drafting.info(call.data, made)


@endpoints.add("DELETE", f"{_ONE}/plan", role="publisher", returns=wire.DraftInfo)
def unplan(call: Call) -> wire.DraftInfo:
    """Take back when a draft was to be published."""
    return drafting.info(call.data, call.runtime.planner.unplan(call.path["id"]))


@endpoints.add("POST", f"{_ONE}/shadow", role="publisher", body=wire.ShadowRequest, returns=wire.DraftInfo)
def shadow(call: Call) -> wire.DraftInfo:
    """Have live decisions logged with a draft's outcome too, or no more."""
    call.noted = "on" if call.body.on else "off"
    seen = seen_version(call) if call.body.on else 0
    return drafting.info(call.data, drafting.shadow(call.data, call.path["id"], seen, call.body))


@endpoints.add("GET", f"{_ONE}/shadow", role="viewer", returns=wire.ShadowReport)
def shadow_report(call: Call) -> wire.ShadowReport:
    """What a draft in shadow would have made of the live decisions since it is."""
    return call.runtime.shadows.report(call.path["id"])


@endpoints.add("DELETE", _ONE, role="author", returns=wire.DraftList)
def discard(call: Call) -> wire.DraftList:
    """Discard a draft; it can be recovered."""
    drafting.need(call.data, call.path["id"])
    call.data.drafts.discard(call.path["id"], call.data.clock())
    return _all(call)


@endpoints.add("POST", f"{_ONE}/recover", role="author", returns=wire.WholeDraft)
def recover(call: Call) -> wire.WholeDraft:
    """Take up a discarded draft again."""
    if not call.data.drafts.discard(call.path["id"], None):
        raise not_found("discarded draft of that name", "see caddrel draft list")
    return _told(call, drafting.need(call.data, call.path["id"]))
