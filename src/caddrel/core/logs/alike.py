"""Deciding the attempts of a log: those between which the rulebook sees no difference are decided once."""

from __future__ import annotations

from itertools import count
from typing import Any

from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.decide.decision import Decision
from caddrel.core.facts.bundles import GROUPS
from caddrel.core.facts.bundling import Bundle, Bundled
from caddrel.core.facts.completion import TO_COME

MOST_REMEMBERED = 50_000


class Alike:
    """Decides attempts of a log under one rulebook; their references are put in later.

    Parameters
    ----------
    compiled
        The rulebook; bundles must be completed under the same.
    """

    def __init__(self, compiled: CompiledRulebook) -> None:
        self._compiled = compiled
        self._of_group, self._of_own = compiled.likeness.of_group, compiled.likeness.of_own
        self._numbers: dict[Any, int] = {}
        self._next = count(1)
        self._decided: dict[Any, Decision] = {}

    def decide(self, attempt: Bundled) -> Decision:
        """Return the decision on an attempt whose signals have been worked out: the same object for those alike."""
        person, app, device, network, told, _ = attempt.bundles
        signals = attempt.signals
        key = (
            person.like or self._number(0, person),
            app.like or self._number(1, app),
            device.like or self._number(2, device),
            network.like or self._number(3, network),
            told.like or self._number(4, told),
            signals, getattr(signals, "open", None),
            self._of_own(attempt.at, attempt.ages, attempt.methods, attempt.default_age),
        )  # fmt: skip
        found = self._decided.get(key)
        if found is None:
            if len(self._decided) > MOST_REMEMBERED:
                self._decided.clear()
            facts = attempt.facts
            facts.reference = TO_COME
            found = self._decided[key] = self._compiled.decide(facts)
        return found

    def _number(self, place: int, bundle: Bundle) -> int:
        """Return the number that all bundles of a group have in which the same is seen."""
        seen = (place, self._of_group(GROUPS[place], bundle.facts))
        number = self._numbers.get(seen)
        if number is None:
            if len(self._numbers) > MOST_REMEMBERED:
                self._numbers.clear()
            # Never one that was given before: bundles keep theirs.
            number = self._numbers[seen] = next(self._next)
        bundle.like = number
        return number
