"""Deciding the attempts of a log: those between which the rulebook sees no difference are decided once."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import count
from typing import Any

from caddrel.core.columnar.attempt import Bundle, Bundled
from caddrel.core.columnar.equivalence import Likeness
from caddrel.core.columnar.fact_groups import GROUPS
from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.decide.decision import Decision
from caddrel.core.facts.facts import TO_COME

MOST_REMEMBERED = 50_000


class Kinds:
    """Numbers attempts: between those of one number a rulebook sees no difference, but for signals worked out later.

    Parameters
    ----------
    likeness
        What the rulebook sees; bundles must be completed under the same.
    first
        The first number to be given. Numbers given by two of these must never be the same, where one `Alike` decides.
    """

    def __init__(self, likeness: Likeness, first: int = 1) -> None:
        self._of_group, self._of_own = likeness.of_group, likeness.of_own
        self._likes: dict[Any, int] = {}
        self._kinds: dict[Any, int] = {}
        self._next = count(first)

    def number(self, attempts: Sequence[Bundled]) -> None:
        """Give attempts their numbers."""
        groups = list(zip(*[attempt.bundles for attempt in attempts], strict=True))
        of_own = self._of_own
        own = [of_own(each.at, each.ages, each.methods, each.default_age) for each in attempts]
        likes = [
            [bundle.like or self._like(i, bundle) for bundle in group] for i, group in enumerate(groups[:_SIGNALS])
        ]
        for attempt, key in zip(attempts, zip(*likes, own, strict=True), strict=True):
            attempt.kind = self._kinds.get(key) or self._kind(key)

    def _kind(self, key: Any) -> int:
        if len(self._kinds) > MOST_REMEMBERED:
            self._kinds.clear()
        # Never one that was given before: attempts keep theirs, and so do bundles.
        found = self._kinds[key] = next(self._next)
        return found

    def _like(self, place: int, bundle: Bundle) -> int:
        """Return the number that all bundles of a group have in which the same is seen."""
        seen = (place, self._of_group(GROUPS[place], bundle.facts))
        number = self._likes.get(seen)
        if number is None:
            if len(self._likes) > MOST_REMEMBERED:
                self._likes.clear()
            number = self._likes[seen] = next(self._next)
        bundle.like = number
        return number


class Alike:
    """Decides attempts of a log under one rulebook; their references are put in later."""

    def __init__(self, compiled: CompiledRulebook) -> None:
        self._compiled = compiled
        self._decided: dict[Any, Decision] = {}

    def decide(self, attempt: Bundled) -> Decision:
        """Return the decision on an attempt that has its number and its signals: the same object for those alike."""
        signals = attempt.signals
        key = (attempt.kind, signals, getattr(signals, "open", None))
        found = self._decided.get(key)
        if found is None:
            if len(self._decided) > MOST_REMEMBERED:
                self._decided.clear()
            facts = attempt.facts
            facts.reference = TO_COME
            found = self._decided[key] = self._compiled.decide(facts)
        return found


_SIGNALS = GROUPS.index("signals")
