"""All attempts as the solver sees them: of each fact the ways in which tests of it can come out, or that it is unknown.

Each way is one value of the fact that stands for all that no test tells from it, so that what the solver finds can be
told as an attempt. That a fact is *away* is one more way: nobody reported it, and completion gave what it gives an
attempt that is decided offline: an assumption of the rulebook, a default, or nothing.
Not here: what policies say of them (`encoding`), attempts made of what was found (`witness`).
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

import z3

from caddrel.core.cases.reads import Reads
from caddrel.core.cases.values import MOST_PARTS, addresses, classes, moments, values_of
from caddrel.core.facts.catalogue import METHODS, Catalogue, FactSpec
from caddrel.core.facts.types import Address, FactType, PartlyKnown, Value
from caddrel.core.inventory.completion import attributes_of
from caddrel.core.inventory.index import Entry, Inventory
from caddrel.core.language.operators import Op
from caddrel.core.prove.logic import SOME, Logic, all_of, any_of, implies, just_one, none_of, stated, variable

SETS = (FactType.NAMES, FactType.METHODS)
# Completed whoever decides: never unknown.
DEFAULTS: Mapping[str, Value] = {"operation": "sign-in", "flow": "interactive"}
# Credentials are right and nobody is locked out.
SETTLED: Mapping[str, Value] = {"auth.credentials": "right", "auth.locked_out": False}
_NOUNS = {"person": "people", "device": "devices", "app": "apps"}
_STANDING = ("device.listed", "device.owner", "device.managed", "device.vetted")
_MOST_SPANS = 4_000
# A method that nothing asks for: it may be there, and tells how old what is reported is.
_ANY_METHOD = "face"
Predicate = Callable[[Any], bool]


@dataclass(slots=True)
class Ways:
    """The ways of one fact: values that stand for all others, each with its variable, and the one of being away."""

    spec: FactSpec
    values: list[Any]
    variables: list[z3.BoolRef] = field(default_factory=list)
    away: Logic = False


@dataclass(slots=True)
class Members:
    """A set of ids: of each that anything asks for whether it is in it; and that the set is away."""

    spec: FactSpec
    bits: dict[str, z3.BoolRef] = field(default_factory=dict)
    away: Logic = False


@dataclass(slots=True)
class MethodWays:
    """The methods: of each one variable for every age, oldest last, one for no age at all; none of them: not used."""

    ages: Sequence[float]
    used: dict[str, list[z3.BoolRef]] = field(default_factory=dict)
    unaged: dict[str, z3.BoolRef] = field(default_factory=dict)
    away: Logic = False


@dataclass(frozen=True, slots=True)
class Choice:
    """What an attempt names in the inventory: an entry, or with None nothing that it has."""

    variable: z3.BoolRef
    entry: Entry | None


class Space:
    """The attempts that one question is about.

    Used twice: first told what is asked of each fact (`gathering`), then for the formulas.

    Parameters
    ----------
    inventory
        What apps there are, and with `own` what people and devices; None where none is at hand.
    own
        Whether people and devices are those of the inventory alone.
    """

    def __init__(self, inventory: Inventory | None, own: bool = False) -> None:
        self.inventory = inventory
        self.own = own
        self.gathering = True
        self.exact = True
        self.rules: list[z3.BoolRef] = []
        self.choices: dict[str, list[Choice]] = {}
        self._asked: dict[str, dict[int, Predicate]] = {}
        self._specs: dict[str, FactSpec] = {}
        self._members: dict[str, dict[str, None]] = {}
        self._limits: set[float] = set()
        self._methods_asked: dict[str, None] = {}
        self._age_asked = False
        self._reads: list[Reads] = []
        self._catalogues: list[Catalogue] = []
        # Address lists that are not at hand.
        self.lists: dict[str, Ways] = {}
        self.ways: dict[str, Ways] = {}
        self.sets: dict[str, Members] = {}
        self.methods: MethodWays | None = None
        self._known: list[Logic] = []
        self._placed: dict[tuple[str, Any], int | None] = {}
        # Of each fact the way for each combination of what its tests say.
        self._told_by: dict[str, dict[tuple[Any, ...], int]] = {}
        # How many formulas have a name.
        self._named = 0

    # First pass: what is asked.

    def read(self, reads: Reads, catalogue: Catalogue) -> None:
        """Take in what a side reads: operands, networks, schedules and limits; and which own facts there are."""
        self._reads.append(reads)
        self._catalogues.append(catalogue)

    def finish(self) -> None:
        """Make the variables, once everything was asked."""
        self.gathering = False
        self._tell_apart()
        for name in sorted(self._asked):
            self._make(name)
        for name in sorted(self._members):
            spec = self._specs[name]
            made = self.sets[name] = Members(spec)
            made.bits = {id: variable(f"{name}:{id}") for id in self._members[name]}
            made.away = self._away(name)
        if self._methods_asked or self._age_asked:
            self._make_methods()
        self._stand()
        for kind in ("app", "person", "device"):
            if self._has(kind):
                self._choose(kind)

    def _tell_apart(self) -> None:
        """Ask what facts hang together by, though no policy asks: that something is in the inventory, or unlisted."""
        if "device.owner" in self._asked:
            self._ask("device.owner", lambda owner: owner == "unlisted")
        for kind, noun in _NOUNS.items():
            spoken_of = any(name.startswith(f"{kind}.") for name in (*self._asked, *self._members))
            if spoken_of and self._has(kind):
                # Also where nothing asks for the id: what is found is told by name.
                self._specs[f"{kind}.id"] = self._catalogues[0][f"{kind}.id"]
                self._ask(f"{kind}.id", getattr(self.inventory, noun).__contains__)

    def _has(self, kind: str) -> bool:
        """Tell whether objects of a kind are as the inventory has them."""
        return self.inventory is not None and (kind == "app" or self.own)

    def _ask(self, name: str, holds: Predicate) -> None:
        tests = self._asked.setdefault(name, {})
        tests[len(tests)] = holds

    def _away(self, name: str) -> Logic:
        if name in DEFAULTS:
            return False
        away = variable(f"{name}=?")
        self._known.append(none_of(away))
        return away

    def _make(self, name: str) -> None:
        spec, tests = self._specs[name], list(self._asked[name].values())
        parted = classes(self._values(name, spec), tests)
        found = [value for value, _ in parted]
        self._told_by[name] = {told: number for number, (_, told) in enumerate(parted)}
        made = self.ways[name] = Ways(spec, found)
        made.variables = [variable(f"{name}={number}") for number in range(len(found))]
        made.away = self._away(name)
        self._just_one([*made.variables, *([made.away] if made.away is not False else [])])

    def _just_one(self, options: Sequence[Any]) -> None:
        if len(options) == 1:
            self.rules.append(options[0])
        else:
            self.rules.append(just_one(options))

    def _values(self, name: str, spec: FactSpec) -> Iterable[Any]:
        asked = [pair for reads in self._reads for pair in reads.asked.get(name, [])]
        if name == "network.ip":
            single = [value for _, value in asked if isinstance(value, Address)]
            networks = [network for reads in self._reads for network in reads.networks]
            found = list(addresses(networks, single))
            for listed in sorted({name for reads in self._reads for name in reads.lists}):
                kept = self.inventory.lists.get(listed) if self.inventory is not None else None
                if kept is not None:
                    found.extend(kept.edges(_MOST_SPANS))
                    self.exact = self.exact and len(kept) <= _MOST_SPANS
            return dict.fromkeys(found)
        if name == "time.at":
            limits = [limit for reads in self._reads for limit in reads.limits]
            limits += [value for _, value in asked if isinstance(value, datetime)]
            schedules = {id(s): s for reads in self._reads for s in reads.schedules.values()}
            return dict.fromkeys(moments(limits, list(schedules.values())))
        if name == "auth.age":
            asked += [(Op.AT_LEAST, limit) for limit in self._limits]
        if spec.type is FactType.NAME and self.inventory is not None:
            kind = name.partition(".")[0]
            noun = _NOUNS.get(kind, "")
            if name == f"{kind}.id" and noun and self._has(kind):
                asked += [(Op.IS, id) for id in getattr(self.inventory, noun)]
        if spec.type is FactType.TEXT:
            # Of more parts than that not every combination is made.
            self.exact = self.exact and len({value for op, value in asked if op is Op.CONTAINS}) <= MOST_PARTS
        return values_of(spec, asked)

    def _make_methods(self) -> None:
        limits = sorted(self._limits)
        ages = [*limits, (limits[-1] if limits else 0) + 1]
        made = self.methods = MethodWays(ages)
        made.away = self._away("auth.methods")
        named = dict(self._methods_asked)
        if self._age_asked and any(method not in named for method in METHODS):
            named.setdefault(_ANY_METHOD if _ANY_METHOD not in named else next(m for m in METHODS if m not in named))
        age = self.ways.get("auth.age")
        for method in named:
            used = made.used[method] = [variable(f"auth.methods:{method}<{n}") for n in range(len(ages))]
            unaged = made.unaged[method] = variable(f"auth.methods:{method}<?")
            self._known.append(none_of(unaged))
            self.rules.append(z3.AtMost(*used, unaged, 1))
            if age is not None:
                # Reported without an age it has the one that was reported for all of them.
                self.rules.append(stated(implies(unaged, age.away)))

    def _stand(self) -> None:
        """Say how the standing of a device hangs together: by completion, and by what a device can be."""
        listed, owner = self.ways.get("device.listed"), self.ways.get("device.owner")
        not_so = [self.ways[name] for name in ("device.managed", "device.vetted") if name in self.ways]

        def is_(of: Ways | None, value: Any) -> Logic:
            if of is None:
                return False
            return any_of(v for v, each in zip(of.variables, of.values, strict=True) if each == value)

        unlisted = is_(owner, "unlisted")
        no = is_(listed, False)
        if owner is not None and listed is not None:
            self.rules.append(stated(implies(no, unlisted)))
            self.rules.append(stated(implies(unlisted, any_of((no, listed.away)))))
        for each in not_so:
            self.rules.append(stated(implies(no, is_(each, False))))
            self.rules.append(stated(implies(unlisted, any_of((is_(each, False), each.away)))))

    # What the inventory has.

    def _choose(self, kind: str) -> None:
        inventory = self.inventory
        assert inventory is not None
        names = [name for name in (*self.ways, *self.sets) if name.startswith(f"{kind}.")]
        entries: Iterable[Entry] = getattr(inventory, _NOUNS[kind]).values()
        if not names:
            return
        found: dict[tuple[Any, ...], Entry] = {}
        for entry in entries:
            found.setdefault(tuple(self._way_of(kind, name, entry) for name in names), entry)
        made: list[Choice] = []
        for number, (way, entry) in enumerate(found.items()):
            chosen = variable(f"{kind}#{number}")
            made.append(Choice(chosen, entry))
            for name, told in zip(names, way, strict=True):
                self._tie(chosen, name, told, kind)
        # Apps, and people where they are those of the inventory, are as it has them; a device may be none of its own.
        if kind == "device" or not found:
            other = variable(f"{kind}#")
            made.append(Choice(other, None))
            self._elsewhere(kind, other)
        self.choices[kind] = made
        self._just_one([choice.variable for choice in made])

    def _elsewhere(self, kind: str, other: z3.BoolRef) -> None:
        """Say what is known of something that the inventory does not have."""
        ids = self.ways.get(f"{kind}.id")
        known = getattr(self.inventory, _NOUNS[kind])
        if ids is not None:
            self.rules.append(
                stated(
                    implies(
                        other,
                        all_of(none_of(v) for v, id in zip(ids.variables, ids.values, strict=True) if id in known),
                    )
                )
            )
        listed = self.ways.get("device.listed") if kind == "device" else None
        if listed is not None:
            self.rules.append(stated(implies(other, none_of(self.where_of(listed, lambda value: value is True)))))

    def _way_of(self, kind: str, name: str, entry: Entry) -> Any:
        """Return what an entry says of a fact, as far as tests tell: a way, or members; None where it says nothing."""
        facts = self._facts_of(kind, entry)
        if name == f"{kind}.id":
            return self.place(self.ways[name], entry.id)
        value = facts.get(name)
        if value is None:
            return None
        if name in self.sets:
            asked = frozenset(self.sets[name].bits)
            # Of what ends at a moment it is not known whether it is still so.
            open_ = value.open if isinstance(value, PartlyKnown) else frozenset()
            return asked & frozenset(value), asked & frozenset(open_)
        return self.place(self.ways[name], value)

    def _facts_of(self, kind: str, entry: Entry) -> Mapping[str, Any]:
        facts: dict[str, Any] = dict(entry.facts)
        if kind == "person":
            assert self.inventory is not None
            groups = self.inventory.groups_of(entry, None)
            facts["person.groups"] = groups
            facts.setdefault("person.roles", frozenset())
        if kind == "app":
            facts = {"app.labels": frozenset(), **facts}
        if kind == "device":
            facts |= {"device.id": entry.id, "device.listed": True}
        for catalogue in self._catalogues:
            facts |= attributes_of(entry, kind, catalogue)[0]
        return facts

    def place(self, of: Ways, value: Any) -> int | None:
        """Return the way that a value is in."""
        name = of.spec.name
        key = (name, value)
        if key not in self._placed:
            told = tuple(test(value) for test in self._asked[name].values())
            self._placed[key] = self._told_by[name].get(told)
        return self._placed[key]

    def tells_apart(self, more: Space) -> bool:
        """Tell whether the ways there are do for what else is asked: each new test is the same for all of a way.

        Every value that the tests of both can tell from another is looked at; where some way would have to be parted,
        or there is none for a value, the space is of no use for that.

        Parameters
        ----------
        more
            What was told what else is asked, and was not finished.
        """
        methods = self.methods
        if not (self.exact and more.lists.keys() <= self.lists.keys()):
            return False
        if more._methods_asked and methods is None:
            return False
        if methods is not None and not (more._methods_asked.keys() <= methods.used.keys()):
            return False
        if not more._limits <= self._limits:
            return False
        for name, members in more._members.items():
            if name not in self.sets or not members.keys() <= self.sets[name].bits.keys():
                return False
        reads, self._reads = self._reads, [*self._reads, *more._reads]
        try:
            return all(self._parts_nothing(name, tests) for name, tests in more._asked.items()) and self.exact
        finally:
            # Of what is asked already all attempts are looked at as before.
            self._reads, self.exact = reads, True

    def _parts_nothing(self, name: str, tests: Mapping[int, Predicate]) -> bool:
        of = self.ways.get(name)
        if of is None:
            return False
        for value in self._values(name, of.spec):
            place = self.place(of, value)
            if place is None or any(test(value) != test(of.values[place]) for test in tests.values()):
                return False
        return True

    def _tie(self, chosen: z3.BoolRef, name: str, told: Any, kind: str) -> None:
        """Have a fact be as an entry says; where its id is away, it may be away too."""
        ids = self.ways.get(f"{kind}.id")
        nameless: Logic = ids.away if ids is not None else True
        if told is None:
            return
        if name in self.sets:
            members = self.sets[name]
            held, open_ = told
            bits = {id: bit for id, bit in members.bits.items() if id not in open_}
            told_so = (bit if id in held else none_of(bit) for id, bit in bits.items())
            same = all_of((none_of(members.away), *told_so))
            away = members.away
        else:
            same, away = self.ways[name].variables[told], self.ways[name].away
        if name == f"{kind}.id":
            self.rules.append(stated(implies(chosen, any_of((same, away)))))
            return
        self.rules.append(stated(implies(chosen, any_of((same, all_of((away, nameless)))))))

    # Second pass: formulas.

    def know_all(self) -> Logic:
        """Return the formula that nothing is away."""
        return all_of(self._known)

    def name(self, part: Logic) -> Logic:
        """Return a variable that is true just where a formula holds; what is settled is its own name."""
        if isinstance(part, bool) or part is SOME:
            return part
        self._named += 1
        name = variable(f"#{self._named}")
        self.rules.append(name == part)
        return name

    def where(self, spec: FactSpec, holds: Predicate, assumed: Value | None) -> tuple[Logic, Logic]:
        """Return where a fact has a value for which something holds, and where it has one for which it does not.

        Parameters
        ----------
        assumed
            What stands for it where it is away; None where nothing does.
        """
        name = spec.name
        if name in SETTLED:
            settled = holds(SETTLED[name])
            return settled, not settled
        if self.gathering:
            self._specs[name] = spec
            self._ask(name, holds)
            return SOME, SOME
        of = self.ways[name]
        yes = self.where_of(of, holds)
        no = self.where_of(of, lambda value: not holds(value))
        if assumed is not None and of.away is not False:
            if holds(assumed):
                yes = any_of((yes, of.away))
            else:
                no = any_of((no, of.away))
        if name == "auth.age" and assumed is None:
            yes, no = any_of((yes, self._oldest(holds))), any_of((no, self._oldest(lambda age: not holds(age))))
        return yes, no

    @staticmethod
    def where_of(of: Ways, holds: Predicate) -> Logic:
        """Return where a fact has a value for which something holds."""
        return any_of(v for v, value in zip(of.variables, of.values, strict=True) if holds(value))

    def _oldest(self, holds: Predicate) -> Logic:
        """Return where ``auth.age`` is not reported, and something holds for the age that follows from the methods."""
        methods, age = self.methods, self.ways["auth.age"]
        if methods is None:
            return False
        found = []
        for number, each in enumerate(methods.ages):
            if holds(each):
                here = any_of(used[number] for used in methods.used.values())
                older = any_of(v for used in methods.used.values() for v in used[number + 1 :])
                found.append(all_of((here, none_of(older))))
        return all_of((age.away, none_of(methods.away), any_of(found)))

    def ask_age(self) -> None:
        """Say that the age of what was reported is tested by itself."""
        self._age_asked = True

    def known(self, spec: FactSpec, assumed: Value | None) -> Logic:
        """Return where a fact has a value."""
        name = spec.name
        if name in SETTLED:
            return True
        if self.gathering:
            if spec.type is FactType.METHODS:
                self._methods_asked.setdefault("pwd")
            elif spec.type in SETS:
                self.member(spec, next(iter(self._members.get(name, {"something-else": None}))), None)
            else:
                self.where(spec, lambda _value: True, None)
            return SOME
        if assumed is not None or name in DEFAULTS:
            return True
        if spec.type is FactType.METHODS:
            assert self.methods is not None
            return none_of(self.methods.away)
        if spec.type in SETS:
            return none_of(self.sets[name].away)
        if name == "auth.age":
            return any_of((none_of(self.ways[name].away), self._oldest(lambda _age: True)))
        return none_of(self.ways[name].away)

    def member(self, spec: FactSpec, id: str, assumed: Value | None) -> tuple[Logic, Logic]:
        """Return the formulas for an id being in a set and not being in it; both are false where the set is unknown."""
        name = spec.name
        if self.gathering:
            self._specs[name] = spec
            self._members.setdefault(name, {}).setdefault(id)
            return SOME, SOME
        members = self.sets[name]
        bit, there = members.bits[id], none_of(members.away)
        yes, no = all_of((there, bit)), all_of((there, none_of(bit)))
        if isinstance(assumed, frozenset):
            if id in assumed:
                yes = any_of((yes, members.away))
            else:
                no = any_of((no, members.away))
        return yes, no

    def method(
        self, method: str, within: int | None, assumed: Value | None, assumed_age: float | None
    ) -> tuple[Logic, Logic]:
        """Return where a method was used, no longer ago than a limit; and where it may have been, its age not known.

        Parameters
        ----------
        assumed, assumed_age
            What stands for the methods, and for the age of those without one, where nobody reported them.
        """
        if self.gathering:
            self._methods_asked.setdefault(method)
            if within is not None:
                self._limits.add(within)
            return SOME, SOME
        methods = self.methods
        assert methods is not None
        fresh = any_of(
            v for v, age in zip(methods.used[method], methods.ages, strict=True) if within is None or age <= within
        )
        unaged = methods.unaged[method]
        surely: Logic = within is None or (assumed_age is not None and assumed_age <= within)
        maybe: Logic = within is not None and assumed_age is None
        there = none_of(methods.away)
        yes = all_of((there, any_of((fresh, all_of((unaged, surely))))))
        may = all_of((there, any_of((yes, all_of((unaged, maybe))))))
        if isinstance(assumed, dict) and method in assumed:
            own = assumed[method]
            age = assumed_age if own is None else own
            if within is None or (age is not None and age <= within):
                yes, may = any_of((yes, methods.away)), any_of((may, methods.away))
            elif age is None:
                may = any_of((may, methods.away))
        return yes, may

    def methods_away(self, assumed: Value | None) -> Logic:
        """Return where nothing is known of the methods."""
        if self.gathering or isinstance(assumed, dict):
            return False
        return self.methods.away if self.methods is not None else False

    def in_list(self, spec: FactSpec, name: str, assumed: Value | None) -> tuple[Logic, Logic]:
        """Return the formulas for the address being in a list and not in it; a list not at hand may hold any."""
        kept = self.inventory.lists.get(name) if self.inventory is not None else None
        if kept is not None:
            return self.where(spec, lambda address: address in kept, assumed)
        some, _ = self.where(spec, lambda _address: True, assumed)
        if self.gathering:
            self.lists.setdefault(name, Ways(spec, [True, False]))
            return SOME, SOME
        listed = self.lists[name]
        if not listed.variables:
            listed.variables = [variable(f"list {name}={number}") for number in range(2)]
            listed.away = self._away(f"list {name}")
            self._just_one([*listed.variables, listed.away])
        return all_of((some, listed.variables[0])), all_of((some, listed.variables[1]))
