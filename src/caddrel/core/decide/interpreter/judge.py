"""Judging conditions, places, standards and schedules for one attempt, keeping every step.

Each test is judged even where the result is already settled: a trace shows the truth of all of them.
Not here: policies (`interpreter`), requirements (`requirements`).
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import datetime

from caddrel.core.decide.interpreter.operators import holds
from caddrel.core.decide.truth import FALSE, TRUE, UNKNOWN, Truth, all_true, any_true, opposite, truth_of
from caddrel.core.facts.facts import Facts
from caddrel.core.facts.types import Address, PartlyKnown, PartlyRead, Signals
from caddrel.core.language.nodes import (
    And,
    Condition,
    During,
    FactTest,
    FromPlace,
    Not,
    Or,
    Passes,
    Surely,
    Test,
    tests_of,
)
from caddrel.core.language.operators import OPERATORS, Op
from caddrel.core.rulebook.model import Place, PlaceParts, Rulebook, Schedule, Selector, Standard


@dataclass(slots=True)
class Verdict:
    """The truth of one node of a condition, with those of its parts."""

    node: Condition
    truth: Truth
    parts: tuple[Verdict, ...] = ()


@dataclass(slots=True)
class PartVerdict:
    """The truth of one part of a place: ``networks`` as a whole, one list, one other place and so on."""

    part: str
    shown: str
    truth: Truth
    facts: frozenset[str] = frozenset()


@dataclass(slots=True)
class PlaceVerdict:
    """The truth of a place, and of everything it is made of."""

    place: Place
    truth: Truth
    parts: list[PartVerdict] = field(default_factory=list)
    without: list[PartVerdict] = field(default_factory=list)
    facts: frozenset[str] = frozenset()


@dataclass(slots=True)
class StandardVerdict:
    """The truth of a standard, and of its checks in document order."""

    standard: Standard
    truth: Truth
    checks: list[Verdict] = field(default_factory=list)
    facts: frozenset[str] = frozenset()


@dataclass(slots=True)
class ScheduleVerdict:
    """The truth of a schedule, and the local time that gave it."""

    schedule: Schedule
    truth: Truth
    local: datetime | None = None


_NETWORK_FACTS = {
    "countries": "network.country",
    "anonymisers": "network.anonymiser",
    "asns": "network.asn",
}


@dataclass(slots=True)
class Beside:
    """What sign-ins of one person to several apps have in common, judged once: all that asks nothing of the app.

    It is of the rulebook whose nodes it was first used with, which keeps them.
    """

    facts: tuple[object, ...] | None = None
    verdicts: dict[int, Verdict] = field(default_factory=dict)
    asks_app: dict[int, bool] = field(default_factory=dict)

    def of(self, facts: Facts) -> bool:
        """Tell whether an attempt differs from the first one at most in its app."""
        values = {name: value for name, value in facts.values.items() if not name.startswith("app.")}
        mine = (values, facts.default_age, facts.lists, facts.not_understood)
        if self.facts is None:
            self.facts = mine
        return self.facts == mine

    def shared(self, node: Condition) -> bool:
        """Tell whether a condition asks nothing of the app."""
        found = self.asks_app.get(id(node))
        if found is None:
            found = self.asks_app[id(node)] = any(map(_asks_app, tests_of(node)))
        return not found


def _asks_app(test: Test) -> bool:
    # What a standard asks is not looked into: it is taken to ask of the app too.
    return isinstance(test, Passes) or (isinstance(test, FactTest) and test.fact.startswith("app."))


class Judge:
    """Judges any condition of one rulebook for one attempt; named parts are judged once.

    Parameters
    ----------
    beside
        What is known from the same attempt at other apps, and is added to; of another attempt nothing is taken.
    """

    def __init__(self, rulebook: Rulebook, facts: Facts, beside: Beside | None = None) -> None:
        self.rulebook = rulebook
        self.facts = facts
        self.values = facts.values
        self.places: dict[str, PlaceVerdict] = {}
        self.standards: dict[str, StandardVerdict] = {}
        self.schedules: dict[str, ScheduleVerdict] = {}
        self._selected: dict[tuple[str, str], Verdict] = {}
        self._beside = beside if beside is not None and beside.of(facts) else None

    def selected(self, selector: Selector) -> Verdict:
        """Return the verdict on a selector; many policies name the same, and it is judged once."""
        key = (selector.kind, selector.text)
        found = self._selected.get(key)
        if found is None:
            found = self._selected[key] = self.whole(selector.condition)
        return found

    def whole(self, node: Condition) -> Verdict:
        """Return the verdict on a selector's or rule's whole condition."""
        beside = self._beside
        if beside is None or not beside.shared(node):
            return self.judge(node)
        found = beside.verdicts.get(id(node))
        if found is None:
            found = beside.verdicts[id(node)] = self.judge(node)
        return found

    def judge(self, node: Condition) -> Verdict:
        """Return the verdict on a condition."""
        match node:
            case FactTest():
                return Verdict(node, self._fact_test(node))
            case And(parts=parts):
                judged = tuple(self.judge(p) for p in parts)
                return Verdict(node, all_true(v.truth for v in judged), judged)
            case Or(parts=parts):
                judged = tuple(self.judge(p) for p in parts)
                return Verdict(node, any_true(v.truth for v in judged), judged)
            case Not(part=part):
                inner = self.judge(part)
                return Verdict(node, opposite(inner.truth), (inner,))
            case Surely(part=part):
                inner = self.judge(part)
                return Verdict(node, truth_of(inner.truth is TRUE), (inner,))
            case FromPlace(places=places):
                return Verdict(node, any_true(self.place(p.text).truth for p in places))
            case Passes(standard=standard):
                return Verdict(node, self.standard(standard.text).truth)
            case During(schedule=schedule):
                return Verdict(node, self.schedule(schedule.text).truth)

    def _fact_test(self, test: FactTest) -> Truth:
        value = self.values.get(test.fact)
        if value is None:
            if test.op is Op.KNOWN:
                return FALSE
            return TRUE if test.op is Op.UNKNOWN else UNKNOWN
        if isinstance(value, PartlyKnown | PartlyRead) and (isinstance(value, PartlyRead) or value.open):
            return _open_test(test, value)
        kind = self.rulebook.catalogue[test.fact].type
        return truth_of(holds(test.op, kind, value, test.operands))

    def place(self, name: str) -> PlaceVerdict:
        """Return the verdict on a place."""
        if name not in self.places:
            place = self.rulebook.places[name]
            parts = list(self._parts(place.parts))
            without = list(self._parts(place.without))
            inside = any_true(p.truth for p in parts)
            outside = opposite(any_true(p.truth for p in without))
            truth = all_true((inside, outside))
            # Of two unknown halves each may be what the result depends on; a settled half is not.
            unsettled = [*(parts if inside is UNKNOWN else ()), *(without if outside is UNKNOWN else ())]
            facts = _union(p.facts for p in unsettled if p.truth is UNKNOWN) if truth is UNKNOWN else frozenset()
            self.places[name] = PlaceVerdict(place, truth, parts, without, facts)
        return self.places[name]

    def _parts(self, parts: PlaceParts) -> Iterable[PartVerdict]:
        address: Address | None = self.values.get("network.ip")  # type: ignore[assignment]
        ip = frozenset({"network.ip"})
        if parts.networks:
            shown = ", ".join(str(n) for n in parts.networks[:6]) + (" …" if len(parts.networks) > 6 else "")
            truth = UNKNOWN if address is None else truth_of(any(address in n for n in parts.networks))
            yield PartVerdict("networks", shown, truth, ip)
        for name in parts.lists:
            kept = self.facts.lists.get(name)
            truth = UNKNOWN if address is None or kept is None else truth_of(address in kept)
            yield PartVerdict("lists", name, truth, ip)
        for key, fact in _NETWORK_FACTS.items():
            listed: tuple[str | int, ...] = getattr(parts, key)
            if listed:
                value = self.values.get(fact)
                truth = UNKNOWN if value is None else truth_of(value in listed)
                yield PartVerdict(key, ", ".join(str(item) for item in listed), truth, frozenset({fact}))
        for name in parts.places:
            inner = self.place(name)
            yield PartVerdict("places", name, inner.truth, inner.facts)

    def standard(self, name: str) -> StandardVerdict:
        """Return the verdict on a device standard."""
        if name not in self.standards:
            standard = self.rulebook.standards[name]
            checks = [self.judge(check.must) for check in standard.checks]
            truth = all_true(v.truth for v in checks)
            facts = _union(self.unknown_facts(v) for v in checks) if truth is UNKNOWN else frozenset()
            self.standards[name] = StandardVerdict(standard, truth, checks, facts)
        return self.standards[name]

    def schedule(self, name: str) -> ScheduleVerdict:
        """Return the verdict on a schedule."""
        if name not in self.schedules:
            schedule = self.rulebook.schedules[name]
            at = self.values.get("time.at")
            if isinstance(at, datetime):
                local = at.astimezone(schedule.zone)
                self.schedules[name] = ScheduleVerdict(schedule, truth_of(schedule.is_open(local)), local)
            else:
                self.schedules[name] = ScheduleVerdict(schedule, UNKNOWN)
        return self.schedules[name]

    def unknown_facts(self, verdict: Verdict) -> frozenset[str]:
        """Return the facts of the unknown tests that an unknown verdict depends on; empty for a known one."""
        if verdict.truth is not UNKNOWN:
            return frozenset()
        match verdict.node:
            case FactTest(fact=fact):
                return frozenset({fact})
            case FromPlace(places=places):
                return _union(self.place(p.text).facts for p in places)
            case Passes(standard=standard):
                return self.standard(standard.text).facts
            case During():
                return frozenset({"time.at"})
            case And() | Or() | Not() | Surely():
                return _union(self.unknown_facts(part) for part in verdict.parts)


def _open_test(test: FactTest, value: PartlyKnown | PartlyRead) -> Truth:
    """Judge a test of a set of which some ids are unknown: each id has a truth of its own.

    Signals are known when all of them are; groups and methods are, since something is known of them.
    """
    if test.op in {Op.KNOWN, Op.UNKNOWN}:
        return truth_of((test.op is Op.UNKNOWN) is isinstance(value, Signals))
    row = OPERATORS[test.op]

    def truth(id: str) -> Truth:
        if id in value:
            return TRUE
        return UNKNOWN if isinstance(value, PartlyRead) or id in value.open else FALSE

    each = [truth(operand.text) for operand in test.operands]
    positive = all_true(each) if (row.positive or test.op) is Op.HAS_ALL else any_true(each)
    return positive if row.positive is None else opposite(positive)


def _union(sets: Iterable[frozenset[str]]) -> frozenset[str]:
    found: set[str] = set()
    for part in sets:
        found |= part
    return frozenset(found)
