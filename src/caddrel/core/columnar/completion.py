"""Completing the facts of many attempts: what two attempts have in common is found out once.

Completion fills each group of facts from that group alone, so a group that was completed before needs no completing
again. What comes out is what `completion.complete` gives for the attempt as a whole; a property holds it to that.
Not here: what is each attempt's own (`own_facts`).
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Mapping, Sequence
from datetime import datetime
from typing import Any, NamedTuple

from caddrel.core.columnar.attempt import _DEVICE, _PERSON, TOLD, Bundle, Bundled
from caddrel.core.columnar.fact_groups import GROUPS, group_of, has_ages
from caddrel.core.columnar.own_facts import DEVICE_AGES, Columns, OwnFacts
from caddrel.core.diagnostics import Diagnostic
from caddrel.core.facts.attempts import AttemptRefused, flat_facts, read_told_facts
from caddrel.core.facts.catalogue import Catalogue
from caddrel.core.facts.facts import AddressData, Facts, Setting
from caddrel.core.facts.record import encoded, facts_json
from caddrel.core.facts.types import FactType, Value
from caddrel.core.facts.values import read_moment, read_told, to_json
from caddrel.core.inventory.completion import complete
from caddrel.core.inventory.index import Inventory

MOST_REMEMBERED = 100_000
MOST_PLANS = 1_000
_SETS = (FactType.NAMES, FactType.METHODS)
_TOLD_WITH_TYPE = (*_SETS, FactType.FLAG, FactType.NUMBER)


# Gives what tells the values of some facts apart, for many attempts.
Keys = Callable[[Columns], Sequence[Any]]


class _Part(NamedTuple):
    """A group of which something is reported: its facts, what tells their values apart, and the bundles made so far."""

    place: int
    names: tuple[str, ...]
    keys: Keys
    made: dict[Any, Bundle]


class _Plan(NamedTuple):
    """How to take apart attempts that report the same facts: for each group a part, or its bundle without any fact."""

    names: tuple[str, ...]
    groups: tuple[_Part | Bundle, ...]


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
        self._own = OwnFacts(age if isinstance(age, int | float) else None)
        self._some_end = any(person.groups_until for person in inventory.people.values())

    def bundle(self, documents: Sequence[Mapping[str, Any]]) -> list[Bundled]:
        """Return attempts reported as JSON.

        Raises
        ------
        AttemptRefused
            As `attempts.read_told_facts` does, for the first that is wrong; and when there is no moment.
        """
        shapes: dict[tuple[str, ...], list[int]] = {}
        for place, names in enumerate(map(tuple, documents)):
            shapes.setdefault(names, []).append(place)
        if len(shapes) == 1:
            return self._alike(next(iter(shapes)), documents)
        found: dict[int, Bundled] = {}
        for names, places in shapes.items():
            found.update(zip(places, self._alike(names, [documents[place] for place in places]), strict=True))
        return [found[place] for place in range(len(documents))]

    def _alike(self, names: tuple[str, ...], documents: Sequence[Mapping[str, Any]]) -> list[Bundled]:
        """Return attempts that report the same facts in the same order."""
        try:
            return self._planned(self._plans.get(names) or self._plan(names), documents)
        except (ValueError, TypeError, AttributeError, KeyError):
            # Nested facts, nulls, and everything that is wrong: read whole, which tells what it is.
            flat = [self._flat(document) for document in documents]
            if all(tuple(each) == names for each in flat):
                raise
            return self.bundle(flat)

    def _flat(self, document: Mapping[str, Any]) -> dict[str, Any]:
        read_told_facts(document, self._catalogue)
        # An empty text is not reported.
        flat = {name: value for name, value in flat_facts(document, self._catalogue).items() if value != ""}
        if flat.get("time.at") is None:
            raise AttemptRefused([Diagnostic("missing-key", "a sign-in needs the fact `time.at`", path="time.at")])
        return flat

    def _planned(self, plan: _Plan, documents: Sequence[Mapping[str, Any]]) -> list[Bundled]:
        values = zip(*(document.values() for document in documents), strict=True)
        columns = dict(zip(plan.names, values, strict=True))
        groups = [
            [group] * len(documents) if isinstance(group, Bundle) else self._bundles(group, columns, documents)
            for group in plan.groups
        ]
        own = self._own.of(columns, groups[_DEVICE])
        lists = self._inventory.lists
        return [
            Bundled(bundles, at, document, ages, methods, default_age, lists)
            for bundles, at, document, ages, methods, default_age in zip(zip(*groups, strict=True), *own, strict=True)
        ]

    def _plan(self, names: tuple[str, ...]) -> _Plan:
        """Return how to take such attempts apart.

        Raises
        ------
        KeyError
            For a fact that the catalogue does not know; and without a moment.
        """
        groups: dict[str, list[str]] = {group: [] for group in ("", *GROUPS)}
        for fact in names:
            self._catalogue[fact]
            groups[group_of(fact)].append(fact)
        if "time.at" not in names:
            raise KeyError("time.at")
        parts: list[_Part | Bundle] = []
        for place, group in enumerate(GROUPS):
            mine = tuple(groups[group])
            if not mine:
                parts.append(self._make(group, {}))
                continue
            made = self._made.setdefault((group, *mine), {}) if len(self._made) < MOST_PLANS else {}
            parts.append(_Part(place, mine, self._keys(mine), made))
        plan = _Plan(names, tuple(parts))
        if len(self._plans) < MOST_PLANS:
            self._plans[names] = plan
        return plan

    def _keys(self, names: tuple[str, ...]) -> Keys:
        """Return what tells apart the values of some facts."""
        kinds = [(name, self._catalogue[name].type) for name in names]

        def keys(columns: Columns) -> Sequence[Any]:
            told: list[Any] = []
            for name, kind in kinds:
                column = columns[name]
                # A flag is no number, though Python takes True for 1; a text is a sequence of texts too.
                if kind in _SETS:
                    told.append([(value.__class__, *value) for value in column])
                elif kind in _TOLD_WITH_TYPE:
                    told += (map(type, column), column)
                else:
                    told.append(column)
            return told[0] if len(told) == 1 else list(zip(*told, strict=True))

        return keys

    def _bundles(self, part: _Part, columns: Columns, documents: Sequence[Mapping[str, Any]]) -> list[Bundle]:
        keys = part.keys(columns)
        found = list(map(part.made.get, keys))
        if None in found:
            for place, bundle in enumerate(found):
                if bundle is None:
                    found[place] = part.made.get(keys[place]) or self._make_part(part, keys[place], documents[place])
        bundles: list[Bundle] = found  # type: ignore[assignment]  # none is missing any more
        if part.place == _PERSON and self._some_end:
            return [
                self._spell(part, document, bundle) if bundle.ends else bundle
                for bundle, document in zip(bundles, documents, strict=True)
            ]
        return bundles

    def _make_part(self, part: _Part, key: Any, document: Mapping[str, Any]) -> Bundle:
        self._count += 1
        if self._count > MOST_REMEMBERED:
            # Plans go with them: some may have bundles that no other plan has.
            self._count = 0
            self._plans.clear()
            self._made.clear()
        found = self._make(GROUPS[part.place], {name: document[name] for name in part.names})
        part.made[key] = found
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
        read: dict[str, Value] = {}
        strange: dict[str, Any] = {}
        for name, value in reported.items():
            if value is None or value == "":
                raise TypeError("a fact without value")
            kept = list(value) if name == "auth.methods" and has_ages(value) else value
            found, said = read_told(self._catalogue[name], kept)
            if found is not None:
                read[name] = found
            if said is not None:
                strange[name] = said
        said = read if at is None else {**read, "time.at": at}
        facts = complete(
            said, self._catalogue, self._assume, self._inventory, Setting.LOG, address_data=self._address_data,
            not_understood=strange,
        )  # fmt: skip
        mine = [name for name in facts.values if group_of(name) == group]
        # Ages that the rulebook assumes count where none can be told.
        assumed = [name for name in DEVICE_AGES if group == "device" and name in self._assume]
        mine += assumed
        values = {name: facts.values[name] for name in mine}
        not_understood = {name: said for name, said in facts.not_understood.items() if group_of(name) == group}
        origins = {name: facts.origins[name] for name in (*mine, *not_understood)}
        alone = Facts(values, origins, not_understood=not_understood)
        if group == "app":
            alone.app_listed, alone.app_title = facts.app_listed, facts.app_title
        if group == "network":
            alone.coordinates, alone.lists = facts.coordinates, facts.lists
        document = self._document(group, alone)
        ages: Any = tuple(to_json(values[name]) if name in assumed else None for name in DEVICE_AGES)
        told: tuple[Any, ...] = tuple(values.get(name) for name in TOLD[group])
        if group == "network":
            told += (alone.coordinates,)
        return Bundle(values, origins, document, alone, told, self._since(group, read), ages, self._ends(group, read))

    def _document(self, group: str, alone: Facts) -> bytes:
        whole = facts_json(alone, self._lists if group == "network" else ())
        kept = {name: whole[name] for name in (*_BESIDE.get(group, ()), "not_understood") if name in whole}
        values = {name: value for name, value in whole["values"].items() if group_of(name)}
        return encoded({**({"values": values} if values else {}), **kept})

    def _ends(self, group: str, read: Mapping[str, Value]) -> tuple[datetime, ...]:
        id = read.get("person.id")
        person = self._inventory.people.get(id) if group == "person" and isinstance(id, str) else None
        return tuple(sorted({until for _, until in person.groups_until})) if person is not None else ()

    def _since(self, group: str, read: Mapping[str, Value]) -> tuple[datetime | None, datetime | None]:
        if group != "device":
            return (None, None)
        id, serial = read.get("device.id"), read.get("device.serial")
        texts = (id if isinstance(id, str) else None, serial if isinstance(serial, str) else None)
        device = self._inventory.device_by(*texts) if texts != (None, None) else None
        return (None, None) if device is None else (device.state_at, device.listed_at)


_BESIDE = {"app": ("app_title", "app_listed"), "network": ("coordinates", "lists")}
