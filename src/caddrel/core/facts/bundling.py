"""Completing the facts of many attempts: what two attempts have in common is found out once.

Completion fills each group of facts from that group alone, so a group that was completed before needs no completing
again. What comes out is what `completion.complete` gives for the attempt as a whole; a property holds it to that.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from operator import itemgetter
from typing import Any, NamedTuple

from caddrel.core.diagnostics import Diagnostic
from caddrel.core.facts.attempts import AttemptRefused, flat_facts, read_facts
from caddrel.core.facts.bundles import GROUPS, encoded, group_of, has_ages
from caddrel.core.facts.catalogue import Catalogue
from caddrel.core.facts.completion import AddressData, Facts, Origin, Setting, complete
from caddrel.core.facts.inventory import Inventory
from caddrel.core.facts.record import facts_json
from caddrel.core.facts.types import FactType, Value
from caddrel.core.facts.values import ValueRefused, read_moment, read_reported, reported_duration, show_moment, to_json

MOST_REMEMBERED = 100_000
MOST_PLANS = 1_000
MOST_JOINED = 8
_SETS = (FactType.NAMES, FactType.METHODS)
_AGES = {"device.state_age": "state_at", "device.listed_for": "listed_at"}


@dataclass(slots=True, eq=False)
class Bundle:
    """The completed facts of one group, with the same as JSON.

    `since` are the moments that ages count from, `assumed` the ages that the rulebook assumes where there are none;
    `joined` keeps what a person's facts and a device's are together. `ends` are the moments at which memberships of the
    person end, and `spells` what the bundle is between them.
    """

    values: dict[str, Value]
    origins: dict[str, Origin]
    document: bytes
    facts: Facts
    since: tuple[tuple[str, datetime], ...] = ()
    assumed: tuple[str, ...] = ()
    joined: dict[int, tuple[Bundle, dict[str, Value], dict[str, Origin]]] = field(default_factory=dict)
    ends: tuple[datetime, ...] = ()
    spells: dict[int, Bundle] = field(default_factory=dict)


class Bundled(NamedTuple):
    """An attempt: its facts, the bundles they came from, and what is its own as JSON: name to origin and value."""

    facts: Facts
    bundles: list[Bundle]
    own: dict[str, list[Any]]
    at: datetime


Key = Callable[[Mapping[str, Any]], Any]


class _Part(NamedTuple):
    """A group of which something is reported: its facts, what tells their values apart, and the bundles made so far."""

    place: int
    names: tuple[str, ...]
    key: Key
    made: dict[Any, Bundle]


class _Plan(NamedTuple):
    """How to take apart attempts that report the same facts; `bare` are the bundles of groups without any."""

    parts: tuple[_Part, ...]
    bare: tuple[Bundle, ...]
    own: tuple[str, ...]
    methods: bool


class Bundler:
    """Completes attempts of a log under one rulebook; parameters are those of `completion.complete`.

    Parameters
    ----------
    lists
        The address lists that the rulebook asks for.
    """

    def __init__(
        self,
        catalogue: Catalogue,
        assume: Mapping[str, Value],
        inventory: Inventory,
        lists: list[str],
        address_data: AddressData | None = None,
    ) -> None:
        self._catalogue = catalogue
        self._assume = assume
        self._inventory = inventory
        self._lists = lists
        self._address_data = address_data
        self._plans: dict[tuple[str, ...], _Plan] = {}
        self._made: dict[tuple[str, ...], dict[Any, Bundle]] = {}
        self._count = 0
        age = assume.get("auth.age")
        self._assumed_age = age if isinstance(age, int | float) else None

    def bundle(self, document: Any) -> Bundled:
        """Return an attempt reported as JSON.

        Raises
        ------
        AttemptRefused
            As `attempts.read_facts` does; and when there is no moment.
        """
        try:
            plan = self._plans.get(tuple(document)) or self._plan(document)
            bundles = [*plan.bare]
            for part in plan.parts:
                place, _, key, made = part
                bundle = made.get(key(document)) or self._make_part(part, document)
                bundles[place] = self._spell(part, document, bundle) if bundle.ends else bundle
            return self._whole(document, plan, bundles)
        except (ValueRefused, TypeError, AttributeError, KeyError):
            # Nested facts, nulls, and everything that is wrong: read whole, which tells what it is.
            read_facts(document, self._catalogue)
            flat = flat_facts(document, self._catalogue)
            if flat.get("time.at") is None:
                raise _no_moment() from None
            if tuple(flat) == tuple(document):
                raise
            return self.bundle(flat)

    def _plan(self, document: Mapping[str, Any]) -> _Plan:
        """Return how to take such attempts apart.

        Raises
        ------
        KeyError
            For a fact that the catalogue does not know, or without a moment.
        """
        groups: dict[str, list[str]] = {group: [] for group in GROUPS}
        own: list[str] = []
        for fact in document:
            self._catalogue[fact]
            group = group_of(fact)
            (groups[group] if group else own).append(fact)
        if "time.at" not in own:
            raise KeyError("time.at")
        parts = tuple(
            _Part(place, tuple(groups[group]), self._key(tuple(groups[group])), self._made_of(group, groups[group]))
            for place, group in enumerate(GROUPS)
            if groups[group]
        )
        bare = tuple(self._make(group, {}) for group in GROUPS)
        plan = _Plan(parts, bare, tuple(own), "auth.methods" in document)
        if len(self._plans) < MOST_PLANS:
            self._plans[tuple(document)] = plan
        return plan

    def _made_of(self, group: str, names: list[str]) -> dict[Any, Bundle]:
        return self._made.setdefault((group, *names), {}) if len(self._made) < MOST_PLANS else {}

    def _key(self, names: tuple[str, ...]) -> Key:
        """Return what tells apart the values of some facts."""
        if not names:
            return lambda _document: ()
        sets = [name for name in names if self._catalogue[name].type in _SETS]
        if not sets:
            # A flag is no number, though Python takes True for 1; a type that tells them apart costs little.
            get = itemgetter(*names)
            flags = [n for n in names if self._catalogue[n].type in {FactType.FLAG, FactType.NUMBER}]
            if not flags:
                return get
            kinds = itemgetter(*flags)
            several = len(flags) > 1
            return lambda d: (get(d), tuple(map(type, kinds(d))) if several else type(kinds(d)))
        plain = tuple(name for name in names if name not in sets)
        rest = self._key(plain)
        # With its type, since a text is a sequence of texts too.
        return lambda d: (rest(d), *[(type(d[name]), *d[name]) for name in sets])

    def _make_part(self, part: _Part, document: Mapping[str, Any]) -> Bundle:
        self._count += 1
        if self._count > MOST_REMEMBERED:
            self._count = 0
            for made in self._made.values():
                made.clear()
        found = self._make(GROUPS[part.place], {name: document[name] for name in part.names})
        part.made[part.key(document)] = found
        return found

    def _spell(self, part: _Part, document: Mapping[str, Any], bundle: Bundle) -> Bundle:
        """Return a person's bundle as it is at the moment of an attempt, between two ends of memberships."""
        at = read_moment(document["time.at"])
        spell = bisect_right(bundle.ends, at)
        found = bundle.spells.get(spell)
        if found is None:
            reported = {name: document[name] for name in part.names}
            found = bundle.spells[spell] = self._make(GROUPS[part.place], reported, at)
        return found

    def _make(self, group: str, reported: Mapping[str, Any], at: datetime | None = None) -> Bundle:
        """Return a group completed; what completion says of other groups is left to them."""
        read = {}
        for name, value in reported.items():
            if value is None:
                raise TypeError("a fact without value")
            kept = list(value) if name == "auth.methods" and has_ages(value) else value
            read[name] = read_reported(self._catalogue[name], kept)
        said = read if at is None else {**read, "time.at": at}
        facts = complete(
            said, self._catalogue, self._assume, self._inventory, Setting.LOG, address_data=self._address_data
        )
        mine = [name for name in facts.values if group_of(name) == group]
        # Ages that the rulebook assumes count where none can be told.
        assumed = tuple(name for name in _AGES if group == "device" and name in self._assume)
        mine += assumed
        values = {name: facts.values[name] for name in mine}
        origins = {name: facts.origins[name] for name in mine}
        alone = Facts(values, origins)
        if group == "app":
            alone.app_listed, alone.app_title = facts.app_listed, facts.app_title
        if group == "network":
            alone.coordinates, alone.lists = facts.coordinates, facts.lists
        document = self._document(group, alone)
        return Bundle(values, origins, document, alone, self._since(group, read), assumed, ends=self._ends(group, read))

    def _document(self, group: str, alone: Facts) -> bytes:
        whole = facts_json(alone, self._lists if group == "network" else ())
        kept = {name: whole[name] for name in _BESIDE.get(group, ()) if name in whole}
        values = {name: value for name, value in whole["values"].items() if group_of(name)}
        return encoded({**({"values": values} if values else {}), **kept})

    def _ends(self, group: str, read: Mapping[str, Value]) -> tuple[datetime, ...]:
        id = read.get("person.id")
        person = self._inventory.people.get(id) if group == "person" and isinstance(id, str) else None
        return tuple(sorted({until for _, until in person.groups_until})) if person is not None else ()

    def _since(self, group: str, read: Mapping[str, Value]) -> tuple[tuple[str, datetime], ...]:
        if group != "device":
            return ()
        id, serial = read.get("device.id"), read.get("device.serial")
        texts = (id if isinstance(id, str) else None, serial if isinstance(serial, str) else None)
        device = self._inventory.device_by(*texts) if texts != (None, None) else None
        moments = {} if device is None else {name: getattr(device, held) for name, held in _AGES.items()}
        return tuple((name, moment) for name, moment in moments.items() if moment is not None)

    def _whole(self, document: Mapping[str, Any], plan: _Plan, bundles: list[Bundle]) -> Bundled:
        person, app, device, network, attempt, signals = bundles
        at = read_moment(document["time.at"])
        # Most people use one device: copying what the two have together is quicker than adding it up each time.
        together = person.joined.get(id(device))
        if together is None or together[0] is not device:
            if len(person.joined) > MOST_JOINED:
                person.joined.clear()
            together = person.joined[id(device)] = (
                device, {**person.values, **device.values}, {**person.origins, **device.origins}
            )  # fmt: skip
        values: dict[str, Value] = together[1].copy()
        origins: dict[str, Origin] = together[2].copy()
        for part in (app, network, attempt, signals) if signals.values else (app, network, attempt):
            values.update(part.values)
            origins.update(part.origins)
        own: dict[str, list[Any]] = {}
        for name, since in device.since:
            age = (at - since).total_seconds()
            # Before the report, or before the device was listed, there is no age to tell.
            if age >= 0:
                values[name], origins[name] = age, Origin.INVENTORY
                own[name] = ["inventory", age]
        for name in plan.own:
            values[name] = value = at if name == "time.at" else reported_duration(document[name])
            own[name] = ["reported", show_moment(at) if value is at else value]
            origins[name] = Origin.REPORTED
        default = self._add_methods(document, plan, values, origins, own)
        for name in device.assumed:
            own.setdefault(name, ["assumed", to_json(values[name])])
        facts = Facts(
            values, origins, default, False, app.facts.app_listed, app.facts.app_title,
            self._inventory.lists, network.facts.coordinates,
        )  # fmt: skip
        return Bundled(facts, bundles, own, at)

    def _add_methods(
        self,
        document: Mapping[str, Any],
        plan: _Plan,
        values: dict[str, Value],
        origins: dict[str, Origin],
        own: dict[str, list[Any]],
    ) -> float | None:
        """Add the methods with their ages, and the age of those without; returns the latter."""
        default = self._assumed_age
        methods = document["auth.methods"] if plan.methods else None
        if has_ages(methods):
            read: Any = read_reported(self._catalogue["auth.methods"], methods)
            values["auth.methods"] = read
            known = [age for age in read.values() if age is not None]
            if known:
                own["auth.methods"] = ["reported", read]
            if known and "auth.age" not in own:
                values["auth.age"], origins["auth.age"] = max(known), Origin.COMPUTED
                own["auth.age"] = ["computed", max(known)]
        if "auth.age" not in own:
            if default is not None:
                values["auth.age"], origins["auth.age"] = default, Origin.ASSUMED
                own["auth.age"] = ["assumed", default]
        elif origins["auth.age"] is Origin.REPORTED:
            default = values["auth.age"]  # type: ignore[assignment]
        return default


_BESIDE = {"app": ("app_title", "app_listed"), "network": ("coordinates", "lists")}


def _no_moment() -> AttemptRefused:
    return AttemptRefused([Diagnostic("missing-key", "a sign-in needs the fact `time.at`", path="time.at")])
