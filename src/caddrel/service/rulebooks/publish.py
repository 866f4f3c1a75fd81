"""Checking and publishing rulebooks, and describing revisions."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import replace

from caddrel.core.decide.cost import cost_diagnostic
from caddrel.core.decide.decision import MEANING
from caddrel.core.diagnostics import Diagnostic, RulebookError
from caddrel.core.lint.context import Context
from caddrel.core.lint.registry import lint
from caddrel.core.lint.rehearsals import FAILS, Kept, kept
from caddrel.core.lint.rehearsals import check as rehearsals_check
from caddrel.core.lockout_check import check as lockout
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.rulebook.read.rulebook import ReadResult, read_rulebook
from caddrel.core.rulebook.source import Source
from caddrel.service.problems import ServiceError, diagnostic
from caddrel.service.rulebooks.findings import Findings, reported
from caddrel.service.rulebooks.turned import turned
from caddrel.service.state.context import State
from caddrel.service.state.data_folder import DataFolder
from caddrel.service.state.rulebook_cost import check_cost, cost_view
from caddrel.store.revisions import Revision
from caddrel.wire import rulebooks as wire
from caddrel.wire.decisions import File, RuleRef
from caddrel.wire.proofs import GuaranteeAnswer

MOST_FILES = 500
# Proves the guarantees of documents.
Proofs = Callable[[Sequence[File]], Sequence[GuaranteeAnswer]]
# An answer holds so many diagnostics, and tells how many more there are.
MOST_FINDINGS = 200


def read_files(files: Sequence[File]) -> ReadResult:
    """Read documents that came with a request."""
    if not 1 <= len(files) <= MOST_FILES:
        raise ServiceError(422, "no-files", f"send 1 to {MOST_FILES} files")
    return read_rulebook([Source(file.name[:200] or "rulebook.yaml", file.text) for file in files])


def check(state: State, files: Sequence[File], base: int | None = None) -> wire.CheckResult:
    """Return everything that checking finds: errors, else what is doubtful.

    Parameters
    ----------
    base
        The revision on which it is built; the current one when None.
    """
    result = read_files(files)
    found = [diagnostic(d) for d in result.diagnostics]
    if result.rulebook is None:
        return wire.CheckResult(False, found[:MOST_FINDINGS], 0, more=len(found[MOST_FINDINGS:]))
    cost = cost_view(state.costs, result.rulebook)
    if not cost.fits:
        found.append(diagnostic(cost_diagnostic(state.costs.of(result.rulebook))))
        return wire.CheckResult(False, found[:MOST_FINDINGS], 0, more=len(found[MOST_FINDINGS:]), cost=cost)
    inventory = state.inventories.current()
    context = Context(result.rulebook, inventory, reported(state.signins, inventory), state.clock().date())
    found += [diagnostic(d) for d in lint(context)]
    found += [diagnostic(d) for d in lockout.diagnostics(lockouts(state, result.rulebook))]
    rehearsed = list(kept(context))
    by = _turned(state, base, files, rehearsed)
    told = [
        wire.KeptRehearsal(
            each.rehearsal.id,
            each.rehearsal.title or each.rehearsal.id,
            each.rehearsal.expected,
            each.outcome,
            each.ok,
            [RuleRef(ref.policy, ref.rule) for ref in each.decides] if not each.ok else [],
            by.get(each.rehearsal.id, []),
        )
        for each in rehearsed
    ]
    more = len(found[MOST_FINDINGS:])
    return wire.CheckResult(True, found[:MOST_FINDINGS], len(result.rulebook.policies), told, more, cost)


def _turned(
    state: State, base: int | None, files: Sequence[File], rehearsed: Iterable[Kept]
) -> Mapping[str, list[str]]:
    return turned(state, base, [(file.name, file.text) for file in files], [each for each in rehearsed if not each.ok])


class Publisher:
    """Publishes what has been examined; one for the whole service."""

    def __init__(self, data: DataFolder, findings: Findings, proofs: Proofs) -> None:
        self._data = data
        self._findings = findings
        self._proofs = proofs

    def examine(self, request: wire.PublishRequest) -> tuple[ReadResult, str]:
        """Work as `examine` does."""
        return examine(self._data, request, self._proofs)

    def publish(self, request: wire.PublishRequest, by: str) -> wire.PublishResult:
        """Publish documents as the next revision.

        Raises
        ------
        RulebookError
            When they have errors; nothing is published then.
        Conflict
            When another revision than the one named as base is current.
        """
        # Of several who publish at once on what is current one wins, also when none of them said on what.
        base = request.base if request.base is not None else self._data.revisions.current_number() or 0
        return self.publish_examined(request, by, base)

    def publish_examined(
        self, request: wire.PublishRequest, by: str, base: int, draft: tuple[str, int] | None = None
    ) -> wire.PublishResult:
        """Publish documents on top of a revision, after examining them.

        Parameters
        ----------
        draft
            The name and version of the draft that they are of; it counts as published then.

        Raises
        ------
        ServiceError
            Also when a draft has changed nothing. Documents that are in no draft may say the very same.
        """
        result, override = self.examine(request)
        why = request.why.strip()
        files = [(file.name[:200] or "rulebook.yaml", file.text) for file in request.files]
        current = self._data.rulebooks.current()
        if current is not None and says_the_same(current.revision, files, base):
            # A revision in which nothing changes would bury those in which something did.
            if draft is not None:
                raise nothing_changed(current.revision.number)
            return wire.PublishResult(
                info(current.revision, current.revision.number), [diagnostic(d) for d in result.diagnostics], True
            )
        if result.rulebook is not None:
            coming = Revision(base + 1, self._data.clock(), by, why, "", tuple(files), override, MEANING)
            self._data.rulebooks.prepare(coming, result.rulebook, result.diagnostics)
        revision = self._data.revisions.publish(files, by, why, self._data.clock(), base, override, draft)
        found = [*result.diagnostics, *self._findings.of(self._data.rulebooks.get(revision.number))]
        return wire.PublishResult(info(revision, revision.number), [diagnostic(d) for d in found])


def nothing_changed(number: int) -> ServiceError:
    """Return the refusal of a draft that says what the current revision says."""
    said = f"the draft says what revision {number} says already"
    return ServiceError(409, "nothing-changed", said, "change something, or discard the draft")


def says_the_same(current: Revision, files: list[tuple[str, str]], base: int) -> bool:
    """Tell whether the revision that is current says the very same, and means it by what decisions mean now."""
    return base == current.number and current.meaning == MEANING and list(current.files) == files


def examine(data: State, request: wire.PublishRequest, proofs: Proofs) -> tuple[ReadResult, str]:
    """Return what was read, and why risks that there are were accepted; empty where there were none.

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
    check_cost(data.costs, result.rulebook)
    override, failing_all_the_same = request.accept_lockout_risk.strip(), request.accept_failing_rehearsals.strip()
    if max(map(len, (override, failing_all_the_same, request.accept_failing_guarantees))) > 1000:
        raise ServiceError(422, "no-why", "say why in at most 1000 characters")
    risks = [*_keys_lost(data, result.rulebook), *lockout.diagnostics(lockouts(data, result.rulebook))]
    if risks and not override:
        hint = "mend it, or give the reason why the risk of a lock-out is accepted"
        raise ServiceError(409, "lockout-risk", _count_risks(risks), hint, risks[:20])
    context = Context(result.rulebook, data.inventories.current())
    failing = [found for found in rehearsals_check(context) if found.code == FAILS]
    if failing and not failing_all_the_same:
        by = _turned(data, request.base, request.files, kept(context))
        failing = [_with_changes(found, by) for found in failing]
        many = "a kept rehearsal does" if len(failing) == 1 else f"{len(failing)} kept rehearsals do"
        hint = "mend them, or give the reason why it is published all the same"
        raise ServiceError(
            409, "rehearsals-fail", f"{many} not give what they must; nothing was published", hint, failing[:20]
        )
    broken = _broken(result.rulebook, request, proofs)
    unproven = request.accept_failing_guarantees.strip()
    if broken and not unproven:
        many = "a guarantee does" if len(broken) == 1 else f"{len(broken)} guarantees do"
        hint = "mend it, or give the reason why it is published all the same"
        raise ServiceError(409, "guarantees-fail", f"{many} not hold; nothing was published", hint, broken[:20])
    # Only where there was a risk to accept: else the history would say that somebody took one.
    accepted = [
        (risks, override), (failing, f"failing rehearsals: {failing_all_the_same}"),
        (broken, f"failing guarantees: {unproven}"),
    ]  # fmt: skip
    return result, "; ".join(reason for found, reason in accepted if found)


def _broken(rulebook: Rulebook, request: wire.PublishRequest, proofs: Proofs) -> list[Diagnostic]:
    """Return the guarantees that fail, or of which it cannot be told in time."""
    if not rulebook.guarantees:
        return []
    found = []
    for answer in proofs(request.files):
        if answer.answer == "holds":
            continue
        example = answer.counterexample
        story = "".join(piece.text for piece in example.story) if example is not None else "it cannot be told in time"
        path = f"guarantees.{answer.guarantee}"
        message = f"{answer.title} {answer.answer}: {story}"
        found.append(Diagnostic("guarantees-fail", message, span=rulebook.spans.get(path), path=path))
    return found


def _with_changes(found: Diagnostic, by: Mapping[str, list[str]]) -> Diagnostic:
    """Return a finding about a rehearsal with the changes that turned it."""
    paths = by.get(found.path.partition(".")[2], [])
    said = f"turned by the change of {', '.join(paths)}. " if paths else ""
    return replace(found, hint=f"{said}{found.hint}")


def _keys_lost(data: State, rulebook: Rulebook) -> list[Diagnostic]:
    """Return the finding that nobody would hold keys any more, where somebody does now."""
    current, inventory, now = data.rulebooks.current(), data.inventories.current(), data.clock()
    if current is None or not lockout.keyholders_of(current.rulebook, inventory, now):
        return []
    if lockout.keyholders_of(rulebook, inventory, now):
        return []
    hint = "keep at least two accounts under `settings.keyholders`"
    message = "nobody would hold keys any more: a later mistake could lock everyone out"
    return [Diagnostic("lockout-risk", message, hint, severity="warning", path="settings.keyholders")]


def _count_risks(risks: Sequence[Diagnostic]) -> str:
    people = len({risk.path for risk in risks})
    who = "somebody who must always get in" if people == 1 else f"{people} people who must always get in"
    return f"{who} could not any more; nothing was published"


def lockouts(state: State, rulebook: Rulebook) -> list[lockout.LockedOut]:
    """Return which keyholders and administrators could not get in any more under a rulebook, who can now."""
    current = state.rulebooks.current()
    return lockout.locked_out(
        state.costs.compiled(rulebook),
        state.inventories.current(),
        state.clock(),
        state.addresses,
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
        revision.meaning,
    )
