"""The open facts of an attempt as variables, and each case as facts.

Facts are chosen independently but for those that hang together: whose a device is with whether it is listed, managed
and vetted; the facts of a person, device or app with its id, where an inventory is at hand; ages of a device and
memberships that end with the moment.
Not here: what policies say of them (`encoding`).
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from functools import partial
from typing import Any

from caddrel.core.cases.diagrams import FALSE, TRUE, Diagrams, TooLong
from caddrel.core.cases.known_addresses import KnownAddresses
from caddrel.core.cases.ownership import STANDING, STANDINGS, UNLISTED, contradiction, fits_standing, fitting, no_such
from caddrel.core.cases.reads import Reads, limits_of, methods_of, operands
from caddrel.core.cases.settled_tests import given_for_sure
from caddrel.core.cases.values import MOST_PARTS, OTHER, addresses, classes, moments, values_of
from caddrel.core.cases.ways import Ways, standing_for, ways
from caddrel.core.decide.requirements import YIELDS
from caddrel.core.facts.facts import Facts, Origin
from caddrel.core.facts.types import Address, FactType, PartlyKnown, Signals, Value
from caddrel.core.inventory.completion import ages_of, attributes_of
from caddrel.core.inventory.index import Entry, Inventory
from caddrel.core.language.operators import Op
from caddrel.core.rulebook.model import Rulebook

SETS = (FactType.NAMES, FactType.METHODS)
# Outside policies: taken as right and no where nobody says otherwise.
SETTLED: Mapping[str, Value] = {"auth.credentials": "right", "auth.locked_out": False}
# What address data tell of an address.
_OF_ADDRESS = ("network.country", "network.city", "network.asn", "network.anonymiser")
# So many spans of an address list are looked at.
_MOST_SPANS = 4_000
_NOUNS = {"person": "people", "device": "devices", "app": "apps"}
_AGES = ("device.state_age", "device.listed_for")


@dataclass(slots=True)
class Variable:
    """A variable: for each of its values the facts that it gives, and the facts that it is about."""

    number: int
    facts: tuple[str, ...]
    values: list[Mapping[Any, Any]]


@dataclass(slots=True)
class Space:
    """The cases of one attempt.

    Parameters
    ----------
    most_ways
        Gives up (`TooLong`) as soon as it is plain that people, devices or apps differ in more ways than that.
    """

    rulebook: Rulebook
    given: Facts
    inventory: Inventory | None
    read: Reads
    diagrams: Diagrams
    known: KnownAddresses | None = None
    most_ways: int | None = None
    exact: bool = True
    open: list[str] = field(default_factory=list)
    variables: list[Variable] = field(default_factory=list)
    _plain: dict[str, Variable] = field(default_factory=dict)
    _members: dict[tuple[str, str], Variable] = field(default_factory=dict)
    _methods: dict[str, Variable] = field(default_factory=dict)
    _lists: dict[str, Variable] = field(default_factory=dict)
    _standing: Variable | None = None
    _objects: dict[str, Variable] = field(default_factory=dict)
    _asked_for: dict[str, frozenset[str]] = field(default_factory=dict)
    _ways: dict[int, Ways] = field(default_factory=dict)
    # Of objects by their variable: all values, and of each the place of the one that stands for it.
    stood_for: dict[int, tuple[list[Mapping[Any, Any]], list[int]]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        values = self.given.values
        for name, value in SETTLED.items():
            if name not in values and name not in self.given.not_understood:
                values[name] = value
                self.given.origins[name] = Origin.DEFAULT
        partly = [n for n, v in values.items() if isinstance(v, PartlyKnown) and v.open]
        self.open = sorted(
            n for n in self.read.facts if (n not in values or n in partly) and n in self.rulebook.catalogue
        )
        self._check_standing()
        for kind in ("person", "device", "app"):
            self._object(kind)
        self._moment()
        self._device_standing()
        self._address()
        # In the order in which they are tested: diagrams are smallest where neighbours belong together.
        for name in sorted(self.open, key=lambda name: self.read.order.get(name, len(self.read.order))):
            if name not in ("auth.methods", "time.at", "network.ip"):
                self._variable(name)
        self._open_methods()
        for name in sorted(self.read.lists):
            if self._is_open_list(name):
                self._lists[name] = self._add((f"list {name}",), [{f"list {name}": True}, {f"list {name}": False}])

    def _add(self, facts: Iterable[str], values: Sequence[Mapping[Any, Any]]) -> Variable:
        made = Variable(self.diagrams.variable(len(values)), tuple(facts), list(values))
        self.variables.append(made)
        return made

    def _is_open_list(self, name: str) -> bool:
        return name not in self.given.lists and ("network.ip" in self.open or "network.ip" in self.given.values)

    # Objects of the inventory.

    def _object(self, kind: str) -> None:
        """Make the variable of a person, device or app that is not named, where an inventory is at hand."""
        inventory, id = self.inventory, f"{kind}.id"
        mine = [name for name in self.open if name.startswith(f"{kind}.")]
        named = id in self.given.values or (kind == "device" and "device.serial" in self.given.values)
        if inventory is None or not mine or named:
            return
        if not getattr(inventory, _NOUNS[kind]):
            # Nobody has said yet who and what there is.
            return
        told = {n: v for n, v in self.given.values.items() if n.startswith(f"{kind}.")}
        found: dict[tuple[Any, ...], dict[str, Any]] = {}
        wanted = sorted({*mine, *(STANDING if kind == "device" else ())} - {id})
        asked = {str(value) for _, value in self.read.asked.get(id, [])}
        sets: set[tuple[Any, ...]] = set()
        fits = fitting(told)
        for entry in self._entries(kind, {*wanted, *told}, asked):
            facts = self._facts_of(kind, entry)
            if told and any(facts.get(name, value) != value for name, value in told.items()):
                continue
            if kind == "device" and not fits(facts):
                continue
            way = (
                entry.id if entry.id in asked else None,
                *[self._told_apart(name, facts.get(name)) for name in wanted],
            )
            if self.most_ways is not None:
                self._refuse_many(sets, way)
            if way not in found:
                found[way] = {id: entry.id} | {name: facts[name] for name in wanted if name in facts}
        values = list(found.values())
        if kind != "person":
            none: dict[str, Any] = {id: self._unknown_id(kind, asked)}
            none |= UNLISTED if kind == "device" else {}
            if all(none.get(name, value) == value for name, value in told.items()):
                values.append(none)
            values.extend(
                {**none, id: each} for each in sorted(asked - set(getattr(inventory, _NOUNS[kind]))) if none in values
            )
        if not values:
            raise no_such(kind, told)
        self._objects[kind] = self._add([id, *wanted], values)
        if id not in self.open:
            self.open = sorted([*self.open, id])

    def _refuse_many(self, sets: set[tuple[Any, ...]], way: tuple[Any, ...]) -> None:
        """Give up where objects differ in too many ways: sets that tests tell apart are never found to be alike."""
        sets.add(tuple([each for each in way if isinstance(each, frozenset)]))
        if self.most_ways is not None and len(sets) > self.most_ways:
            raise TooLong

    def _entries(self, kind: str, names: Iterable[str], asked: set[str]) -> Iterable[Entry]:
        """Return the entries of a kind, where it can be told those that differ in what their facts follow from.

        An attribute is read as the rulebook declares it: of what that comes to the inventory knows nothing.
        """
        assert self.inventory is not None
        stored = sorted(names)
        if any(name.startswith(f"{kind}.attributes.") for name in stored):
            entries: Iterable[Entry] = getattr(self.inventory, _NOUNS[kind]).values()
            return entries
        # An age goes with each entry's own moments, and there is none while the moment of the attempt is open.
        ages = isinstance(self.given.values.get("time.at"), datetime) and any(name in _AGES for name in stored)
        return self.inventory.different(_NOUNS[kind], tuple(stored), frozenset(asked), ages=ages)

    def _told_apart(self, name: Any, value: Any) -> Any:
        """Return the part of a value that some test can tell apart: of a set, only the members that tests name.

        All that is asked of a set is whether it has a member (`operators`), in a case whether it is known never; the
        factors of a person, which requirements look at, stay as they are.
        """
        if not isinstance(value, frozenset) or name not in self.read.asked or name == "person.factors":
            return value
        asked = self._asked_for.get(name)
        if asked is None:
            asked = self._asked_for[name] = frozenset(operands(self.read, name))
        return value & asked

    def _unknown_id(self, kind: str, asked: set[str]) -> str:
        name = OTHER
        while name in asked or (self.inventory is not None and name in getattr(self.inventory, _NOUNS[kind])):
            name += "-"
        return name

    def _facts_of(self, kind: str, entry: Entry) -> dict[str, Value]:
        facts = {**entry.facts, **attributes_of(entry, kind, self.rulebook.catalogue)[0]}
        at = self.given.values.get("time.at")
        assert self.inventory is not None
        if kind == "person":
            groups = self.inventory.groups_of(entry, at if isinstance(at, datetime) else None)
            if isinstance(groups, PartlyKnown) and groups.open:
                # Which of them it is goes with a moment that is open too.
                self.exact = False
                groups = frozenset(groups)
            facts["person.groups"] = groups
            facts.setdefault("person.roles", frozenset())
        elif kind == "app":
            facts.setdefault("app.labels", frozenset())
        else:
            facts |= {"device.listed": True, **{n: v for n, v in ages_of(entry, at).items() if n not in facts}}
        return facts

    # The moment, and what goes with it.

    def _moment(self) -> None:
        goes_with = self._going_with_time()
        if "time.at" not in self.open and not (goes_with and "time.at" not in self.given.values):
            return
        limits = set(self.read.limits) | {limit for limits, _ in goes_with.values() for limit in limits}
        if "time.at" not in self.open:
            self.open = sorted([*self.open, "time.at"])
        schedules = list(self.read.schedules.values())
        tests: list[Callable[[datetime], bool]] = [
            *(lambda at, limit=limit: at < limit for limit in sorted(limits)),
            *(lambda at, limit=limit: at == limit for limit in sorted(limits)),
            *(lambda at, each=each: each.is_open(at.astimezone(each.zone)) for each in schedules),
        ]
        found = []
        for at, _ in classes(moments(limits, schedules), tests):
            facts: dict[str, Any] = {"time.at": at}
            for name, (_, value) in goes_with.items():
                known = value(at)
                if known is not None:
                    facts[name] = known
            found.append(facts)
        self._plain["time.at"] = self._add(["time.at", *goes_with], found)

    def _going_with_time(self) -> dict[str, tuple[list[datetime], Callable[[datetime], Any]]]:
        """Return facts of a named person or device that change with the moment, with when they do."""
        if self.inventory is None or "time.at" in self.given.values:
            return {}
        found: dict[str, tuple[list[datetime], Callable[[datetime], Any]]] = {}
        inventory = self.inventory
        person = inventory.people.get(str(self.given.values.get("person.id", "")))
        if person is not None and person.groups_until and "person.groups" in self.open:
            ends = [until for _, until in person.groups_until]
            found["person.groups"] = (ends, lambda at: inventory.groups_of(person, at))
        device = inventory.device_by(_text(self.given, "device.id"), _text(self.given, "device.serial"))
        if device is not None:
            for name, then in (("device.state_age", device.state_at), ("device.listed_for", device.listed_at)):
                if name in self.open and then is not None:
                    found[name] = (self._turns(name, then), partial(_age, device, name))
        return found

    def _turns(self, name: str, then: datetime) -> list[datetime]:
        asked = [value for _, value in self.read.asked.get(name, []) if isinstance(value, int | float)]
        found = [then]
        for age in asked:
            try:
                found.append(then + timedelta(seconds=age))
            except OverflowError:
                continue
        return found

    # Whose a device is.

    def _check_standing(self) -> None:
        told = {name: self.given.values[name] for name in STANDING if name in self.given.values}
        if not fits_standing(told):
            raise contradiction(told, self.given.origins)

    def _device_standing(self) -> None:
        if "device" in self._objects or not any(name in self.open for name in STANDING):
            return
        values = self.given.values
        fits = [each for each in STANDINGS if all(values.get(name, each[name]) == each[name] for name in STANDING)]
        read = tuple(name for name in STANDING if name in self.open)
        # What nobody reads beside those is left open, as far as it makes no difference to them.
        told = {tuple(each[name] for name in read): each for each in reversed(fits)}
        self._standing = self._add(read, [{name: each[name] for name in STANDING} for each in told.values()])

    # The address, and what is known about it.

    def _address(self) -> None:
        """Make the variable of an open address; what address data know of it follows from it."""
        if "network.ip" not in self.open:
            return
        # What is assumed of an address is so only where nothing is known about it.
        assumed = {name for name in _OF_ADDRESS if self.given.origins.get(name) is Origin.ASSUMED}
        tied = [name for name in _OF_ADDRESS if name in self.open or name in assumed]
        fixed = {n: self.given.values[n] for n in _OF_ADDRESS if n in self.given.values and n not in assumed}
        found: list[Mapping[str, Any]] = []
        for address in self._addresses():
            record = self.known.look_up(address).facts if self.known is not None else {}
            if all(record.get(name, value) == value for name, value in fixed.items()):
                found.append({"network.ip": address} | {name: record[name] for name in tied if name in record})
        if not found:
            raise no_such("address", fixed)
        self._plain["network.ip"] = self._add(["network.ip", *(tied if self.known is not None else ())], found)

    def _addresses(self) -> list[Address]:
        single = [value for _, value in self.read.asked.get("network.ip", []) if isinstance(value, Address)]
        found = list(addresses(self.read.networks, single))
        for each in sorted(self.read.lists):
            kept = self.given.lists.get(each)
            if kept is not None:
                found.extend(kept.edges(_MOST_SPANS))
                self.exact = self.exact and len(kept) <= _MOST_SPANS
        if self.known is not None:
            found.extend(self.known.edges)
            self.exact = self.exact and self.known.whole
        return list(dict.fromkeys(found))

    # Facts by themselves.

    def _variable(self, name: str) -> None:
        kind = name.partition(".")[0]
        spec = self.rulebook.catalogue[name]
        in_object = self._objects.get(kind)
        if in_object is not None and name in in_object.facts and all(name in each for each in in_object.values):
            return
        if self._standing is not None and name in STANDING:
            return
        time = self._plain.get("time.at")
        if time is not None and name in time.facts and all(name in each for each in time.values):
            return
        if spec.type in SETS:
            for id in operands(self.read, name):
                self._member(name, id)
            if name == "person.factors":
                for factor in YIELDS:
                    self._member(name, factor)
            if name == "auth.notices":
                for item in sorted(item.name for item in self.read.items if item.kind == "notice"):
                    self._member(name, item)
            return
        if name in ("app.id", "person.id", "device.id") and in_object is not None:
            return
        values = self._values(name)
        self._plain[name] = self._add([name], [{name: value} for value in values])

    def _values(self, name: str) -> list[Value]:
        spec = self.rulebook.catalogue[name]
        asked = self.read.asked.get(name, [])
        if name == "auth.age":
            asked = [*asked, *((None, limit) for limit in limits_of(self.read))]  # type: ignore[list-item]
        if name == "device.owner" and "device" in self._objects:
            # Of a device that the inventory has and says nothing of: it is listed, so not unlisted.
            return ["company", "personal"]
        if spec.type is FactType.TEXT:
            # Of more parts than that not every combination is made: outcomes may be missed, and that is told.
            self.exact = self.exact and len({v for op, v in asked if op is Op.CONTAINS}) <= MOST_PARTS
        return values_of(spec, asked)

    def narrow(self, tests: Mapping[str, Sequence[Callable[[Any], bool]]]) -> None:
        """Keep of each fact's values one for every way in which the tests of it come out."""
        for name, variable in self._plain.items():
            if name == "time.at":
                continue
            told: list[Callable[[Mapping[str, Any]], Any]] = [
                partial(_answer, each, test) for each in variable.facts for test in tests.get(each, ())
            ]
            variable.values = [value for value, _ in classes(variable.values, told)]
            self.diagrams.resize(variable.number, len(variable.values))
        for variable in self._objects.values():
            tellings = {name: self._told_by(name, tests.get(name, ())) for name in variable.facts}
            kept, places = standing_for(variable.values, tellings)
            # What differs in one fact alone is found among all of them: one that stands for others may differ in more.
            self.stood_for[variable.number] = (variable.values, places)
            variable.values = kept
            self.diagrams.resize(variable.number, len(kept))

    def _told_by(self, name: str, tests: Sequence[Callable[[Any], Any]]) -> Sequence[Callable[[Any], Any]]:
        """Return what tests can tell apart in an object's fact: of a set, the members that tests name."""
        return [partial(self._told_apart, name)] if self.rulebook.catalogue[name].type in SETS else tests

    def _member(self, name: str, id: str) -> None:
        value = self.given.values.get(name)
        if isinstance(value, PartlyKnown) and id not in value.open:
            return
        if (name, id) not in self._members:
            self._members[name, id] = self._add([name], [{(name, id): False}, {(name, id): True}])

    def _open_methods(self) -> None:
        if "auth.methods" not in self.open:
            return
        limits = limits_of(self.read)
        ages: list[float | None] = [None, *limits, (limits[-1] if limits else 0) + 1]
        # Who is locked out is stopped before any policy just where a password was used.
        locked = {"pwd"} if self.given.values.get("auth.locked_out") is True else set()
        for method in methods_of(self.rulebook, self.read, locked):
            self._methods[method] = self._add(["auth.methods"], [{("auth.methods", method): age} for age in ages])

    def constants(self) -> dict[str, Value]:
        """Return facts that have one value in all cases: those given, and those of an object that can only be one."""
        found = given_for_sure(self.given)
        for variable in self._objects.values():
            if len(variable.values) == 1:
                found.update({n: v for n, v in variable.values[0].items() if n in variable.facts and n not in found})
        return found

    # Tests as functions.

    def fact(self, name: str, holds: Callable[[Any], bool]) -> int:
        """Return the cases in which a fact that is not a set has a value that satisfies a predicate."""
        value = self.given.values.get(name)
        variable = self._together(name)
        assumed = self.given.origins.get(name) is Origin.ASSUMED and variable is not None
        if value is not None and not assumed:
            return TRUE if holds(value) else FALSE
        own = self._own(name, holds) if value is None else TRUE if holds(value) else FALSE
        if variable is None:
            return own
        return self.diagrams.node(
            variable.number,
            [(TRUE if holds(each[name]) else FALSE) if name in each else own for each in variable.values],
        )

    def _own(self, name: str, holds: Callable[[Any], bool]) -> int:
        if self._standing is not None and name in self._standing.values[0]:
            return self.diagrams.test(self._standing.number, [holds(each[name]) for each in self._standing.values])
        variable = self._plain.get(name)
        if variable is None:
            return FALSE
        return self.diagrams.test(variable.number, [holds(each[name]) for each in variable.values])

    def _together(self, name: str) -> Variable | None:
        """Return the variable of an object, moment or address that determines a fact; None when it has its own."""
        found = self._objects.get(name.partition(".")[0])
        if found is not None and name in found.facts:
            return found
        for of in ("time.at", "network.ip"):
            variable = self._plain.get(of)
            if variable is not None and name in variable.facts and name != of:
                return variable
        return None

    def member(self, name: str, id: str) -> int:
        """Return where a set holds an id."""
        value = self.given.values.get(name)
        together = self._together(name)
        if together is not None and (value is None or isinstance(value, PartlyKnown)):
            own = self._own_member(name, id)
            return self.diagrams.node(
                together.number,
                [(TRUE if id in each[name] else FALSE) if name in each else own for each in together.values],
            )
        if value is not None and not (isinstance(value, PartlyKnown) and id in value.open):
            return TRUE if id in value else FALSE  # type: ignore[operator]
        return self._own_member(name, id)

    def _own_member(self, name: str, id: str) -> int:
        if name == "auth.methods":
            return self.fresh(id, None)
        variable = self._members.get((name, id))
        return FALSE if variable is None else self.diagrams.test(variable.number, [False, True])

    def fresh(self, method: str, within: int | None) -> int:
        """Return where a method was used, no longer ago than a limit."""
        methods = self.given.values.get("auth.methods")
        if isinstance(methods, dict):
            if method not in methods:
                return FALSE
            if within is None:
                return TRUE
            age = methods[method]
            if age is None:
                age = self.given.default_age
            if age is not None:
                return TRUE if age <= within else FALSE
            return self.fact("auth.age", lambda value: value <= within)
        variable = self._methods.get(method)
        if variable is None:
            return FALSE
        ages = [next(iter(each.values())) for each in variable.values]
        return self.diagrams.test(
            variable.number, [age is not None and (within is None or age <= within) for age in ages]
        )

    def in_list(self, name: str) -> int:
        """Return where the address is in a list."""
        variable = self._lists.get(name)
        if variable is not None:
            return self.diagrams.test(variable.number, [True, False])
        kept = self.given.lists.get(name)
        return FALSE if kept is None else self.fact("network.ip", lambda address: address in kept)

    # What can be asked, and told apart.

    def members(self) -> Iterator[tuple[str, str]]:
        """Yield the sets that are open with the ids that they may hold."""
        yield from self._members

    def methods(self) -> Iterator[str]:
        """Yield the methods that may have been used."""
        yield from self._methods

    def singles(self) -> Iterator[tuple[str, Value]]:
        """Yield facts of few words with each of their values, where each is told apart: none stands for others too."""
        for name, variable in self._plain.items():
            spec = self.rulebook.catalogue[name]
            if spec.type in (FactType.WORD, FactType.LEVEL) and len(variable.values) == len(spec.words) <= 12:
                yield from ((name, each[name]) for each in variable.values)
        if self._standing is not None and "device.owner" in self.open:
            yield from (("device.owner", word) for word in ("company", "personal", "unlisted"))

    def pairs(self, variable: Variable, name: str) -> set[tuple[int, int]]:
        """Return the pairs of values of a variable that differ in one fact alone, and in what hangs on it."""
        hanging: set[str] = {f"{name.partition('.')[0]}.id"} if variable in self._objects.values() else set()
        if name.endswith(".id"):
            hanging |= set(variable.facts)
        if name in _OF_ADDRESS and "network.ip" in variable.facts:
            hanging = {"network.ip"}
        if name == "network.ip":
            hanging = set(variable.facts)
        if name == "device.listed" or (name == "time.at" and name in variable.facts):
            hanging |= set(variable.facts) | set(STANDING)
        all_ways = self._ways.get(variable.number)
        if all_ways is None:
            values, places = self.stood_for.get(variable.number, (variable.values, None))
            all_ways = self._ways[variable.number] = ways(values, self._told_apart, places)
        found = all_ways.differing(name, hanging)
        if name == "device.owner":
            found |= all_ways.differing(name, hanging | set(STANDING), "unlisted")
        return found

    # A case.

    def case(self, chosen: Mapping[int, int]) -> Facts:
        """Return the facts of a case; of a variable that does not count its first value that fits."""
        values, origins = dict(self.given.values), dict(self.given.origins)
        sets: dict[str, set[str]] = {}
        methods: dict[str, float | None] = {}
        lists = dict(self.given.lists)
        found: dict[str, Any] = {}
        for variable in reversed(self.variables):
            # Objects come last: what they say of themselves wins over what stands for it where they say nothing.
            for name, value in variable.values[chosen.get(variable.number, 0)].items():
                if isinstance(name, tuple):
                    if name[0] == "auth.methods":
                        methods |= {name[1]: value} if value is not None else {}
                    else:
                        sets.setdefault(name[0], set()).update([name[1]] if value else [])
                elif name.startswith("list "):
                    lists[name[5:]] = _All() if value else ()
                else:
                    found[name] = value
        for name, held in sets.items():
            before = self.given.values.get(name)
            kept = frozenset(held | (set(before) if isinstance(before, PartlyKnown) else set()))
            found.setdefault(name, Signals(kept) if name == "signals" else kept)
        if "auth.methods" in self.open:
            found["auth.methods"] = methods
        for name in self.open:
            if name not in found and name not in values and self.rulebook.catalogue[name].type in SETS:
                found[name] = Signals() if name == "signals" else frozenset()
        values |= found
        origins |= dict.fromkeys(found, Origin.REPORTED)
        age = values.get("auth.age")
        return replace(
            self.given,
            values=values,
            origins=origins,
            lists=lists,
            default_age=age if isinstance(age, int | float) else None,
        )


class _All:
    def __contains__(self, address: object) -> bool:
        return True


def _answer(name: str, test: Callable[[Any], bool], value: Mapping[str, Any]) -> bool | None:
    return test(value[name]) if name in value else None


def _age(device: Entry, name: str, at: datetime) -> Value | None:
    return ages_of(device, at).get(name)


def _text(facts: Facts, name: str) -> str | None:
    value = facts.values.get(name)
    return value if isinstance(value, str) else None
