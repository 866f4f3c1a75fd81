"""Completing the attempts of doors, one at a time: what a group of facts came to is remembered, and so is its bundle.

Completion fills each group of facts from that group alone (see `completion`, for logs). So what a person's, an app's, a
device's or a network's facts came to holds for as long as the inventory's entry that they were read from is the same
object, and nothing that ends by itself has ended. What is unusual is completed the long way, as a whole: claims that
are not believed, words on no list, whatever cannot be read. A property holds both to each other.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from datetime import UTC, datetime
from itertools import count, islice
from operator import itemgetter
from typing import Any, NamedTuple

from caddrel.core.columnar.attempt import ComparedSignals
from caddrel.core.columnar.fact_groups import GROUPS, OWN, Split, group_of, split
from caddrel.core.facts.attempts import AttemptRefused, read_told_facts
from caddrel.core.facts.catalogue import Catalogue
from caddrel.core.facts.claims import believed
from caddrel.core.facts.facts import AddressData, Facts, Origin, Setting
from caddrel.core.facts.record import facts_json
from caddrel.core.facts.types import FactType, Value
from caddrel.core.facts.values import ValueRefused, reported_duration, to_json
from caddrel.core.inventory.completion import AGES, complete
from caddrel.core.inventory.index import Entry, Inventory

# Parts of a group that the same is said of, and parts in all: whoever says ever other things makes room for them.
MOST_REMEMBERED, MOST_IN_ALL = 30_000, 100_000
MOST_PLANS = 1_000
# So many documents of a group are remembered with what is added to it once it is completed.
MOST_WITH_MORE = 64
_PERSON, _APP, _DEVICE, _NETWORK, _ATTEMPT, _SIGNALS = range(len(GROUPS))
_METHODS, _AGE = "auth.methods", "auth.age"
_NEVER = datetime.max.replace(tzinfo=UTC)
# What is added to a completed live attempt: whether the person is locked out, and the notices that they accepted.
_ADDED = ("auth.locked_out", "auth.notices")
_REPORTED, _COMPUTED, _INVENTORY, _ASSUMED, _DEFAULT = (
    Origin.REPORTED, Origin.COMPUTED, Origin.INVENTORY, Origin.ASSUMED, Origin.DEFAULT,
)  # fmt: skip


class Part:
    """One group of facts, completed, and what that follows from.

    Attributes
    ----------
    asked
        The ids by which the inventory was asked for an entry: of a device its id and its serial number.
    entry
        What it answered: a person, app or device, None where there is none; of a network its address lists.
    nesting
        Of a person what their groups are members of, as `Inventory.nesting` tells it.
    mark
        Of the inventory in which it was seen last that the part still holds: in the same it does, without a look.
    place
        Stands for `origins`: of parts whose origins are the same it is the same.
    between
        The moments from which and before which it holds, where memberships of the person end or have; else None.
    beside
        What `Facts` says of this group beside values: of an app whether it is listed and its title, of a network its
        coordinates, of what the door said the age of methods that it reported.
    """

    __slots__ = (
        "_document", "asked", "beside", "between", "entry", "mark", "nesting", "origins", "place", "values",
        "with_more",
    )  # fmt: skip

    def __init__(self, values: dict[str, Value], origins: dict[str, Origin], place: int, beside: Any) -> None:
        self.values, self.origins, self.place, self.beside = values, origins, place, beside
        self.mark: Any = None
        self.asked: tuple[Any, ...] = ()
        self.entry: Any = None
        self.nesting: Any = None
        self.between: tuple[datetime, datetime] | None = None
        self.with_more: dict[Any, bytes] = {}
        self._document: bytes | None = None

    def document(self, group: int, lists: Sequence[str]) -> bytes:
        """Return it as JSON; written when it is first asked for, since of a session nothing is written."""
        if self._document is None:
            alone = Facts(self.values, self.origins)
            if group == _APP:
                alone.app_listed, alone.app_title = self.beside
            if group == _NETWORK:
                alone.coordinates, alone.lists = self.beside, self.entry
            self._document = split(facts_json(alone, lists))[1][group]
        return self._document


class LiveAttempt(NamedTuple):
    """A completed attempt of a door.

    Attributes
    ----------
    lists
        The address lists of which is kept whether they held the attempt's address.
    parts
        One for each of `GROUPS`; empty when it was completed as a whole.
    """

    facts: Facts
    lists: Sequence[str]
    parts: Sequence[Part] = ()

    def split(self) -> Split:
        """Return what is the attempt's own, and a bundle for each group, as `fact_groups.split` does."""
        facts, values = self.facts, self.facts.values
        compared = facts.noticed
        if not self.parts or facts.not_believed or facts.not_understood:
            return split(facts_json(facts, self.lists))
        said, signals = self.parts[_ATTEMPT:]
        own: dict[str, Any] = {}
        for name in _OWN:
            value = values.get(name)
            if value is None or (name == _METHODS and not _aged(value)):
                continue
            own[name] = [_WORDS[facts.origins[name]], to_json(value)]
        found: dict[str, Any] = {"values": own}
        if facts.default_age:
            found["default_age"] = facts.default_age
        found["live"] = True
        if isinstance(compared, ComparedSignals):
            told = compared.results.document
            found["noticed"] = compared.own
        else:
            told = signals.document(_SIGNALS, ())
        shared = [part.document(group, self.lists) for group, part in enumerate(self.parts[:_ATTEMPT])]
        return found, (*shared, _with_more(said, facts), told)


_OWN = sorted({*OWN, _METHODS})
_WORDS = {origin: origin.value for origin in Origin}


def _aged(methods: Any) -> bool:
    """Tell whether methods carry ages; those are an attempt's own."""
    return any(age is not None for age in methods.values())


def _with_more(part: Part, facts: Facts) -> bytes:
    """Return the bundle of what the door said, with what was added to it since."""
    values = facts.values
    locked_out, notices = (values.get(name) for name in _ADDED)
    key = (locked_out, notices, facts.origins.get("auth.notices"))
    found = part.with_more.get(key)
    if found is None:
        if len(part.with_more) >= MOST_WITH_MORE:
            part.with_more.clear()
        added = {name: values[name] for name in _ADDED if name in values}
        origins = {name: facts.origins[name] for name in added}
        whole = Facts({**part.values, **added}, {**part.origins, **origins})
        found = part.with_more[key] = split(facts_json(whole, ()))[1][_ATTEMPT]
    return found


class _Reading(NamedTuple):
    """A group, how its claims are read from all claims, and the parts made of them so far.

    Attributes
    ----------
    texts
        Whether all of it is text: only then do values that are equal say the same, whatever they are.
    """

    group: int
    names: tuple[str, ...]
    texts: bool
    of: Callable[[Mapping[str, Any]], tuple[Any, ...]]
    made: dict[Any, Part]


_Reports = tuple[str, ...] | None


class LiveCompleter:
    """Completes attempts of doors, and sessions, under all rulebooks that complete them alike.

    Parameters
    ----------
    assume
        The rulebook's assumptions.
    lists
        The address lists that the rulebook asks for.
    address_data
        What is known about an address; the same for as long as this is used.
    """

    def __init__(
        self,
        catalogue: Catalogue,
        assume: Mapping[str, Value],
        lists: Sequence[str],
        address_data: AddressData | None = None,
    ) -> None:
        self._catalogue, self._assume, self._lists = catalogue, assume, lists
        self._address_data = address_data
        self._ages_assumed = [(name, assume[name]) for name in AGES if name in assume]
        self._age_assumed = assume.get(_AGE)
        self._group_of = {name: group_of(name) for name in catalogue}
        self._plans: dict[tuple[tuple[str, ...], _Reports], tuple[_Reading, ...]] = {}
        # By group and the names that are reported of it: plans share them.
        self._made: dict[tuple[int, tuple[str, ...]], dict[Any, Part]] = {}
        # Origins that parts share, each with a number that none after it has; and those of whole attempts, by the
        # numbers of their parts.
        self._origins: dict[tuple[object, ...], tuple[int, dict[str, Origin]]] = {}
        self._places = count()
        self._together_from: dict[tuple[int, ...], dict[str, Origin]] = {}
        # How many parts were made since all were forgotten last.
        self._count = 0

    @property
    def remembered(self) -> int:
        """How many parts are remembered."""
        return sum(map(len, self._made.values()))

    def is_of(self, catalogue: Catalogue, assume: Mapping[str, Value], lists: Sequence[str]) -> bool:
        """Tell whether this completes as another rulebook does; of values their text counts too."""
        return (
            catalogue.attributes == self._catalogue.attributes
            and list(lists) == list(self._lists)
            and repr(sorted(assume.items())) == repr(sorted(self._assume.items()))
        )

    def complete(
        self, claims: Mapping[str, Any], reports: Iterable[str] | None, inventory: Inventory, now: datetime
    ) -> LiveAttempt:
        """Return a request's facts, completed.

        Parameters
        ----------
        claims
            By the whole names of facts, as JSON.
        reports
            What the caller is believed about; None where it has been found out who said it.

        Raises
        ------
        AttemptRefused
            As `attempts.read_told_facts` does.
        """
        if reports is not None and type(reports) is not tuple:
            reports = tuple(reports)
        key = tuple(claims), reports
        plan = self._plans.get(key)
        if plan is None:
            plan = self._plan(*key)
        try:
            parts = [self._part(reading, claims, inventory, now) for reading in plan]
            methods = self._methods(claims[_METHODS], parts[_ATTEMPT]) if plan and _METHODS in claims else None
        except (_LongWay, TypeError, ValueRefused, AttemptRefused):
            parts, methods = [], None
        if not parts:
            return LiveAttempt(self._whole(claims, reports, inventory, now), self._lists)
        return LiveAttempt(self._together(parts, methods, inventory, now), self._lists, parts)

    def _whole(self, claims: Mapping[str, Any], reports: _Reports, inventory: Inventory, now: datetime) -> Facts:
        may, others = (claims, {}) if reports is None else believed(claims, reports)
        told, strange = read_told_facts(may, self._catalogue)
        facts = complete(
            told, self._catalogue, self._assume, inventory, Setting.LIVE, now, self._address_data, strange
        )  # fmt: skip
        facts.not_believed = others
        return facts

    def _plan(self, names: tuple[str, ...], reports: _Reports) -> tuple[_Reading, ...]:
        """Return how claims of these names are taken apart; nothing when they are completed as a whole."""
        others = {} if reports is None else believed(dict.fromkeys(names), reports)[1]
        usual = not others and all(name in self._catalogue and (name not in OWN or name == _AGE) for name in names)
        plan: tuple[_Reading, ...] = ()
        if usual and len(self._made) < MOST_PLANS:
            plan = tuple(self._reading(place, names) for place in range(len(GROUPS)))
        if len(self._plans) < MOST_PLANS:
            self._plans[names, reports] = plan
        return plan

    def _reading(self, group: int, names: tuple[str, ...]) -> _Reading:
        # The age of methods is told by what is said of them, and belongs to no group.
        mine = tuple(name for name in names if group_of(name) == GROUPS[group] and name != _METHODS)
        if group == _ATTEMPT:
            mine += tuple(name for name in (_AGE, _METHODS) if name in names)
        texts = all(self._catalogue[name].type not in _NOT_TEXT for name in mine)
        return _Reading(group, mine, texts, _getter(mine), self._made.setdefault((group, mine), {}))

    def _part(self, reading: _Reading, claims: Mapping[str, Any], inventory: Inventory, now: datetime) -> Part:
        """Return a group of facts as it is now.

        Raises
        ------
        _LongWay
            When it is completed as a whole.
        TypeError
            When a claim is no plain value.
        """
        key: Any = reading.of(claims)
        if not reading.texts:
            if reading.names[-1] == _METHODS:
                # What methods there are; how old each is is the attempt's own.
                key = (*key[:-1], key[-1].__class__, *key[-1])
            # Of what kind they are is part of it: True equals 1, and 1 equals 1.0.
            key = key, tuple(map(type, key))
        part = reading.made.get(key)
        if part is not None:
            # What the door said of the attempt is that, whatever becomes of the inventory.
            if part.mark is inventory.mark or reading.group >= _ATTEMPT:
                return part
            if _holds(part, reading.group, inventory, now):
                # Where memberships end, the time counts too.
                part.mark = inventory.mark if part.between is None else None
                return part
        if len(reading.made) >= MOST_REMEMBERED:
            # The older half; whoever is still there is completed once more.
            for old in list(islice(reading.made, MOST_REMEMBERED // 2)):
                reading.made.pop(old, None)
        part = reading.made[key] = self._make(reading, claims, inventory, now)
        self._count += 1
        if self._count > MOST_IN_ALL:
            self._count = 0
            for made in self._made.values():
                made.clear()
            self._origins.clear()
            self._together_from.clear()
        return part

    def _make(self, reading: _Reading, claims: Mapping[str, Any], inventory: Inventory, now: datetime) -> Part:
        group = GROUPS[reading.group]
        mine = {name: claims[name] for name in reading.names}
        if isinstance(mine.get(_METHODS), dict):
            mine[_METHODS] = list(mine[_METHODS])
        told, strange = read_told_facts(mine, self._catalogue)
        facts = complete(told, self._catalogue, self._assume, inventory, Setting.LIVE, now, self._address_data, strange)
        if any(group_of(name) == group for name in facts.not_understood):
            raise _LongWay
        of = self._group_of
        values = {name: value for name, value in facts.values.items() if of[name] == group}
        beside: Any = None
        if reading.group == _APP:
            beside = (facts.app_listed, facts.app_title)
        elif reading.group == _NETWORK:
            beside = facts.coordinates
        elif reading.group == _ATTEMPT and _AGE in told:
            beside = facts.default_age
        # Parts whose facts come from the same places share that.
        mine_from = {name: facts.origins[name] for name in values}
        # By which members they are: an enumeration's own hash is worked out in Python.
        alike = (*mine_from, *map(id, mine_from.values()))
        place, origins = self._origins.setdefault(alike, (next(self._places), mine_from))
        part = Part(values, origins, place, beside)
        asked = [told.get(name) for name in _ASKED_BY.get(reading.group, ())]
        part.asked = tuple([id if isinstance(id, str) else None for id in asked])
        part.entry = _entry(part, reading.group, inventory)
        if reading.group == _PERSON:
            part.nesting = inventory.nesting
            if part.entry is not None and part.entry.groups_until:
                # Also where all have ended: before, as somebody may ask who was let in a moment ago, they had not.
                ends = [until for _, until in part.entry.groups_until if until > now]
                part.between = now, min(ends, default=_NEVER)
        return part

    def _methods(self, said: Any, part: Part) -> dict[str, Any] | None:
        """Return methods with their ages, None when none was reported with an age.

        Raises
        ------
        _LongWay
            When methods are said twice, or nothing is said of them.
        ValueRefused
            When an age is none.
        """
        if not isinstance(said, dict):
            return None
        known: Any = part.values.get(_METHODS)
        if known is None or len(known) != len(said):
            raise _LongWay
        ages = [None if age is None else reported_duration(age) for age in said.values()]
        return dict(zip(known, ages, strict=True)) if ages.count(None) < len(ages) else None

    def _together(
        self, parts: Sequence[Part], methods: dict[str, Any] | None, inventory: Inventory, now: datetime
    ) -> Facts:
        person, app, device, network, said, signals = parts
        values: dict[str, Value] = {
            **person.values, **app.values, **device.values, **network.values, **said.values, **signals.values,
            "time.at": now,
        }  # fmt: skip
        origins = self._origins_of(parts).copy()
        entry: Entry | None = device.entry
        for name, since in zip(AGES, (entry.state_at, entry.listed_at), strict=True) if entry is not None else ():
            # Before the report, or before the device was listed, there is no age to tell.
            if since is not None and since <= now:
                values[name], origins[name] = (now - since).total_seconds(), _INVENTORY
        for name, assumed in self._ages_assumed:
            if name not in values:
                values[name], origins[name] = assumed, _ASSUMED
        default_age = said.beside
        if methods is not None:
            values[_METHODS] = methods
        if default_age is not None:
            values[_AGE], origins[_AGE] = default_age, _REPORTED
        elif methods is not None:
            values[_AGE], origins[_AGE] = max(age for age in methods.values() if age is not None), _COMPUTED
        elif self._age_assumed is not None:
            values[_AGE], origins[_AGE] = self._age_assumed, _ASSUMED
        if default_age is None and isinstance(self._age_assumed, int | float):
            default_age = self._age_assumed
        listed, title = app.beside
        return Facts(values, origins, default_age, True, listed, title, inventory.lists, network.beside)

    def _origins_of(self, parts: Sequence[Part]) -> dict[str, Origin]:
        """Return where the facts of parts come from together; of most attempts that is the same."""
        person, app, device, network, said, signals = parts
        places = person.place, app.place, device.place, network.place, said.place, signals.place
        found = self._together_from.get(places)
        if found is None:
            if len(self._together_from) >= MOST_PLANS:
                self._together_from.clear()
            found = {}
            for part in parts:
                found |= part.origins
            found["time.at"] = _DEFAULT
            self._together_from[places] = found
        return found


class _LongWay(Exception):
    """The attempt is completed as a whole."""


def _holds(part: Part, group: int, inventory: Inventory, now: datetime) -> bool:
    """Tell whether a part is still what it would be made now.

    Entries are never changed once they are made: what changes of one is in another, so the same object says the same.
    """
    if group == _PERSON:
        if part.nesting is not inventory.nesting:
            return False
        if part.between is not None and not part.between[0] <= now < part.between[1]:
            return False
    return _entry(part, group, inventory) is part.entry


# What an entry of the inventory is found by.
_ASKED_BY = {_PERSON: ("person.id",), _APP: ("app.id",), _DEVICE: ("device.id", "device.serial")}


def _entry(part: Part, group: int, inventory: Inventory) -> Any:
    """Return what the inventory has for a part now."""
    if group == _PERSON:
        return inventory.people.get(part.asked[0] or "")
    if group == _APP:
        return inventory.apps.get(part.asked[0] or "")
    if group == _DEVICE:
        return inventory.device_by(*part.asked)
    return inventory.lists if group == _NETWORK else None


# What is read from values other than texts.
_NOT_TEXT = (FactType.FLAG, FactType.NUMBER, FactType.DURATION, FactType.NAMES, FactType.METHODS)


def _getter(names: tuple[str, ...]) -> Callable[[Mapping[str, Any]], tuple[Any, ...]]:
    """Return what reads the values of some names."""
    if len(names) > 1:
        return itemgetter(*names)
    return (lambda claims: (claims[names[0]],)) if names else (lambda _claims: ())
