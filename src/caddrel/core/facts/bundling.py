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
from caddrel.core.facts.types import FactType, Methods, Signals, Value
from caddrel.core.facts.values import read_moment, read_reported, reported_duration, show_moment, to_json

# Facts of each group that every attempt is asked for.
TOLD: Mapping[str, tuple[str, ...]] = {
    "person": ("person.id",),
    "app": ("app.id",),
    "device": ("device.id",),
    "network": ("network.country", "network.city", "network.asn"),
    "attempt": ("auth.credentials", "client.name"),
    "signals": (),
}
MOST_REMEMBERED = 100_000
MOST_PLANS = 1_000
_SETS = (FactType.NAMES, FactType.METHODS)
_TOLD_WITH_TYPE = (*_SETS, FactType.FLAG, FactType.NUMBER)
_AGES = {"device.state_age": "state_at", "device.listed_for": "listed_at"}


@dataclass(slots=True, eq=False)
class Bundle:
    """The completed facts of one group, with the same as JSON.

    `since` are the moments that ages count from, `assumed` the ages that the rulebook assumes where there are none.
    `ends` are the moments at which memberships of the person end, and `spells` what the bundle is between them. `like`
    is a number that bundles have in common in which the rulebook sees no difference, 0 while nobody has asked. `told`
    are the values of `TOLD`, at hand without a look into all of them.
    """

    values: dict[str, Any]
    origins: dict[str, Origin]
    document: bytes
    facts: Facts
    told: tuple[Any, ...]
    since: tuple[tuple[str, datetime], ...] = ()
    assumed: tuple[tuple[str, list[Any]], ...] = ()
    ends: tuple[datetime, ...] = ()
    spells: dict[int, Bundle] = field(default_factory=dict)
    like: int = 0


class Bundled:
    """An attempt: what it has in common with others, and what is its own.

    Attributes
    ----------
    bundles
        One for each of `GROUPS`.
    own
        Facts of its own as JSON: name to origin and value.
    methods
        Methods with their ages in seconds, None when none was reported with an age.
    default_age
        Seconds; the age of methods reported without one.
    noticed
        Its signals and what each was compared with, once they have been worked out.
    """

    __slots__ = ("_facts", "_lists", "at", "bundles", "default_age", "methods", "noticed", "own")

    def __init__(
        self,
        bundles: list[Bundle],
        own: dict[str, list[Any]],
        at: datetime,
        methods: Methods | None,
        default_age: float | None,
        lists: Mapping[str, Any],
    ) -> None:
        self.bundles = bundles
        self.own = own
        self.at = at
        self.methods = methods
        self.default_age = default_age
        self.noticed: tuple[Signals, Mapping[str, Any]] | None = None
        self._lists = lists
        self._facts: Facts | None = None

    @property
    def signals(self) -> Any:
        """The value of the fact ``signals``, None when it is unknown."""
        return self.noticed[0] if self.noticed is not None else self.bundles[_SIGNALS].values.get("signals")

    @property
    def facts(self) -> Facts:
        """All facts together: most attempts are like others, and are decided without."""
        if self._facts is None:
            self._facts = self._whole()
        return self._facts

    def _whole(self) -> Facts:
        values: dict[str, Value] = {}
        origins: dict[str, Origin] = {}
        for bundle in self.bundles:
            values.update(bundle.values)
            origins.update(bundle.origins)
        for name, (origin, value) in self.own.items():
            values[name], origins[name] = value, _ORIGINS[origin]
        values["time.at"] = self.at
        if self.methods is not None:
            values["auth.methods"] = self.methods
        app, network = self.bundles[1].facts, self.bundles[3].facts
        facts = Facts(
            values, origins, self.default_age, False, app.app_listed, app.app_title, self._lists, network.coordinates
        )
        if self.noticed is not None:
            values["signals"], facts.noticed = self.noticed
            origins["signals"] = Origin.COMPUTED
        return facts


_DEVICE, _SIGNALS = GROUPS.index("device"), GROUPS.index("signals")
_ORIGINS = {origin.value: origin for origin in Origin}
Key = Callable[[Mapping[str, Any]], Any]


class _Part(NamedTuple):
    """A group of which something is reported: its facts, what tells their values apart, and the bundles made so far."""

    place: int
    names: tuple[str, ...]
    key: Key
    made: dict[Any, Bundle]


class _Plan(NamedTuple):
    """How to take apart attempts that report the same facts.

    `bare` are the bundles of groups without any; `own` the facts that are each attempt's own, but for its moment.
    """

    parts: tuple[_Part, ...]
    bare: list[Bundle]
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
            bundles = plan.bare.copy()
            for part in plan.parts:
                place, _, key, made = part
                bundle = made.get(key(document)) or self._make_part(part, document)
                bundles[place] = self._spell(part, document, bundle) if bundle.ends else bundle
            return self._attempt(document, plan, bundles)
        except (ValueError, TypeError, AttributeError, KeyError):
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
            For a fact that the catalogue does not know.
        ValueError
            Without a moment.
        """
        groups: dict[str, list[str]] = {group: [] for group in GROUPS}
        own: list[str] = []
        for fact in document:
            self._catalogue[fact]
            group = group_of(fact)
            (groups[group] if group else own).append(fact)
        own.remove("time.at")
        parts = tuple(
            _Part(place, tuple(groups[group]), self._key(tuple(groups[group])), self._made_of(group, groups[group]))
            for place, group in enumerate(GROUPS)
            if groups[group]
        )
        bare = [self._make(group, {}) for group in GROUPS]
        plan = _Plan(parts, bare, tuple(own), "auth.methods" in document)
        if len(self._plans) < MOST_PLANS:
            self._plans[tuple(document)] = plan
        return plan

    def _made_of(self, group: str, names: list[str]) -> dict[Any, Bundle]:
        return self._made.setdefault((group, *names), {}) if len(self._made) < MOST_PLANS else {}

    def _key(self, names: tuple[str, ...]) -> Key:
        """Return what tells apart the values of some facts; written out, since every attempt is asked several times."""
        kinds = [self._catalogue[name].type for name in names]
        if len(names) == 1 and kinds[0] not in _TOLD_WITH_TYPE:
            return itemgetter(*names)
        # A flag is no number, though Python takes True for 1; a text is a sequence of texts too.
        parts = [
            f"(d[{n!r}].__class__, *d[{n!r}])" if kind in _SETS
            else f"d[{n!r}].__class__, d[{n!r}]" if kind in _TOLD_WITH_TYPE
            else f"d[{n!r}]"
            for n, kind in zip(names, kinds, strict=True)
        ]  # fmt: skip
        key: Key = eval(f"lambda d: ({', '.join(parts)},)", {})  # noqa: S307 - names of the catalogue's own
        return key

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
        assumed = [name for name in _AGES if group == "device" and name in self._assume]
        mine += assumed
        values = {name: facts.values[name] for name in mine}
        origins = {name: facts.origins[name] for name in mine}
        alone = Facts(values, origins)
        if group == "app":
            alone.app_listed, alone.app_title = facts.app_listed, facts.app_title
        if group == "network":
            alone.coordinates, alone.lists = facts.coordinates, facts.lists
        document = self._document(group, alone)
        ages = tuple((name, ["assumed", to_json(values[name])]) for name in assumed)
        told = tuple(values.get(name) for name in TOLD[group])
        return Bundle(values, origins, document, alone, told, self._since(group, read), ages, self._ends(group, read))

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

    def _attempt(self, document: Mapping[str, Any], plan: _Plan, bundles: list[Bundle]) -> Bundled:
        text = document["time.at"]
        at = read_moment(text)
        plain = len(text) == _PLAIN and text[10] == "T" and text[-1] == "Z"
        own: dict[str, list[Any]] = {"time.at": ["reported", text if plain else show_moment(at)]}
        for name in plan.own:
            own[name] = ["reported", reported_duration(document[name])]
        device = bundles[_DEVICE]
        for name, since in device.since:
            if name not in own:
                age = (at - since).total_seconds()
                # Before the report, or before the device was listed, there is no age to tell.
                if age >= 0:
                    own[name] = ["inventory", age]
        for name, assumed in device.assumed:
            own.setdefault(name, assumed)
        methods = _with_ages(document["auth.methods"], own) if plan.methods else None
        default = self._assumed_age
        age_of_all = own.get("auth.age")
        if age_of_all is not None:
            if age_of_all[0] == "reported":
                default = age_of_all[1]
        elif default is not None:
            own["auth.age"] = ["assumed", default]
        return Bundled(bundles, own, at, methods, default, self._inventory.lists)


def _with_ages(reported: object, own: dict[str, list[Any]]) -> Methods | None:
    """Return methods with their ages, None when they came without; adds what is an attempt's own of them.

    Their names were read with the bundle, which knows nothing of ages.
    """
    if type(reported) is not dict:
        return None
    methods: Methods = {}
    oldest: float | None = None
    for name, age in reported.items():
        methods[name] = seconds = None if age is None else reported_duration(age)
        if seconds is not None and (oldest is None or seconds > oldest):
            oldest = seconds
    if oldest is not None:
        own["auth.methods"] = ["reported", methods]
        own.setdefault("auth.age", ["computed", oldest])
    return methods


# The length of a moment in UTC in whole seconds, which is written as it is shown.
_PLAIN = len("2026-11-02T07:10:00Z")
_BESIDE = {"app": ("app_title", "app_listed"), "network": ("coordinates", "lists")}


def _no_moment() -> AttemptRefused:
    return AttemptRefused([Diagnostic("missing-key", "a sign-in needs the fact `time.at`", path="time.at")])
