"""Endpoints of the rulebook."""

from __future__ import annotations

from collections.abc import Iterable

import msgspec

from caddrel.core.rulebook.starts import starts
from caddrel.service.authoring.object_reader import parts_of
from caddrel.service.http.endpoints import Param, Stream
from caddrel.service.problems import not_found
from caddrel.service.rulebooks import drafts as drafting
from caddrel.service.rulebooks import export as exporting
from caddrel.service.rulebooks import publish as publishing
from caddrel.service.rulebooks import revisions as revising
from caddrel.service.rulebooks import view as describing
from caddrel.service.state.titles import titled
from caddrel.service.tracing import trace as deciding
from caddrel.service.tracing.choices import fact_list
from caddrel.service.views.calls import Call, Endpoints
from caddrel.wire import authoring
from caddrel.wire import rulebooks as wire
from caddrel.wire.decisions import File

endpoints = Endpoints()
_FORM = Param("form", "One YAML document (when left out), or a ZIP of its documents.", words=("file", "folder"))
_REVISION = Param("revision", "A revision's number; the current one when left out.", 0, 999_999_999)


@endpoints.add("GET", "/api/v1/rulebook", role="viewer", returns=wire.Revision, params=[_REVISION])
def show(call: Call) -> wire.Revision:
    """A revision with its documents."""
    number = deciding.need_revision(call.query.get("revision", ""))
    current = call.data.rulebooks.need_current().revision
    revision = current if number is None else call.data.rulebooks.get(number).revision
    files = [File(name, text) for name, text in revision.files]
    return wire.Revision(publishing.info(revision, current.number), files)


@endpoints.add(
    "GET",
    "/api/v1/rulebook/export",
    role="viewer",
    returns=Stream,
    media=("application/yaml", "application/zip"),
    params=[_REVISION, _FORM],
)
def export(call: Call) -> Stream:
    """A revision's documents to keep: as one YAML file, or as a folder in a ZIP."""
    number = deciding.need_revision(call.query.get("revision", ""))
    published = call.data.rulebooks.need_current() if number is None else call.data.rulebooks.get(number)
    return exporting.export(published.revision, call.query.get("form", "file"))


@endpoints.add("GET", "/api/v1/rulebook/starts", role="viewer", returns=wire.StartList)
def rulebook_starts(_call: Call) -> wire.StartList:
    """Rulebooks to start from; every policy of them is in shadow."""
    return wire.StartList([wire.StartView(each.name, each.title, each.about, each.text) for each in starts()])


@endpoints.add("GET", "/api/v1/rulebook/view", role="viewer", returns=wire.RulebookView, params=[_REVISION])
def view(call: Call) -> wire.RulebookView:
    """A revision as sentences, rules and parts."""
    number = deciding.need_revision(call.query.get("revision", ""))
    current = call.data.rulebooks.need_current()
    published = current if number is None else call.data.rulebooks.get(number)

    def make() -> wire.RulebookView:
        rulebook = titled(published.rulebook, call.data.inventories.current())
        return describing.view(published, rulebook, current.revision.number, call.runtime.findings.of(published))

    return call.runtime.last_view.of(published.revision.number, current.revision.number, make)


@endpoints.add("GET", "/api/v1/rulebook/policies/<id>", role="viewer", returns=wire.PolicyView, params=[_REVISION])
def policy(call: Call) -> wire.PolicyView:
    """One policy of a revision."""
    number = deciding.need_revision(call.query.get("revision", ""))
    published = call.data.rulebooks.need_current() if number is None else call.data.rulebooks.get(number)
    found = published.rulebook.policies.get(call.path["id"])
    if found is None:
        raise not_found(f"policy `{call.path['id'][:80]}`", "see GET /api/v1/rulebook/view")
    rulebook = titled(published.rulebook, call.data.inventories.current())
    return describing.policy_view(found, rulebook, describing.lines_of(published.revision.files))


@endpoints.add("GET", "/api/v1/rulebook/revisions", role="viewer", returns=wire.RevisionList)
def revisions(call: Call) -> wire.RevisionList:
    """Every revision, newest first."""
    current = call.data.revisions.current_number()
    return wire.RevisionList([publishing.info(r, current) for r in call.data.revisions.all()])


@endpoints.add(
    "POST",
    "/api/v1/rulebook/check",
    role="viewer",
    body=wire.CheckRequest,
    returns=wire.CheckResult,
    limit="rulebook",
    heavy="check",
)
def check(call: Call) -> wire.CheckResult:
    """Check documents or a draft; nothing is kept."""
    body: wire.CheckRequest = call.body
    files = drafting.files_of(call.data, body.draft) if body.draft else body.files
    base = drafting.need(call.data, body.draft).base if body.draft else None
    return call.runtime.checker.do(_size(files), publishing.check, call.data, files, base)


def _size(files: Iterable[File] | None) -> int:
    return sum(len(file.text) for file in files or ())


def _prove_again(call: Call) -> None:
    """Have whoever publishes over a warning prove anew who they are."""
    body = call.body
    accepted = (body.accept_lockout_risk, body.accept_failing_rehearsals, body.accept_failing_guarantees)
    if any(reason.strip() for reason in accepted):
        call.proved_lately()


@endpoints.add(
    "POST",
    "/api/v1/rulebook/publish",
    role="publisher",
    body=wire.PublishRequest,
    returns=wire.PublishResult,
    limit="rulebook",
    status=201,
)
def publish(call: Call) -> wire.PublishResult:
    """Publish documents as the next revision; refused when they have errors, or lock out who must get in."""
    _prove_again(call)
    return _noted(call, call.runtime.publisher.publish(call.body, call.who().name))


@endpoints.add(
    "POST",
    "/api/v1/rulebook/restore",
    role="publisher",
    body=wire.RestoreRequest,
    returns=wire.PublishResult,
    status=201,
)
def restore(call: Call) -> wire.PublishResult:
    """Publish an earlier revision again, as the next one."""
    _prove_again(call)
    return _noted(call, revising.restore(call.data, call.runtime.publisher, call.body, call.who().name))


@endpoints.add(
    "POST",
    "/api/v1/rulebook/edits",
    role="publisher",
    body=authoring.EditRequest,
    returns=wire.PublishResult,
    status=201,
)
def edit(call: Call) -> wire.PublishResult:
    """Publish changes of single fields as one revision: modes of many policies, everyone instead of a pilot group."""
    _prove_again(call)
    return _noted(call, revising.edit(call.data, call.runtime.publisher, call.body, call.who().name))


def _noted(call: Call, made: wire.PublishResult) -> wire.PublishResult:
    """Have the audit trail say which revision came of it."""
    revision = made.revision
    risk = f"; lock-out risk accepted: {revision.override}" if revision.override else ""
    call.noted = (
        f"revision {revision.number}: {'unchanged, the text is the same' if made.unchanged else revision.why + risk}"
    )
    return made


@endpoints.add(
    "POST",
    "/api/v1/rulebook/compare",
    role="viewer",
    body=wire.CompareRequest,
    returns=wire.Comparison,
    limit="rulebook",
    heavy="compare",
)
def compare(call: Call) -> wire.Comparison:
    """What differs between two rulebooks, object by object, as text and in words."""
    body: wire.CompareRequest = call.body
    before, after = (
        msgspec.structs.replace(side, files=drafting.files_of(call.data, side.draft)) if side.draft else side
        for side in (body.before, body.after)
    )
    asked = wire.CompareRequest(before, after)
    return call.runtime.checker.do(_size(before.files) + _size(after.files), revising.compare, call.data, asked)


@endpoints.add(
    "GET", "/api/v1/facts", role="viewer", returns=wire.FactList, params=[Param("draft", "Those of a draft instead.")]
)
def facts(call: Call) -> wire.FactList:
    """The facts that the current rulebook knows, or a draft, with what can be chosen for them."""
    draft = call.query.get("draft", "")
    found = parts_of(call.data.drafted, drafting.objects_in(call.data, draft)) if draft else None
    rulebook = found or call.data.rulebooks.need_current().rulebook
    return fact_list(rulebook, call.data.inventories.current(), call.data.addresses)
