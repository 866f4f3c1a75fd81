"""The ways in which the values of a variable are told apart, and those that differ in one fact alone.

Of very many objects most are told apart by nothing that is asked: one stands for all of those, and what differs is
found among all without holding each against each.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass
from itertools import combinations
from operator import itemgetter
from typing import Any, Final

from caddrel.core.facts.types import Value

Tests = Sequence[Callable[[Any], Any]]


class _Missing:
    """Stands where a value says nothing of a fact."""


_MISSING: Final = _Missing()


@dataclass(frozen=True, slots=True)
class Ways:
    """All values of a variable: of each the place of the one that stands for it, and what it says of every key."""

    keys: Sequence[Any]
    said: Sequence[tuple[int, tuple[Any, ...]]]

    def differing(self, name: str, free: Collection[str], word: str = "") -> set[tuple[int, int]]:
        """Return the places that stand for values which differ in a fact, and else in free facts at most.

        Parameters
        ----------
        name
            The fact. Where both say nothing of it, it is left to vary by itself.
        word
            What one of the two has for it; anything where it is empty.
        """
        kept = [i for i, key in enumerate(self.keys) if fact_of(key) != name and fact_of(key) not in free]
        mine = self.keys.index(name) if name in self.keys else None
        rest_of = itemgetter(*kept) if kept else lambda _said: ()
        # Values that are the same in everything else stand together.
        together: dict[Any, list[tuple[int, tuple[Any, ...]]]] = {}
        for each in self.said:
            together.setdefault(rest_of(each[1]), []).append(each)
        found: set[tuple[int, int]] = set()
        for group in together.values():
            if len(group) == 1:
                continue
            own: dict[int, set[Any]] = {}
            for place, said in group:
                own.setdefault(place, set()).add(said[mine] if mine is not None else _MISSING)
            for (a, one), (b, other) in combinations(own.items(), 2):
                if _with_word(one, other, word) if word else _differ(one, other):
                    found.add((min(a, b), max(a, b)))
        return found


def _differ(one: set[Any], other: set[Any]) -> bool:
    return len(one | other) > 1 or _MISSING in one


def _with_word(one: set[Any], other: set[Any], word: str) -> bool:
    return (word in one and bool(other - {word})) or (word in other and bool(one - {word}))


def fact_of(key: Any) -> str:
    """Return the fact of a key: a member of a set, or a method, is named with its fact."""
    return str(key[0] if isinstance(key, tuple) else key)


def ways(
    values: Sequence[Mapping[Any, Any]], told_apart: Callable[[Any, Any], Any], places: Sequence[int] | None = None
) -> Ways:
    """Return the ways of values.

    Parameters
    ----------
    told_apart
        What is held against others of the value of a key.
    places
        Of each value the place of the one that stands for it; each stands for itself without it.
    """
    keys = list(dict.fromkeys(key for value in values for key in value))
    said = [
        tuple([told_apart(key, value[key]) if key in value else _MISSING for key in keys]) for value in values
    ]  # fmt: skip
    return Ways(keys, list(zip(range(len(values)) if places is None else places, said, strict=True)))


def standing_for(values: Sequence[Mapping[Any, Any]], tellings: Mapping[Any, Tests]) -> tuple[list[Any], list[int]]:
    """Return the first value of every way in which tests come out, and of each value the place of the one like it.

    Parameters
    ----------
    tellings
        All tests that anything asks of each key. What is asked of none of a value's keys tells no values apart.
    """
    ways_of = [(key, _Memo(tests)) for key, tests in tellings.items() if tests]
    kept: list[Any] = []
    places: list[int] = []
    seen: dict[tuple[Any, ...], int] = {}
    for value in values:
        way = tuple([memo(value[key]) if key in value else None for key, memo in ways_of])
        place = seen.setdefault(way, len(kept))
        if place == len(kept):
            kept.append(value)
        places.append(place)
    return kept, places


class _Memo:
    """How tests come out, asked once of each value."""

    def __init__(self, tests: Tests) -> None:
        self._tests = tests
        self._known: dict[Value, tuple[Any, ...]] = {}

    def __call__(self, value: Value) -> tuple[Any, ...]:
        found = self._known.get(value)
        if found is None:
            found = self._known[value] = tuple([test(value) for test in self._tests])
        return found
