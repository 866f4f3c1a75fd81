"""Which facts the enforced policies and the stances of a rulebook read, and what they ask of each.

Not here: what comes of it (`encoding`).
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field, replace
from datetime import datetime

from caddrel.core.decide.requirements import CLASSES, FACT_ITEMS
from caddrel.core.facts.types import FactType, Network
from caddrel.core.language.nodes import Condition, During, FactTest, FromPlace, Item, Passes, items_of, tests_of
from caddrel.core.language.operators import OPERATORS, Op
from caddrel.core.rulebook.model import PlaceParts, Rulebook, Schedule


@dataclass(slots=True)
class Reads:
    """What is read.

    Attributes
    ----------
    facts
        The names of the facts.
    asked
        What each fact is compared with, and how.
    networks, lists
        What addresses are looked up in.
    limits
        Moments that time is compared with.
    items
        The requirement items.
    order
        Where each fact is first tested: what is asked together is near together in it.
    """

    facts: set[str] = field(default_factory=set)
    asked: dict[str, list[tuple[Op, object]]] = field(default_factory=dict)
    networks: list[Network] = field(default_factory=list)
    lists: set[str] = field(default_factory=set)
    schedules: dict[str, Schedule] = field(default_factory=dict)
    limits: set[datetime] = field(default_factory=set)
    items: set[Item] = field(default_factory=set)
    order: dict[str, int] = field(default_factory=dict)
    _places: set[str] = field(default_factory=set)
    _standards: set[str] = field(default_factory=set)

    def copy(self) -> Reads:
        """Return the same, to be added to."""
        return replace(
            self, facts=set(self.facts), asked={name: list(asked) for name, asked in self.asked.items()},
            networks=list(self.networks), lists=set(self.lists), schedules=dict(self.schedules),
            limits=set(self.limits), items=set(self.items), order=dict(self.order), _places=set(self._places),
            _standards=set(self._standards),
        )  # fmt: skip

    def condition(self, rulebook: Rulebook, condition: Condition) -> None:
        """Take in what a condition reads."""
        for test in tests_of(condition):
            match test:
                case FactTest():
                    self._fact(rulebook, test)
                case FromPlace(places=places):
                    for place in places:
                        self._place(rulebook, place.text)
                case Passes(standard=standard):
                    self.standard(rulebook, standard.text)
                case During(schedule=schedule):
                    self.facts.add("time.at")
                    self.schedules[schedule.text] = rulebook.schedules[schedule.text]

    def standard(self, rulebook: Rulebook, name: str) -> None:
        """Take in what a device standard reads."""
        if name not in self._standards:
            self._standards.add(name)
            for check in rulebook.standards[name].checks:
                self.condition(rulebook, check.must)

    def _fact(self, rulebook: Rulebook, test: FactTest) -> None:
        self.facts.add(test.fact)
        self.order.setdefault(test.fact, len(self.order))
        row = OPERATORS[test.op]
        asked = self.asked.setdefault(test.fact, [])
        asked.extend((row.positive or test.op, operand.value) for operand in test.operands)
        if rulebook.catalogue[test.fact].type is FactType.MOMENT:
            self.limits.update(o.value for o in test.operands if isinstance(o.value, datetime))

    def _place(self, rulebook: Rulebook, name: str) -> None:
        if name in self._places:
            return
        self._places.add(name)
        place = rulebook.places[name]
        for parts in (place.parts, place.without):
            self._parts(parts)
            for inner in parts.places:
                self._place(rulebook, inner)

    def _parts(self, parts: PlaceParts) -> None:
        if parts.networks or parts.lists:
            self.facts.add("network.ip")
            self.networks.extend(parts.networks)
            self.lists.update(parts.lists)
        for fact, listed in (("country", parts.countries), ("anonymiser", parts.anonymisers), ("asn", parts.asns)):
            if listed:
                self.facts.add(f"network.{fact}")
                self.asked.setdefault(f"network.{fact}", []).extend((Op.IS, each) for each in listed)

    def item(self, rulebook: Rulebook, item: Item) -> None:
        """Take in what a requirement item reads."""
        self.items.add(item)
        match item.kind:
            case "mfa" | "proof":
                self.facts |= {"auth.methods", "person.factors"} | ({"auth.age"} if item.within is not None else set())
            case "device passes":
                self.standard(rulebook, item.name)
            case "notice":
                self.facts.add("auth.notices")
            case "new password":
                self.facts.add("auth.methods")
            case "managed device" | "company device" | "vetted client" | "protected client" as kind:
                self.facts.add(FACT_ITEMS[kind][0])


def reads(rulebook: Rulebook) -> Reads:
    """Return what the enforced policies of a rulebook and its stances read."""
    found = Reads()
    for policy in rulebook.policies.values():
        if policy.mode != "enforced":
            continue
        scope = policy.scope
        found.facts.add("operation")
        for selector in (*scope.people, *scope.except_people, *scope.apps, *scope.except_apps):
            found.condition(rulebook, selector.condition)
        if scope.active is not None:
            found.facts.add("time.at")
            found.limits.update(at for at in (scope.active.start, scope.active.end) if at is not None)
        for rule in policy.rules:
            if rule.when is not None:
                found.condition(rulebook, rule.when)
            if rule.effect.formula is not None:
                for item in items_of(rule.effect.formula):
                    found.item(rulebook, item)
    stances = {entry.stance for entry in rulebook.apps.values()} | {rulebook.settings.stance}
    if "closed" in stances:
        found.facts.add("app.id")
        lines = [entry.id for entry in rulebook.apps.values() if entry.stance]
        found.asked.setdefault("app.id", []).extend((Op.IS, id) for id in lines)
    return found


def methods_of(rulebook: Rulebook, read: Reads, others: Iterable[str] = ()) -> list[str]:
    """Return the methods that anything asks for, and others, those of one class together."""
    wanted = {str(value) for _, value in read.asked.get("auth.methods", [])} | set(others)
    for item in read.items:
        match item.kind:
            case "mfa":
                wanted |= {"mfa"}.union(*CLASSES.values())
            case "proof":
                wanted |= frozenset().union(*rulebook.proofs[item.name].any_of)
            case "new password":
                wanted.add("password-changed")
            case _:
                pass
    ordered = [method for members in CLASSES.values() for method in sorted(members)]
    return [*(m for m in ordered if m in wanted), *sorted(wanted - set(ordered))]


def limits_of(read: Reads) -> list[int]:
    """Return how fresh methods have to be, in seconds, ascending."""
    return sorted({item.within for item in read.items if item.within is not None})


def operands(read: Reads, fact: str) -> Iterator[str]:
    """Yield the ids that a set is asked for, each once."""
    yield from dict.fromkeys(str(value) for _, value in read.asked.get(fact, []))
