"""What a rulebook sees of an attempt: attempts between which it sees no difference have the same decision.

A decision follows from the tests that the rulebook makes, from which facts they lack, and from the few facts that
combining reads beside them. Each test asks one fact, or the network, or the moment. So what is seen of an attempt is
put together from what is seen of each group of facts that bundles keep, and of the facts that are each attempt's own.
"""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Callable, Hashable, Iterable, Iterator, Mapping
from datetime import UTC, datetime
from typing import Any

from caddrel.core.columnar.fact_groups import GROUPS, group_of
from caddrel.core.columnar.facts_read import COMBINING
from caddrel.core.columnar.own_facts import AGES, Ages
from caddrel.core.decide.compiled.named_parts import LISTS, Memo, Parts, State
from caddrel.core.decide.compiled.scopes import scope_condition
from caddrel.core.facts.facts import Facts
from caddrel.core.facts.types import FactType, PartlyRead
from caddrel.core.language.nodes import Condition, FactTest, items_of, tests_of
from caddrel.core.rulebook.model import PlaceParts, Rulebook

_FEW = (FactType.FLAG, FactType.WORD, FactType.LEVEL)
_SETS = (FactType.NAMES, FactType.METHODS)
_ORDERED = (FactType.VERSION, FactType.NUMBER, FactType.DURATION, FactType.MOMENT)
_OTHER = object()
_PARTS = ("networks", "countries", "anonymisers", "asns")
MOST_MINUTES = 50_000
# Before this, the offsets of zones from UTC had seconds; since then a minute is wholly in a window or wholly out.
_WHOLE_MINUTES = 1980
Reduce = Callable[[Any], Hashable]
# Takes the moment of an attempt; its ages; its methods with their ages in seconds, None when no ages were reported; and
# the age of the other methods.
SeenOfOwn = Callable[[datetime, Ages, Mapping[str, float | None] | None, float | None], tuple[Hashable, ...]]


class Likeness:
    """What a rulebook sees of attempts.

    Parameters
    ----------
    parts
        The states of its places, standards and schedules.
    """

    def __init__(self, rulebook: Rulebook, parts: Parts) -> None:
        self._rulebook = rulebook
        tests: dict[str, dict[FactTest, None]] = {name: {} for name in COMBINING}
        for condition in _conditions(rulebook):
            for test in tests_of(condition):
                if isinstance(test, FactTest):
                    tests.setdefault(test.fact, {})[test] = None
        limits = {name: _limits(asked) for name, asked in sorted(tests.items()) if not group_of(name)}
        self._groups: dict[str, list[tuple[str, Reduce]]] = {group: [] for group in GROUPS}
        for name, asked in sorted(tests.items()):
            if group_of(name) and name != "signals":
                self._groups[group_of(name)].append((name, self._reduce(name, asked, parts)))
        self._network = list(_network_states(rulebook, parts))
        formulas = [r.effect.formula for p in rulebook.policies.values() for r in p.rules if r.effect.formula]
        within = {item.within for formula in formulas for item in items_of(formula) if item.within is not None}
        self._schedules = list(rulebook.schedules.values())
        self._minutes: dict[int, int] = {}
        self.of_own = _seen_of_own(limits, sorted(within), self._turns if self._schedules else None)

    def of_group(self, group: str, facts: Facts) -> Hashable:
        """Return what is seen of one group of facts, as a bundle keeps them."""
        seen: list[Hashable] = [None if (v := facts.values.get(n)) is None else f(v) for n, f in self._groups[group]]
        if group == "app":
            seen += [facts.app_listed, facts.app_title]
        elif group == "network":
            memo: Memo = {LISTS: facts.lists}
            seen += [state(facts.values, memo) for state in self._network]
        return tuple(seen)

    def _turns(self, at: datetime) -> int:
        """Return which schedules are open, a bit for each; of a whole minute it is the same."""
        if at.tzinfo is not UTC or at.year < _WHOLE_MINUTES:
            return self._open(at)
        minute = (at.toordinal() * 24 + at.hour) * 60 + at.minute
        found = self._minutes.get(minute)
        if found is None:
            if len(self._minutes) > MOST_MINUTES:
                self._minutes.clear()
            found = self._minutes[minute] = self._open(at)
        return found

    def _open(self, at: datetime) -> int:
        return sum(1 << i for i, s in enumerate(self._schedules) if s.is_open(at.astimezone(s.zone)))

    def _reduce(self, name: str, tests: Iterable[FactTest], parts: Parts) -> Reduce:
        """Return what is seen of the values of a fact."""
        kind = self._rulebook.catalogue[name].type
        if name == "auth.methods":
            # Those that nobody understands tell too: beside them there may be any other.
            return lambda value: (frozenset(value), isinstance(value, PartlyRead))
        if name in COMBINING and name != "auth.notices":
            return frozenset if kind in _SETS else _itself
        if kind in _FEW:
            return _itself
        if kind in _SETS:
            wanted = frozenset(operand.text for test in tests for operand in test.operands)
            if name == "auth.notices":
                wanted |= frozenset(self._rulebook.notices)
            return lambda value: (wanted & value, wanted & getattr(value, "open", frozenset()))
        if kind in _ORDERED:
            among = _limits(tests)
            return lambda value: bisect_left(among, value) + bisect_right(among, value)
        if kind in {FactType.NAME, FactType.ADDRESS}:
            values = {operand.value for test in tests for operand in test.operands}
            return lambda value: value if value in values else _OTHER
        states = [parts.compiled(test) for test in tests]
        return lambda value: tuple([state({name: value}, {}) for state in states])


def _conditions(rulebook: Rulebook) -> Iterator[Condition]:
    """Yield every condition that a decision may ask."""
    for policy in rulebook.policies.values():
        if policy.mode != "off":
            yield scope_condition(policy.scope)
            yield from (rule.when for rule in policy.rules if rule.when is not None)
    for standard in rulebook.standards.values():
        yield from (check.must for check in standard.checks)


def _network_states(rulebook: Rulebook, parts: Parts) -> Iterator[State]:
    """Yield what tells each part of each place by itself: for an unknown place it is told which part is."""
    for place in rulebook.places.values():
        for half in (place.parts, place.without):
            for name in _PARTS:
                if listed := getattr(half, name):
                    yield parts.any_part(PlaceParts(**{name: listed}))
            yield from (parts.any_part(PlaceParts(lists=(name,))) for name in half.lists)


def _seen_of_own(
    limits: Mapping[str, list[Any]], within: list[float], turns: Callable[[datetime], int] | None
) -> SeenOfOwn:
    """Return a function that gives what is seen of the facts that are each attempt's own.

    Written out, since every attempt of a log is asked.

    Parameters
    ----------
    limits
        What each fact is compared with.
    within
        The limits of requirements, in seconds.
    turns
        Gives the schedules that are open, None when there are none.
    """
    space: dict[str, Any] = {"turns": turns, "left": bisect_left, "right": bisect_right}

    def side(value: str, among: list[Any]) -> str:
        """Return an expression for where a value lies: another number on each limit, and between any two."""
        if not among:
            return "0"
        name = f"k{len(space)}"
        space[name] = among
        return f"left({name}, {value}) + right({name}, {value})"

    seen = ["turns(at)"] if turns is not None else []
    for fact, among in limits.items():
        if fact == "time.at":
            seen.append(side("at", among))
        else:
            seen.append(f"None if (x := ages[{AGES.index(fact)}]) is None else {side('x', among)}")
    if within:
        seen.append(f"None if age is None else {side('age', within)}")
        each = f"(name, None if a is None else {side('a', within)})"
        seen.append(f"None if methods is None else tuple([{each} for name, a in methods.items()])")
    source = f"lambda at, ages, methods, age: ({''.join(f'{part}, ' for part in seen)})"
    found: SeenOfOwn = eval(source, space)  # noqa: S307 - names of the catalogue's own; every value is a constant
    return found


def _limits(tests: Iterable[FactTest]) -> list[Any]:
    values: set[Any] = {o.value for test in tests for o in test.operands if o.value is not None}
    return sorted(values)


def _itself(value: Any) -> Hashable:
    found: Hashable = value
    return found
