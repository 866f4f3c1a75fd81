"""Drafts in shadow: what each would have made of a live decision, logged beside it; nobody is stopped by it."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.facts.attempts import AttemptRefused
from caddrel.core.facts.completion import TO_COME, Facts
from caddrel.core.rulebook.model import Rulebook
from caddrel.service import drafting

if TYPE_CHECKING:
    from caddrel.service.deps import Deps


class Shadows:
    """The drafts in shadow, each made ready once for every version."""

    def __init__(self, deps: Deps) -> None:
        self._deps = deps
        self._turn = -1
        self._ready: dict[str, tuple[int, CompiledRulebook]] = {}

    def outcomes(self, facts_under: Callable[[Rulebook], Facts], id: str) -> dict[str, str]:
        """Return what every draft in shadow makes of an attempt, by name.

        Parameters
        ----------
        facts_under
            Completes the attempt's facts under a rulebook.
        id
            The attempt's id. The caller holds the log's lock.
        """
        found = {}
        for name, (_, compiled) in self._drafts().items():
            rulebook = compiled.rulebook
            try:
                facts = facts_under(rulebook)
            except AttemptRefused:
                # The draft knows a fact no more, or otherwise: it would refuse to decide.
                continue
            facts.reference = TO_COME
            self._deps.histories.look_back([rulebook])
            self._deps.histories.notice(rulebook, facts, id)
            found[name] = compiled.decide(facts).outcome
        return found

    def _drafts(self) -> dict[str, tuple[int, CompiledRulebook]]:
        turn = self._deps.drafts.turn
        if turn != self._turn:
            ready = {}
            for draft in self._deps.drafts.all():
                if draft.shadowed is None or draft.discarded is not None:
                    continue
                before = self._ready.get(draft.name)
                if before is not None and before[0] == draft.version:
                    ready[draft.name] = before
                    continue
                rulebook = drafting.read(self._deps, draft.name)
                if rulebook is not None:
                    ready[draft.name] = (draft.version, CompiledRulebook(rulebook))
                elif before is not None:
                    # While it has errors, its last good version goes on.
                    ready[draft.name] = before
            self._ready, self._turn = ready, turn
        return self._ready
