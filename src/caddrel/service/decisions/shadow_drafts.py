"""Drafts in shadow: what each would have made of live decisions, worked out once those are answered.

In a thread of its own, so that no door waits for it; each draft as a publisher put it in shadow, whatever has been
saved since, and only where it was in shadow when the attempt was answered. When it cannot keep up, attempts are passed
over and counted.
"""

from __future__ import annotations

import queue
from collections.abc import Mapping, Sequence, Set
from datetime import datetime
from typing import Any, NamedTuple

import structlog

from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.facts.attempts import AttemptRefused
from caddrel.core.facts.facts import Facts, Origin
from caddrel.core.facts.values import show_moment
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source
from caddrel.service.auth.callers import Caller
from caddrel.service.decisions.live_facts import Present, live_attempt
from caddrel.service.decisions.work_queue import Stopped, Together
from caddrel.service.rulebooks.drafts import need
from caddrel.service.signins.signal_history import notice_now
from caddrel.service.state.data_folder import DataFolder
from caddrel.store.draft_outcomes import DraftOutcome
from caddrel.wire import drafts as wire

MOST_WAITING = 2_000
TOGETHER = 500
# Seconds between two commits: nobody waits for them.
APART = 0.2
_log = structlog.get_logger("caddrel.shadows")


class Shadowed(NamedTuple):
    """A live attempt that was answered: what its door claimed, and what it was decided on."""

    id: str
    at: datetime
    caller: Caller
    claims: Mapping[str, Any]
    rulebook: Rulebook
    facts: Facts


# A draft by its name, as it was put in shadow by its version.
_Draft = tuple[str, int]


class _Waiting(NamedTuple):
    """An attempt with the drafts that were in shadow when it was answered."""

    attempt: Shadowed
    drafts: Sequence[_Draft]


def _reads_alike(one: Rulebook, other: Rulebook) -> bool:
    """Tell whether an attempt has the same facts under two rulebooks.

    What a rulebook adds to an attempt hangs on its catalogue, what it assumes, its notices and its signals alone: the
    inventory and the log are the same for both. Of what may hang on more, whether somebody is locked out, drafts take
    what was found when it was decided.
    """
    return (
        one.catalogue.attributes == other.catalogue.attributes
        and one.settings.assume == other.settings.assume
        and one.notices == other.notices
        and one.signals == other.signals
    )


class Shadows:
    """Decides live attempts under the drafts in shadow; one for the whole service.

    Attributes
    ----------
    passed_over
        How often an attempt was not decided under a draft: too many waited, or the draft was there no more.
    """

    def __init__(self, data: DataFolder) -> None:
        self._data = data
        self._waiting = Together("caddrel-shadows", self._decide, MOST_WAITING, TOGETHER, APART)
        self._ready: dict[_Draft, CompiledRulebook | None] = {}
        self.passed_over = 0

    def put(self, attempt: Shadowed) -> None:
        """Have an attempt decided under the drafts that are in shadow, if there are any."""
        drafts = self._data.drafts.in_shadow()
        if not drafts:
            return
        try:
            self._waiting.put(_Waiting(attempt, drafts))
        except queue.Full:
            self.passed_over += 1
        except Stopped:
            return

    def report(self, name: str) -> wire.ShadowReport:
        """Return what a draft in shadow would have made of the live decisions since it is."""
        draft = need(self._data, name)
        if draft.shadowed is None:
            return wire.ShadowReport(None, [])
        self.settle()
        flows = [wire.ShadowFlow(*flow) for flow in self._data.draft_outcomes.flows(name, draft.shadowed)]
        return wire.ShadowReport(show_moment(draft.shadowed), flows)

    @property
    def waiting(self) -> int:
        """How many attempts wait to be decided."""
        return self._waiting.waiting

    def settle(self) -> None:
        """Wait until everything that was put is decided and stored."""
        self._waiting.settle()

    def stop(self) -> None:
        """Store what waits, and take nothing more."""
        self._waiting.stop()

    def _decide(self, waiting: list[_Waiting]) -> None:
        try:
            self._store(waiting)
        except Exception as error:  # noqa: BLE001 - a full disk or a bad draft stops nobody's sign-in
            self.passed_over += len(waiting)
            _log.error("shadow.failed", exc_info=error)

    def _store(self, waiting: list[_Waiting]) -> None:
        ready = self._drafts({draft for each in waiting for draft in each.drafts})
        # What was put in shadow anew before these came to be decided is there in its new version alone.
        self.passed_over += sum(draft not in ready for each in waiting for draft in each.drafts)
        outcomes = [
            DraftOutcome(draft[0], attempt.at, attempt.id, outcome)
            for attempt, drafts in waiting
            for draft in drafts
            if (compiled := ready.get(draft)) is not None and (outcome := self._outcome(compiled, attempt)) is not None
        ]
        self._data.draft_outcomes.add(outcomes)

    def _outcome(self, compiled: CompiledRulebook, attempt: Shadowed) -> str | None:
        rulebook = compiled.rulebook
        if _reads_alike(rulebook, attempt.rulebook):
            return compiled.outcome(attempt.facts)
        try:
            present = Present.of(self._data, rulebook, attempt.at)
            facts = live_attempt(present, attempt.claims, attempt.caller).facts
        except AttemptRefused:
            # The draft knows a fact no more, or otherwise: it would refuse to decide.
            return None
        locked_out = attempt.facts.values.get("auth.locked_out")
        if locked_out is not None:
            facts.values["auth.locked_out"], facts.origins["auth.locked_out"] = locked_out, Origin.COMPUTED
        notice_now(self._data, rulebook, facts, attempt.id)
        return compiled.outcome(facts)

    def _drafts(self, wanted: Set[_Draft]) -> Mapping[_Draft, CompiledRulebook | None]:
        """Return drafts ready to decide, as far as they are at hand or still in shadow."""
        missing = {key for key in wanted if key not in self._ready}
        if missing:
            for draft in self._data.drafts.shadowed():
                key = (draft.name, draft.shadow_version or 0)
                if key in missing:
                    rulebook = read_rulebook([Source(name, text) for name, text in draft.shadow_files]).rulebook
                    self._ready[key] = None if rulebook is None else CompiledRulebook(rulebook)
            # One that was put in shadow anew meanwhile is wanted no more than by those that waited.
            kept = {*wanted, *self._data.drafts.in_shadow()}
            self._ready = {key: made for key, made in self._ready.items() if key in kept}
        return self._ready
