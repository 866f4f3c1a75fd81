"""What a rulebook comes to as formulas: of every condition where it is true and where it is false, of the rest unknown.

The fourth reading of the same tree, for all attempts at once (semantics, sections 2 to 5). It shares no code with those
that decide one attempt; what it says is believed only once the interpreter has said the same.
Not here: the facts (`space`), what is asked (`guarantees`, `dead_rules`, `comparison`).
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field, fields
from datetime import datetime
from operator import ge, gt, le, lt
from typing import Any

from caddrel.core.cases.reads import Reads
from caddrel.core.decide.requirements import CLASSES, FACT_ITEMS, YIELDS
from caddrel.core.facts.types import LEVELS, FactType, Value, fold, is_under
from caddrel.core.language.formulas import Effect
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
    Or,
    Passes,
    Surely,
    items_of,
)
from caddrel.core.language.operators import OPERATORS, Op
from caddrel.core.prove.logic import Logic, all_of, any_of, none_of
from caddrel.core.prove.space import SETS, Predicate, Space
from caddrel.core.rulebook.model import PlaceParts, Policy, Rule, Rulebook, Scope, Selector

# Where something is true, and where it is false.
Truths = tuple[Logic, Logic]
OUTCOMES = ("allowed", "challenged", "blocked")
_LETTING_IN = {"allow", "require"}


@dataclass(slots=True)
class EncodedRule:
    """A rule as formulas: when it is reached, and when its effect is among the possible ones."""

    rule: Rule
    reached: Logic
    possible: Logic


@dataclass(slots=True)
class EncodedPolicy:
    """A policy: where its scope is true and false, where it may be silent, its rules, and where it names the app."""

    policy: Policy
    scope: Truths
    silent: Logic
    rules: list[EncodedRule]
    named: Logic


@dataclass(frozen=True, slots=True)
class Effects:
    """Where some policies block, what they require is met, or within reach, and where they open an app that is closed.

    Each of several says so of itself, and together they are joined.
    """

    blocks: Logic
    met: Logic
    reachable: Logic
    opens: Logic


@dataclass(slots=True)
class Outcome:
    """Where policies come to each outcome, in the strict reading; `unmeetable` where what is required alone blocks."""

    allowed: Logic
    challenged: Logic
    blocked: Logic
    unmeetable: Logic

    def of(self, outcome: str) -> Logic:
        """Return where one of them is come to."""
        found: Logic = getattr(self, outcome)
        return found


@dataclass(slots=True)
class Encoder:
    """Turns conditions, requirement items and policies of one rulebook into formulas."""

    rulebook: Rulebook
    space: Space
    _tests: dict[Condition, Truths] = field(default_factory=dict)
    _places: dict[str, Truths] = field(default_factory=dict)
    _standards: dict[str, Truths] = field(default_factory=dict)
    _items: dict[Item, tuple[Logic, Logic]] = field(default_factory=dict)
    _selected: dict[tuple[str, str], Truths] = field(default_factory=dict)
    _policies: dict[str, EncodedPolicy] = field(default_factory=dict)
    _own_line: Logic = None

    def fresh(self) -> Encoder:
        """Return one of the same rulebook that remembers nothing: for the second pass."""
        return Encoder(self.rulebook, self.space)

    # Conditions.

    def condition(self, node: Condition) -> Truths:
        """Return the formulas for a condition being true, and being false; where neither holds it is unknown."""
        match node:
            case And(parts=parts):
                each = [self.condition(part) for part in parts]
                return all_of(yes for yes, _ in each), any_of(no for _, no in each)
            case Or(parts=parts):
                each = [self.condition(part) for part in parts]
                return any_of(yes for yes, _ in each), all_of(no for _, no in each)
            case Not(part=part):
                yes, no = self.condition(part)
                return no, yes
            case Surely(part=part):
                yes, _ = self.condition(part)
                return yes, none_of(yes)
            case FactTest() | FromPlace() | Passes() | During():
                found = self._tests.get(node)
                if found is None:
                    found = self._tests[node] = self._test(node)
                return found

    def _test(self, node: FactTest | FromPlace | Passes | During) -> Truths:
        match node:
            case FactTest():
                return self._fact_test(node)
            case FromPlace(places=places):
                each = [self.place(place.text) for place in places]
                return any_of(yes for yes, _ in each), all_of(no for _, no in each)
            case Passes(standard=standard):
                return self.standard(standard.text)
            case During(schedule=schedule):
                kept = self.rulebook.schedules[schedule.text]
                return self.fact("time.at", lambda at: kept.is_open(at.astimezone(kept.zone)))

    def fact(self, name: str, holds: Predicate) -> Truths:
        """Return where a fact has a value for which something holds, and where it has one for which it does not."""
        if name == "auth.age":
            self.space.ask_age()
        return self.space.where(self.rulebook.catalogue[name], holds, self.assumed(name))

    def assumed(self, name: str) -> Value | None:
        """Return what stands for a fact that nobody reported; a default comes before what is assumed."""
        return None if name in ("operation", "flow") else self.rulebook.settings.assume.get(name)

    def _fact_test(self, test: FactTest) -> Truths:
        spec = self.rulebook.catalogue[test.fact]
        if test.op in {Op.KNOWN, Op.UNKNOWN}:
            if test.fact == "auth.age":
                self.space.ask_age()
            known = self.space.known(spec, self.assumed(test.fact))
            return (known, none_of(known)) if test.op is Op.KNOWN else (none_of(known), known)
        row = OPERATORS[test.op]
        op = row.positive or test.op
        if spec.type in SETS:
            each = [self.member(test.fact, operand.text) for operand in test.operands]
            if op is Op.HAS_ALL:
                yes, no = all_of(y for y, _ in each), any_of(n for _, n in each)
            else:
                yes, no = any_of(y for y, _ in each), all_of(n for _, n in each)
        else:
            operands = [operand.value if op not in _TEXTUAL else operand.text for operand in test.operands]
            yes, no = self.fact(test.fact, lambda value: _holds(op, spec.type, value, operands))
        return (yes, no) if row.positive is None else (no, yes)

    def member(self, fact: str, id: str) -> Truths:
        """Return the formulas for an id being in a set, and not being in it."""
        if fact == "auth.methods":
            yes, _ = self._method(id, None)
            return yes, none_of(any_of((yes, self.space.methods_away(self.assumed(fact)))))
        return self.space.member(self.rulebook.catalogue[fact], id, self.assumed(fact))

    def place(self, name: str) -> Truths:
        """Return where an attempt comes from a place, and where it does not."""
        found = self._places.get(name)
        if found is None:
            place = self.rulebook.places[name]
            inside, outside = self._parts(place.parts), self._parts(place.without)
            yes = all_of((any_of(y for y, _ in inside), all_of(n for _, n in outside)))
            no = any_of((all_of(n for _, n in inside), any_of(y for y, _ in outside)))
            found = self._places[name] = yes, no
        return found

    def _parts(self, parts: PlaceParts) -> list[Truths]:
        found = []
        if parts.networks:
            networks = parts.networks
            found.append(self.fact("network.ip", lambda address: any(address in network for network in networks)))
        spec = self.rulebook.catalogue["network.ip"]
        found.extend(self.space.in_list(spec, name, self.assumed("network.ip")) for name in parts.lists)
        for fact, listed in (("country", parts.countries), ("anonymiser", parts.anonymisers), ("asn", parts.asns)):
            if listed:
                found.append(self.fact(f"network.{fact}", lambda value, listed=listed: value in listed))  # type: ignore[misc]
        found.extend(self.place(inner) for inner in parts.places)
        return found

    def standard(self, name: str) -> Truths:
        """Return where a device passes a standard, and where it does not."""
        found = self._standards.get(name)
        if found is None:
            each = [self.condition(check.must) for check in self.rulebook.standards[name].checks]
            found = self._standards[name] = all_of(yes for yes, _ in each), any_of(no for _, no in each)
        return found

    # Requirement items.

    def item(self, item: Item) -> tuple[Logic, Logic]:
        """Return the formulas for an item being surely met, and being met or attainable during the sign-in."""
        found = self._items.get(item)
        if found is None:
            met = self._met(item)
            found = self._items[item] = met, self._reachable(item, met)
        return found

    def _met(self, item: Item) -> Logic:
        match item.kind:
            case "mfa" | "proof":
                return self._suffices(item, lambda method: self._method(method, item.within)[0])
            case "device passes":
                return self.standard(item.name)[0]
            case "notice":
                return self.member("auth.notices", item.name)[0]
            case "new password":
                return self._method("password-changed", None)[0]
            case "managed device" | "company device" | "vetted client" | "protected client" as kind:
                fact, wanted = FACT_ITEMS[kind]
                return self.fact(fact, lambda value: value == wanted)[0]

    def _reachable(self, item: Item, met: Logic) -> Logic:
        match item.kind:
            case "notice" | "new password":
                return True
            case "mfa" | "proof":
                return any_of((met, self._provable(item)))
            case "device passes" | "managed device" | "company device" | "vetted client" | "protected client":
                return met

    def _provable(self, item: Item) -> Logic:
        """Return where a person's factors, with what they have used, are enough; where they are unknown they are."""
        spec = self.rulebook.catalogue["person.factors"]
        assumed = self.assumed("person.factors")
        enrolled = {factor: self.space.member(spec, factor, assumed)[0] for factor in YIELDS}

        def can(method: str) -> Logic:
            by_factor = any_of(enrolled[factor] for factor, methods in YIELDS.items() if method in methods)
            return any_of((by_factor, self._method(method, item.within)[0]))

        return any_of((none_of(self.space.known(spec, assumed)), self._suffices(item, can)))

    def _method(self, method: str, within: int | None) -> tuple[Logic, Logic]:
        age = self.rulebook.settings.assume.get("auth.age")
        assumed_age = age if isinstance(age, int | float) else None
        return self.space.method(method, within, self.assumed("auth.methods"), assumed_age)

    def _suffices(self, item: Item, held: Callable[[str], Logic]) -> Logic:
        if item.kind == "mfa":
            by = [any_of(held(method) for method in sorted(members)) for members in CLASSES.values()]
            pairs = [all_of((one, other)) for i, one in enumerate(by) for other in by[i + 1 :]]
            return any_of((held("mfa"), *pairs))
        combinations = self.rulebook.proofs[item.name].any_of
        return any_of(all_of(held(method) for method in sorted(each)) for each in combinations)

    def formula(self, formula: Formula, reachable: bool = False) -> Logic:
        """Return the formula for a requirement being met, or being met or attainable."""
        match formula:
            case Item():
                return self.item(formula)[1 if reachable else 0]
            case AllOf(parts=parts):
                return all_of(self.formula(part, reachable) for part in parts)
            case AnyOf(parts=parts):
                return any_of(self.formula(part, reachable) for part in parts)

    # Policies.

    def scope(self, scope: Scope) -> Truths:
        """Return the formulas for a scope being true, and being false."""
        operations = scope.operations
        parts = [self.fact("operation", lambda operation: operation in operations)]
        for selectors, positive in (
            (scope.people, True), (scope.except_people, False), (scope.apps, True), (scope.except_apps, False),
        ):  # fmt: skip
            if selectors or positive:
                yes, no = self.chosen(selectors)
                parts.append((yes, no) if positive else (no, yes))
        if scope.active is not None:
            start, end = scope.active.start, scope.active.end
            parts.append(self.fact("time.at", lambda at: _within(at, start, end)))
        return all_of(yes for yes, _ in parts), any_of(no for _, no in parts)

    def chosen(self, selectors: Iterable[Selector]) -> Truths:
        """Return where one of several selectors is true, and where all are false."""
        each = []
        for selector in selectors:
            key = (selector.kind, selector.text)
            found = self._selected.get(key)
            if found is None:
                found = self._selected[key] = self.condition(selector.condition)
            each.append(found)
        return any_of(yes for yes, _ in each), all_of(no for _, no in each)

    def policy(self, policy: Policy) -> EncodedPolicy:
        """Return what a policy says, whatever its mode."""
        # What it says hangs on no other policy, so it is said once for all rulebooks whose parts are these.
        if not self.knows(policy):
            self._policies[policy.id] = self._encoded(policy)
        return self._policies[policy.id]

    def knows(self, policy: Policy) -> bool:
        """Tell whether a policy was turned into formulas before."""
        found = self._policies.get(policy.id)
        return found is not None and says_the_same(found.policy, policy)

    def _encoded(self, policy: Policy) -> EncodedPolicy:
        yes, no = self.scope(policy.scope)
        going = none_of(no)
        rules: list[EncodedRule] = []
        for rule in policy.rules:
            holds, fails = (True, False) if rule.when is None else self.condition(rule.when)
            rules.append(EncodedRule(rule, going, all_of((going, none_of(fails)))))
            going = all_of((going, none_of(holds)))
            if going is False:
                break
        # Nobody of its rules surely holds: in scope it may be silent; and so it may where it may be out of scope.
        silent = any_of((going, none_of(yes)))
        named, _ = self.chosen(policy.scope.naming)
        return EncodedPolicy(policy, (yes, no), silent, rules, named)

    def outcome(self, policies: Iterable[EncodedPolicy]) -> Outcome:
        """Return where policies come to which outcome, as if all of them were enforced."""
        return self.together([self.effects(policies)])

    def effects(self, policies: Iterable[EncodedPolicy]) -> Effects:
        """Return what policies do by themselves, to be put together with others."""
        found = list(policies)
        rules = [each for policy in found for each in policy.rules]
        blocks = any_of(each.possible for each in rules if each.rule.effect.kind == "block")
        asking = [(each.possible, each.rule.effect) for each in rules if each.rule.effect.formula is not None]
        met = all_of(any_of((none_of(possible), self._of(effect))) for possible, effect in asking)
        reachable = all_of(any_of((none_of(possible), self._of(effect, True))) for possible, effect in asking)
        return Effects(blocks, met, reachable, self._opened(found))

    def named(self, effects: Effects) -> Effects:
        """Return the same by short names, which the space says are the same: no question says it all anew."""
        space = self.space
        return Effects(*(space.name(getattr(effects, each.name)) for each in fields(Effects)))

    @staticmethod
    def joined(several: Sequence[Effects]) -> Effects:
        """Return what several do together."""
        return Effects(
            any_of(each.blocks for each in several),
            all_of(each.met for each in several),
            all_of(each.reachable for each in several),
            any_of(each.opens for each in several),
        )

    def together(self, several: Sequence[Effects]) -> Outcome:
        """Return where several come to which outcome together."""
        joined = self.joined(several)
        met, reachable = joined.met, joined.reachable
        stopped = any_of((joined.blocks, self._shut(joined.opens)))
        going = none_of(stopped)
        unmeetable = all_of((none_of(met), none_of(reachable)))
        return Outcome(
            all_of((going, met)),
            all_of((going, none_of(met), reachable)),
            any_of((stopped, unmeetable)),
            all_of((going, unmeetable)),
        )

    def _of(self, effect: Effect, reachable: bool = False) -> Logic:
        assert effect.formula is not None
        return self.formula(effect.formula, reachable)

    def _closed_apps(self) -> bool:
        """Tell whether any app may be closed."""
        return self.rulebook.settings.stance != "open" or any(
            entry.stance == "closed" for entry in self.rulebook.apps.values()
        )

    def _opened(self, policies: Iterable[EncodedPolicy]) -> Logic:
        """Return where one of some policies surely opens an app that is closed."""
        if not self._closed_apps():
            return False
        own = self._closed_by_own_line()
        opening = []
        for each in policies:
            lets_in = any_of(r.possible for r in each.rules if r.rule.effect.kind in _LETTING_IN)
            else_ = any_of(r.possible for r in each.rules if r.rule.effect.kind not in _LETTING_IN)
            surely = all_of((lets_in, none_of(else_), none_of(each.silent)))
            # One that is closed by its own line opens only to policies that name it.
            opening.append(all_of((surely, any_of((none_of(own), each.named)))))
        return any_of(opening)

    def _closed_by_own_line(self) -> Logic:
        """Return where the app is closed by a line of its own, or may be."""
        # In a first pass each who needs it asks for it, and gets no formula.
        if self._own_line is None or self.space.gathering:
            lines = {id: entry.stance for id, entry in self.rulebook.apps.items() if entry.stance}
            own, _ = self.fact("app.id", lambda app: lines.get(app) == "closed")
            self._own_line = any_of((own, all_of((self._nameless(), "closed" in lines.values()))))
        return self._own_line

    def _nameless(self) -> Logic:
        """Return where nobody named the app: of one the strictest is taken, what any line says."""
        yes, no = self.fact("app.id", lambda _app: True)
        return none_of(any_of((yes, no)))

    def _shut(self, opens: Logic) -> Logic:
        """Return where the app is closed, or may be, and no policy surely opens it."""
        if not self._closed_apps():
            return False
        default = self.rulebook.settings.stance
        lines = {id: entry.stance for id, entry in self.rulebook.apps.items() if entry.stance}
        closed, _ = self.fact("app.id", lambda app: (lines.get(app) or default) == "closed")
        signing_in, _ = self.fact("operation", lambda operation: operation == "sign-in")
        return all_of((signing_in, any_of((closed, self._nameless())), none_of(opens)))


def says_the_same(one: Policy, other: Policy) -> bool:
    """Tell whether two policies say the same in whatever mode, and have the same rules, ids and all."""
    return one is other or (one.id, one.scope, one.rules) == (other.id, other.scope, other.rules)


def gather(
    space: Space,
    rulebook: Rulebook,
    policies: Iterable[Policy],
    conditions: Iterable[Condition] = (),
    items: Iterable[Item] = (),
) -> None:
    """Tell a space what a rulebook's policies, and some conditions and items beside them, read."""
    reads = reads_of(rulebook, policies)
    for condition in conditions:
        reads.condition(rulebook, condition)
    for item in items:
        reads.item(rulebook, item)
    lines = [entry.id for entry in rulebook.apps.values() if entry.stance]
    reads.asked.setdefault("app.id", []).extend((Op.IS, id) for id in lines)
    space.read(reads, rulebook.catalogue)


def reads_of(rulebook: Rulebook, policies: Iterable[Policy]) -> Reads:
    """Return what policies read."""
    reads = Reads()
    for policy in policies:
        scope = policy.scope
        for selector in (*scope.people, *scope.except_people, *scope.apps, *scope.except_apps):
            reads.condition(rulebook, selector.condition)
        if scope.active is not None:
            reads.limits.update(at for at in (scope.active.start, scope.active.end) if at is not None)
        for rule in policy.rules:
            if rule.when is not None:
                reads.condition(rulebook, rule.when)
            for item in items_of(rule.effect.formula) if rule.effect.formula is not None else ():
                reads.item(rulebook, item)
    return reads


_TEXTUAL = {Op.HAS, Op.HAS_ANY, Op.HAS_ALL, Op.CONTAINS, Op.STARTS, Op.ENDS}


def _holds(op: Op, kind: FactType, value: Any, operands: list[Any]) -> bool:
    """Tell whether a comparison holds for a known value (semantics, section 2)."""
    if op is Op.FLAG:
        return value is True
    if op in {Op.IS, Op.ONE_OF}:
        if kind is FactType.TEXT:
            return fold(value) in {fold(str(each)) for each in operands}
        return any(value == each for each in operands)
    return _COMPARED[op](kind, value, operands[0])


def _ranked(compare: Callable[[Any, Any], bool]) -> Callable[[FactType, Any, Any], bool]:
    def holds(kind: FactType, value: Any, wanted: Any) -> bool:
        level = kind is FactType.LEVEL
        return compare(LEVELS.index(value), LEVELS.index(wanted)) if level else compare(value, wanted)

    return holds


_COMPARED: dict[Op, Callable[[FactType, Any, Any], bool]] = {
    Op.AT_LEAST: _ranked(ge),
    Op.AT_MOST: _ranked(le),
    Op.ABOVE: _ranked(gt),
    Op.BELOW: _ranked(lt),
    Op.CONTAINS: lambda _kind, value, wanted: fold(wanted) in fold(value),
    Op.STARTS: lambda _kind, value, wanted: fold(value).startswith(fold(wanted)),
    Op.ENDS: lambda _kind, value, wanted: fold(value).endswith(fold(wanted)),
    Op.UNDER: lambda _kind, value, wanted: is_under(value, str(wanted)),
}


def _within(at: datetime, start: datetime | None, end: datetime | None) -> bool:
    return (start is None or at >= start) and (end is None or at < end)
