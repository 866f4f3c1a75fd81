"""Checking and publishing rulebooks, and describing revisions."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.diagnostics import Diagnostic, RulebookError
from caddrel.core.lint.finding import Context
from caddrel.core.lint.registry import lint
from caddrel.core.lint.rehearsals import kept
from caddrel.core.reach import lockout
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.rulebook.reader import ReadResult, read_rulebook
from caddrel.core.rulebook.source import Source
from caddrel.service.errors import ServiceError, diagnostic
from caddrel.store.revisions import Revision
from caddrel.wire import rulebooks as wire
from caddrel.wire.decisions import File

if TYPE_CHECKING:
    from caddrel.service.deps import Deps

MOST_FILES = 500


def read_files(files: Sequence[File]) -> ReadResult:
    """Read documents that came with a request."""
    if not 1 <= len(files) <= MOST_FILES:
        raise ServiceError(422, "no-files", f"send 1 to {MOST_FILES} files")
    return read_rulebook([Source(file.name[:200] or "rulebook.yaml", file.text) for file in files])


def check(deps: Deps, files: Sequence[File]) -> wire.CheckResult:
    """Return everything that checking finds: errors, else what is doubtful."""
    result = read_files(files)
    found = [diagnostic(d) for d in result.diagnostics]
    if result.rulebook is None:
        return wire.CheckResult(False, found, 0)
    context = Context(result.rulebook, deps.inventories.current())
    found += [diagnostic(d) for d in lint(context)]
    found += [diagnostic(d) for d in lockout.diagnostics(lockouts(deps, result.rulebook))]
    rehearsed = [
        wire.KeptRehearsal(each.id, each.title or each.id, each.expect, explained.decision.outcome)
        for each, explained in kept(context)
    ]
    return wire.CheckResult(True, found, len(result.rulebook.policies), rehearsed)


def publish(deps: Deps, request: wire.PublishRequest, by: str) -> wire.PublishResult:
    """Publish documents as the next revision.

    Raises
    ------
    RulebookError
        When they have errors; nothing is published then.
    Conflict
        When another revision than the one named as base is current.
    """
    result, override, risks = examine(deps, request)
    why = request.why.strip()
    files = [(file.name[:200] or "rulebook.yaml", file.text) for file in request.files]
    # Only where there was a risk to accept: else the history would say that somebody took one.
    revision = deps.revisions.publish(files, by, why, deps.clock(), request.base, override if risks else "")
    found = [*result.diagnostics, *deps.findings(deps.rulebooks.get(revision.number))]
    return wire.PublishResult(info(revision, revision.number), [diagnostic(d) for d in found])


def examine(deps: Deps, request: wire.PublishRequest) -> tuple[ReadResult, str, list[Diagnostic]]:
    """Return what was read, why a lock-out risk is accepted, and the risks that there are.

    Raises
    ------
    RulebookError
        When the documents have errors.
    ServiceError
        When they could not be published as asked.
    """
    why = request.why.strip()
    if not why or len(why) > 1000:
        raise ServiceError(422, "no-why", "say why, in 1 to 1000 characters", 'such as "Tablets need the May patch"')
    result = read_files(request.files)
    if result.rulebook is None:
        raise RulebookError(result.diagnostics)
    override = request.accept_lockout_risk.strip()
    if len(override) > 1000:
        raise ServiceError(422, "no-why", "say why in at most 1000 characters")
    risks = lockout.diagnostics(lockouts(deps, result.rulebook))
    if risks and not override:
        hint = "mend it, or give the reason why the risk of a lock-out is accepted"
        raise ServiceError(409, "lockout-risk", _count_risks(risks), hint, risks[:20])
    return result, override, risks


def _count_risks(risks: Sequence[Diagnostic]) -> str:
    people = len({risk.path for risk in risks})
    who = "somebody who must always get in" if people == 1 else f"{people} people who must always get in"
    return f"{who} could not any more; nothing was published"


def lockouts(deps: Deps, rulebook: Rulebook) -> list[lockout.LockedOut]:
    """Return which keyholders and administrators could not get in any more under a rulebook, who can now."""
    current = deps.rulebooks.current()
    return lockout.locked_out(
        CompiledRulebook(rulebook),
        deps.inventories.current(),
        deps.clock(),
        deps.addresses,
        current.compiled if current is not None else None,
    )


def info(revision: Revision, current: int | None) -> wire.RevisionInfo:
    """Return what is told about a revision."""
    return wire.RevisionInfo(
        revision.number,
        revision.published_at.isoformat(),
        revision.published_by,
        revision.why,
        revision.digest,
        revision.number == current,
        revision.override,
    )
