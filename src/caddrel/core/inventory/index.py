"""The inventory: people, groups, devices, apps and address lists, as an index for completing facts.

Objects are read from plain JSON; what is wrong with one is said with its place.
Not here: where the inventory is stored (`caddrel.store`).
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from types import MappingProxyType
from typing import Any, Final

from caddrel.core.facts.layers import Layers
from caddrel.core.facts.types import PartlyKnown, Value
from caddrel.core.inventory.address_lists import AddressList

# So many ways of telling entries apart are remembered: a list of entries for each.
MOST_DIFFERENT = 8
NOUNS = ("people", "groups", "devices", "apps", "lists")

ONE_OF = {"people": "person", "groups": "group", "devices": "device", "apps": "app", "lists": "address list"}


@dataclass(frozen=True, slots=True)
class Entry:
    """A person, device or app: the facts it supplies, and its own attributes as given.

    `groups_until` are the memberships of a person that end by themselves: group and moment. `not_understood` is what
    was stored for facts by an earlier release and is on no list, as JSON: those facts are unknown. A person who is
    `off` from a moment on has left: no sign-in of theirs is let in.
    """

    id: str
    title: str = ""
    facts: Mapping[str, Value] = field(default_factory=dict)
    attributes: Mapping[str, Any] = field(default_factory=dict)
    person: str = ""
    state_at: datetime | None = None
    listed_at: datetime | None = None
    groups_until: tuple[tuple[str, datetime], ...] = ()
    not_understood: Mapping[str, Any] = field(default_factory=dict)
    off: datetime | None = None

    def is_off(self, at: datetime) -> bool:
        """Tell whether they have left by a moment."""
        return self.off is not None and self.off <= at


@dataclass(frozen=True, slots=True)
class Group:
    """A group and the groups that it is a member of."""

    id: str
    title: str = ""
    member_of: tuple[str, ...] = ()


class Inventory:
    """An index over everything the rulebook talks about but does not define."""

    def __init__(
        self,
        people: Iterable[Entry] = (),
        groups: Iterable[Group] = (),
        devices: Iterable[Entry] = (),
        apps: Iterable[Entry] = (),
        lists: Iterable[AddressList] = (),
    ) -> None:
        self.people: Layers[Entry] = Layers({p.id: p for p in people})
        self.groups: Layers[Group] = Layers({g.id: g for g in groups})
        self.devices: Layers[Entry] = Layers({d.id: d for d in devices})
        self.apps: Layers[Entry] = Layers({a.id: a for a in apps})
        self.lists: Layers[AddressList] = Layers({a.id: a for a in lists})
        # By serial the ids of the devices that have had it, that which came last at the end: which of them have it is
        # looked at when it is asked for.
        self._by_serial: Layers[tuple[str, ...]] = Layers(_with_serials({}, self.devices.values()))
        self._closures: dict[str, frozenset[str]] = {}
        self._by_person: dict[str, list[Entry]] | None = None
        self._by_group: dict[str, list[str]] | None = None
        self._names: dict[str, frozenset[str]] | None = None
        self._different: dict[tuple[str, tuple[str, ...], frozenset[str], bool], list[Entry]] = {}
        # Nothing of an index changes once it is made: whatever was read from one with the same mark is as it was.
        self.mark: Final = object()

    @property
    def nesting(self) -> object:
        """An object that stays the same while no group comes, goes, or becomes a member of another."""
        return self._closures

    def replaced(self, changed: Inventory, gone: Mapping[str, Collection[str]] = MappingProxyType({})) -> Inventory:
        """Return the index with the objects of another added, or in place of those of the same ids.

        Parameters
        ----------
        gone
            By noun the ids of objects that are there no more.
        """
        made = Inventory()
        for noun in NOUNS:
            setattr(made, noun, getattr(self, noun).over(getattr(changed, noun), gone.get(noun, ())))
        made._by_serial = self._by_serial.over(_with_serials(self._by_serial, changed.devices.values()))
        made._closures = {} if changed.groups or gone.get("groups") else self._closures
        return made

    def with_people(self, people: Iterable[Entry]) -> Inventory:
        """Return the index with some of its people alone; everything else is the same."""
        made = Inventory(people)
        made.groups, made.devices, made.apps, made.lists = self.groups, self.devices, self.apps, self.lists
        made._by_serial, made._closures = self._by_serial, self._closures
        return made

    def with_apps(self, apps: Iterable[Entry]) -> Inventory:
        """Return the index with some of its apps alone; everything else is the same."""
        made = Inventory(apps=apps)
        made.people, made.groups, made.devices, made.lists = self.people, self.groups, self.devices, self.lists
        made._by_serial, made._closures = self._by_serial, self._closures
        return made

    def parts(self, most: int) -> Iterator[tuple[str, list[Any]]]:
        """Yield everything in it, with its noun, at most so many objects at a time."""
        for noun in NOUNS:
            objects = list(getattr(self, noun).values())
            yield from ((noun, objects[start : start + most]) for start in range(0, len(objects), most))

    def device_by(self, id: str | None, serial: str | None) -> Entry | None:
        """Return a device by its id, else by its serial; of several that have it, the one that changed last."""
        if id is not None:
            return self.devices.get(id)
        for each in reversed(self._by_serial.get(serial) or () if serial is not None else ()):
            device = self.devices.get(each)
            if device is not None and device.facts.get("device.serial") == serial:
                return device
        return None

    def devices_of(self, person: str) -> list[Entry]:
        """Return the devices that belong to a person, in the order of the inventory."""
        if self._by_person is None:
            found: dict[str, list[Entry]] = {}
            for device in self.devices.values():
                if device.person:
                    found.setdefault(device.person, []).append(device)
            self._by_person = found
        return self._by_person.get(person, [])

    def members_of(self, group: str, at: datetime) -> list[Entry]:
        """Return who is in a group at a moment, directly or through others, in order of id."""
        within = {id for id in self.groups if group in self._closure_of(id)} | {group}
        if self._by_group is None:
            found: dict[str, list[str]] = {}
            for person in self.people.values():
                lasting = person.facts.get("person.groups", frozenset())
                for each in (
                    *(lasting if isinstance(lasting, frozenset) else ()),
                    *(g for g, _ in person.groups_until),
                ):
                    found.setdefault(each, []).append(person.id)
            self._by_group = found
        ids = {id for each in within for id in self._by_group.get(each, ())}
        # Of memberships that end some have: who is in it is asked for each.
        return [self.people[id] for id in sorted(ids) if group in self.groups_of(self.people[id], at)]

    def names(self) -> Mapping[str, frozenset[str]]:
        """Return the names that it knows, by what they are names of, such as ``group``, ``role`` and ``label``."""
        if self._names is None:
            ending = {group for person in self.people.values() for group, _ in person.groups_until}
            self._names = {
                "group": frozenset(self.groups) | _members(self.people, "person.groups") | ending,
                "role": _members(self.people, "person.roles"),
                "person": frozenset(self.people),
                "device": frozenset(self.devices),
                "app": frozenset(self.apps),
                "label": _members(self.apps, "app.labels"),
                "address list": frozenset(self.lists),
            }
        return self._names

    def different(self, noun: str, facts: tuple[str, ...], named: frozenset[str], *, ages: bool) -> Sequence[Entry]:
        """Return entries but those that are as one before them: of very many most are.

        Parameters
        ----------
        facts
            Stored facts in which they may differ; of people their groups always count too.
        named
            Ids that are looked at each by itself.
        ages
            Whether the moments count that ages are told from.
        """
        key = noun, facts, named, ages
        found = self._different.get(key)
        if found is None:
            apart: dict[tuple[Any, ...], Entry] = {}
            for entry in getattr(self, noun).values():
                held = (entry.facts.get("person.groups"), entry.groups_until) if noun == "people" else ()
                since = (entry.state_at, entry.listed_at) if ages else ()
                alone = entry.id if entry.id in named else None
                apart.setdefault((alone, *map(entry.facts.get, facts), *held, *since), entry)
            if len(self._different) >= MOST_DIFFERENT:
                self._different.clear()
            found = self._different[key] = list(apart.values())
        return found

    def groups_of(self, person: Entry, at: datetime | None) -> frozenset[str]:
        """Return all groups that a person is in at a moment, directly or through others.

        Parameters
        ----------
        at
            None when nobody knows: of the groups that somebody is in by a membership that ends, it is then not known.
        """
        lasting = person.facts.get("person.groups", frozenset())
        groups = set(lasting) if isinstance(lasting, frozenset) else set()
        if at is None and person.groups_until:
            held = self.closure(groups)
            return PartlyKnown(held, self.closure(group for group, _ in person.groups_until) - held)
        groups.update(group for group, until in person.groups_until if at is not None and at < until)
        return self.closure(groups)

    def closure(self, groups: Iterable[str]) -> frozenset[str]:
        """Return the groups and all that they are members of, directly or through others."""
        found: set[str] = set()
        for name in groups:
            found |= self._closure_of(name)
        return frozenset(found)

    def _closure_of(self, name: str) -> frozenset[str]:
        if name not in self._closures:
            found, todo = {name}, [name]
            while todo:
                group = self.groups.get(todo.pop())
                for parent in group.member_of if group else ():
                    if parent not in found:
                        found.add(parent)
                        todo.append(parent)
            self._closures[name] = frozenset(found)
        return self._closures[name]


def _with_serials(before: Mapping[str, tuple[str, ...]], devices: Iterable[Entry]) -> dict[str, tuple[str, ...]]:
    """Return, for the serials of devices, the ids of those that have had it: before, and now."""
    found: dict[str, tuple[str, ...]] = {}
    for device in devices:
        if (said := device.facts.get("device.serial")) is not None:
            serial = str(said)
            there = found.get(serial) or before.get(serial) or ()
            found[serial] = (*(id for id in there if id != device.id), device.id) if there else (device.id,)
    return found


def _members(entries: Mapping[str, Entry], fact: str) -> frozenset[str]:
    """Return what is in a set that entries have each for themselves."""
    found: set[str] = set()
    for entry in entries.values():
        held = entry.facts.get(fact)
        if isinstance(held, frozenset):
            found |= held
    return frozenset(found)
