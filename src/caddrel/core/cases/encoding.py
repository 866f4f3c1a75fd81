"""What the enforced policies come to, as functions of the open facts.

Every fact is known in a case: so `is known` holds, `surely` changes nothing, and each policy has one effect.
Not here: the variables (`space`), and what is read off the functions (`answer`).
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from functools import partial
from operator import contains, eq, ge
from typing import Any

from caddrel.core.cases.diagrams import FALSE, TRUE, Diagrams
from caddrel.core.cases.reads import Reads
from caddrel.core.cases.settled_tests import SettledTests
from caddrel.core.cases.space import SETS, Space
from caddrel.core.decide.interpreter.operators import holds
from caddrel.core.decide.requirements import CLASSES, FACT_ITEMS, YIELDS
from caddrel.core.facts.types import FactType
from caddrel.core.inventory.address_lists import AddressList
from caddrel.core.language.nodes import (
    AllOf,
    And,
    AnyOf,
    Condition,
    During,
    FactTest,
    Formula,
    FromPlace,
    Item,
    Not,
    Operand,
    Or,
    Passes,
    Surely,
)
from caddrel.core.language.operators import OPERATORS, Op
from caddrel.core.rulebook.model import PlaceParts, Policy, Rule, Rulebook

ALLOWED, CHALLENGED, BLOCKED, NOWHERE = 2, 3, 4, 5
OUTCOMES = {ALLOWED: "allowed", CHALLENGED: "challenged", BLOCKED: "blocked"}
RESULTS = 4


@dataclass(slots=True)
class Encoded:
    """The outcome, and where rules decide it.

    Attributes
    ----------
    decides
        Where any rule decides; elsewhere the app's stance does, or nobody was let as far as any policy.
    deciding
        Gives for each rule where it decides; it takes as long as all the rest, and not everybody asks.
    tests, items
        Every test and every item that was asked, with where it holds: what the tree may ask.
    """

    outcome: int
    decides: int
    deciding: Callable[[], list[tuple[Policy, Rule, int]]]
    tests: dict[Condition, int]
    items: dict[Item, int]


@dataclass(slots=True)
class Encoder:
    """Turns conditions, items and policies into functions."""

    rulebook: Rulebook
    space: Space
    read: Reads
    diagrams: Diagrams
    tests: dict[Condition, int] = field(default_factory=dict)
    items: dict[Item, int] = field(default_factory=dict)
    _places: dict[str, int] = field(default_factory=dict)
    _standards: dict[str, int] = field(default_factory=dict)
    _networks: dict[int, AddressList] = field(default_factory=dict)

    def condition(self, node: Condition) -> int:
        """Return where a condition holds."""
        d = self.diagrams
        match node:
            case And(parts=parts):
                return d.all(self.condition(part) for part in parts)
            case Or(parts=parts):
                return d.any(self.condition(part) for part in parts)
            case Not(part=part):
                return d.neither(self.condition(part))
            case Surely(part=part):
                return self.condition(part)
            case FactTest() | FromPlace() | Passes() | During():
                found = self.tests.get(node)
                if found is None:
                    found = self.tests[node] = self._test(node)
                return found

    def _test(self, node: FactTest | FromPlace | Passes | During) -> int:
        match node:
            case FactTest():
                return self._fact_test(node)
            case FromPlace(places=places):
                return self.diagrams.any(self.place(place.text) for place in places)
            case Passes(standard=standard):
                return self.standard(standard.text)
            case During(schedule=schedule):
                kept = self.rulebook.schedules[schedule.text]
                return self.space.fact("time.at", lambda at: kept.is_open(at.astimezone(kept.zone)))

    def _fact_test(self, test: FactTest) -> int:
        if test.op in {Op.KNOWN, Op.UNKNOWN}:
            # In a case every fact that is read is known.
            return TRUE if test.op is Op.KNOWN else FALSE
        spec = self.rulebook.catalogue[test.fact]
        if spec.type in SETS:
            return self._set_test(test)
        return self.space.fact(test.fact, lambda value: holds(test.op, spec.type, value, test.operands))

    def _set_test(self, test: FactTest) -> int:
        d = self.diagrams
        row = OPERATORS[test.op]
        each = [self.space.member(test.fact, operand.text) for operand in test.operands]
        positive = d.all(each) if (row.positive or test.op) is Op.HAS_ALL else d.any(each)
        return positive if row.positive is None else d.neither(positive)

    def place(self, name: str) -> int:
        """Return where an attempt comes from a place."""
        if name not in self._places:
            place = self.rulebook.places[name]
            without = self.diagrams.any(self._parts(place.without)) if place.without else FALSE
            inside = self.diagrams.any(self._parts(place.parts))
            self._places[name] = self.diagrams.both(inside, self.diagrams.neither(without))
        return self._places[name]

    def _parts(self, parts: PlaceParts) -> list[int]:
        found = []
        if parts.networks:
            networks = self.networks(parts)
            found.append(self.space.fact("network.ip", lambda address: address in networks))
        found.extend(self.space.in_list(name) for name in parts.lists)
        for fact, listed in _LISTED:
            wanted = getattr(parts, listed)
            if wanted:
                found.append(self.space.fact(fact, partial(contains, wanted)))
        found.extend(self.place(inner) for inner in parts.places)
        return found

    def networks(self, parts: PlaceParts) -> AddressList:
        """Return the networks of a part of a place, for many addresses."""
        if id(parts) not in self._networks:
            self._networks[id(parts)] = AddressList("", parts.networks)
        return self._networks[id(parts)]

    def standard(self, name: str) -> int:
        """Return where a device passes a standard."""
        if name not in self._standards:
            checks = self.rulebook.standards[name].checks
            self._standards[name] = self.diagrams.all(self.condition(check.must) for check in checks)
        return self._standards[name]

    # Requirements.

    def met(self, item: Item) -> int:
        """Return where an item is met."""
        if item not in self.items:
            self.items[item] = self._met(item)
        return self.items[item]

    def _met(self, item: Item) -> int:
        match item.kind:
            case "mfa" | "proof":
                return self._suffices(item, lambda method: self.space.fresh(method, item.within))
            case "device passes":
                return self.standard(item.name)
            case "notice":
                return self.space.member("auth.notices", item.name)
            case "new password":
                return self.space.fresh("password-changed", None)
            case "managed device" | "company device" | "vetted client" | "protected client" as kind:
                fact, wanted = FACT_ITEMS[kind]
                return self.space.fact(fact, lambda value: value == wanted)

    def reachable(self, item: Item) -> int:
        """Return where an item is met, or can be during the sign-in."""
        match item.kind:
            case "notice" | "new password":
                return TRUE
            case "mfa" | "proof":
                return self.diagrams.either(
                    self.met(item), self._suffices(item, lambda m: self._provable(m, item.within))
                )
            case "device passes" | "managed device" | "company device" | "vetted client" | "protected client":
                return self.met(item)

    def _provable(self, method: str, within: int | None) -> int:
        d = self.diagrams
        yielded = d.any(self.space.member("person.factors", factor) for factor, ms in YIELDS.items() if method in ms)
        return d.either(yielded, self.space.fresh(method, within))

    def _suffices(self, item: Item, held: Callable[[str], int]) -> int:
        d = self.diagrams
        if item.kind == "mfa":
            by = [d.any(held(method) for method in sorted(members)) for members in CLASSES.values()]
            two = d.any(d.both(one, other) for i, one in enumerate(by) for other in by[i + 1 :])
            return d.either(held("mfa"), two)
        combinations = self.rulebook.proofs[item.name].any_of
        return d.any(d.all(held(method) for method in sorted(each)) for each in combinations)

    def formula(self, formula: Formula, counts: Callable[[Item], int]) -> int:
        """Return the cases in which a formula holds, given those in which each item counts as met."""
        match formula:
            case Item():
                return counts(formula)
            case AllOf(parts=parts):
                return self.diagrams.all(self.formula(part, counts) for part in parts)
            case AnyOf(parts=parts):
                return self.diagrams.any(self.formula(part, counts) for part in parts)

    # Policies.

    def encode(self) -> Encoded:
        """Return what the policies come to."""
        d = self.diagrams
        before = self._before_policies()
        if before == TRUE:
            return Encoded(BLOCKED, FALSE, list, {}, {})
        fires: list[tuple[Policy, Rule, int]] = []
        lets_in, names = FALSE, FALSE
        settled = SettledTests(self.rulebook.catalogue, self.space.constants())
        for _, policy in sorted(self.rulebook.policies.items()):
            # One whose scope is false in every case has no effect, opens no app and decides nothing.
            if policy.mode != "enforced" or settled.never(policy.scope):
                continue
            found, opening, naming = self._policy(policy)
            fires.extend(found)
            lets_in, names = d.either(lets_in, opening), d.either(names, d.both(opening, naming))
        blocks = d.any(fire for _, rule, fire in fires if rule.effect.kind == "block")
        shut = self._shut(lets_in, names)
        met, reachable = TRUE, TRUE
        asked = []
        for policy, rule, fire in fires:
            formula = rule.effect.formula
            if formula is not None:
                holds_, may = self.formula(formula, self.met), self.formula(formula, self.reachable)
                asked.append((policy, rule, fire, holds_, may))
                met, reachable = d.both(met, d.choose(fire, holds_, TRUE)), d.both(reachable, d.choose(fire, may, TRUE))
        required = d.choose(met, ALLOWED, d.choose(reachable, CHALLENGED, BLOCKED))
        stopped = d.either(blocks, shut)
        outcome = d.choose(before, BLOCKED, d.choose(stopped, BLOCKED, required))
        # Whoever is asked for more, or cannot be, is so by a rule that requires it; who is let in, by one that lets in.
        unstopped = d.neither(d.either(before, stopped))
        ruled = d.both(unstopped, d.either(lets_in, d.neither(met)))
        decides = d.either(d.both(d.neither(before), blocks), ruled)
        parts = before, blocks, shut, met, reachable
        return Encoded(outcome, decides, lambda: self._deciding(fires, asked, parts), self.tests, self.items)

    def _policy(self, policy: Policy) -> tuple[list[tuple[Policy, Rule, int]], int, int]:
        """Return where each rule of a policy fires, where one lets in, and where its scope names the app."""
        d, scope = self.diagrams, policy.scope
        within = self._scope(policy)
        fires = []
        opening = FALSE
        for rule in policy.rules:
            if within == FALSE:
                break
            fire = within if rule.when is None else d.both(within, self.condition(rule.when))
            within = d.both(within, d.neither(fire))
            if fire != FALSE:
                fires.append((policy, rule, fire))
                opening = d.either(opening, fire) if rule.effect.kind in {"allow", "require"} else opening
        naming = d.any(self.condition(selector.condition) for selector in scope.naming) if fires else FALSE
        return fires, opening, naming

    def _scope(self, policy: Policy) -> int:
        d, scope = self.diagrams, policy.scope
        operations = scope.operations
        found = self.space.fact("operation", lambda operation: operation in operations)
        for selectors, positive in (
            (scope.people, True), (scope.apps, True), (scope.except_people, False), (scope.except_apps, False),
        ):  # fmt: skip
            if found == FALSE:
                return FALSE
            if selectors or positive:
                chosen = d.any(self.condition(selector.condition) for selector in selectors)
                found = d.both(found, chosen if positive else d.neither(chosen))
        if scope.active is not None and found != FALSE:
            start, end = scope.active.start, scope.active.end
            found = d.both(found, self.space.fact("time.at", lambda at: _within(at, start, end)))
        return found

    def _shut(self, lets_in: int, names: int) -> int:
        """Return where the app is closed and no policy opens it; where its own line closes it only naming ones do."""
        d, default = self.diagrams, self.rulebook.settings.stance
        stances = {id: entry.stance for id, entry in self.rulebook.apps.items()}
        if default == "open" and "closed" not in stances.values():
            return FALSE
        own = self.space.fact("app.id", lambda app: stances.get(app) == "closed")
        closed = self.space.fact("app.id", lambda app: (stances.get(app) or default) == "closed")
        signing_in = self.space.fact("operation", lambda operation: operation == "sign-in")
        opened = d.choose(own, names, lets_in)
        return d.all((signing_in, closed, d.neither(opened)))

    def _before_policies(self) -> int:
        values = self.space.given.values
        wrong = values.get("auth.credentials") == "wrong"
        if wrong or "auth.credentials" in self.space.given.not_understood:
            return TRUE
        if values.get("auth.locked_out") is not True:
            return FALSE
        methods = values.get("auth.methods")
        if isinstance(methods, dict):
            return TRUE if "pwd" in methods else FALSE
        return self.space.fresh("pwd", None) if "auth.methods" in self.space.open else TRUE

    def _deciding(
        self,
        fires: list[tuple[Policy, Rule, int]],
        asked: list[tuple[Policy, Rule, int, int, int]],
        parts: tuple[int, int, int, int, int],
    ) -> list[tuple[Policy, Rule, int]]:
        d = self.diagrams
        before, blocks, shut, met, reachable = parts
        going = d.neither(before)
        unstopped = d.both(going, d.neither(d.either(blocks, shut)))
        allowed = d.both(unstopped, met)
        challenged = d.all((unstopped, d.neither(met), reachable))
        unmeetable = d.all((unstopped, d.neither(met), d.neither(reachable)))
        where: dict[tuple[str, int], tuple[Policy, Rule, int]] = {}

        def note(policy: Policy, rule: Rule, holds_: int) -> None:
            key = policy.id, rule.index
            if holds_ != FALSE:
                there = where.get(key)
                where[key] = policy, rule, d.either(there[2], holds_) if there else holds_

        for policy, rule, fire in fires:
            if rule.effect.kind == "block":
                note(policy, rule, d.both(going, fire))
            elif rule.effect.kind in {"allow", "require"}:
                note(policy, rule, d.both(allowed, fire))
        for policy, rule, fire, holds_, may in asked:
            note(policy, rule, d.all((challenged, fire, d.neither(holds_))))
            note(policy, rule, d.all((unmeetable, fire, d.neither(may))))
        return [where[key] for key in sorted(where)]


_LISTED = (("network.country", "countries"), ("network.anonymiser", "anonymisers"), ("network.asn", "asns"))


def _within(at: datetime, start: datetime | None, end: datetime | None) -> bool:
    return (start is None or at >= start) and (end is None or at < end)


def tellings(rulebook: Rulebook, read: Reads, encoder: Encoder) -> dict[str, list[Callable[[Any], bool]]]:
    """Return for each fact the tests that tell its values apart."""
    kinds: Mapping[str, FactType] = {name: spec.type for name, spec in rulebook.catalogue.items()}
    found: dict[str, list[Callable[[Any], bool]]] = {
        name: [_asked(op, kinds[name], value) for op, value in dict.fromkeys(asked)]
        for name, asked in read.asked.items()
        if name in kinds and kinds[name] not in SETS
    }
    for fact, wanted in FACT_ITEMS.values():
        found.setdefault(fact, []).append(partial(eq, wanted))
    ages = [item.within for item in read.items if item.within is not None]
    found.setdefault("auth.age", []).extend(partial(ge, limit) for limit in ages)
    found.setdefault("network.ip", []).extend(_addresses(rulebook, read, encoder))
    # Words that nothing tells apart are one; yes and no are two even so.
    for name in encoder.space.open:
        if kinds[name] is FactType.FLAG:
            found.setdefault(name, []).append(bool)
    return found


def _asked(op: Op, kind: FactType, value: Any) -> Callable[[Any], bool]:
    operands = (Operand(str(value), value=value),)
    single = Op.IS if op is Op.ONE_OF else op
    return lambda each: holds(single, kind, each, operands)


def _addresses(rulebook: Rulebook, read: Reads, encoder: Encoder) -> Iterator[Callable[[Any], bool]]:
    for place in rulebook.places.values():
        for parts in (place.parts, place.without):
            if parts.networks:
                yield encoder.networks(parts).__contains__
    for name in sorted(read.lists):
        kept = encoder.space.given.lists.get(name)
        if kept is not None:
            yield kept.__contains__
