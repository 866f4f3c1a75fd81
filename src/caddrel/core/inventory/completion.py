"""Filling in the facts that nobody reported, and saying where each came from.

Five steps in a fixed order: inventory, what follows from an unlisted device, address data, the moment's defaults, the
rulebook's assumptions. A fact still unknown after them stays unknown.
Not here: reading reported values (`attempts`).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import datetime
from typing import Any

from caddrel.core.facts.catalogue import Catalogue, FactSpec
from caddrel.core.facts.facts import AddressData, Facts, Origin, Setting
from caddrel.core.facts.types import FactType, Value
from caddrel.core.facts.values import ValueRefused, read_moment_or_day, read_told
from caddrel.core.inventory.index import Entry, Inventory


def complete(
    reported: Mapping[str, Value],
    catalogue: Catalogue,
    assume: Mapping[str, Value],
    inventory: Inventory | None = None,
    setting: Setting = Setting.OFFLINE,
    now: datetime | None = None,
    address_data: AddressData | None = None,
    not_understood: Mapping[str, Any] | None = None,
) -> Facts:
    """Return the facts of an attempt with every gap filled that may be filled.

    Parameters
    ----------
    reported
        What the caller said; it wins over everything else.
    catalogue
        The facts of the rulebook.
    assume
        The rulebook's assumptions.
    inventory
        None leaves step one out.
    setting
        A live attempt gets `now` as its moment; a rehearsal starts with empty methods and notices.
    now
        Needed for live attempts.
    address_data
        What is known about an address.
    not_understood
        What the caller said of facts and is on no list; nothing fills those.
    """
    strange = dict(not_understood or {})
    facts = Facts(dict(reported), dict.fromkeys(reported, Origin.REPORTED), live=setting is Setting.LIVE)
    facts.not_understood = strange
    if strange:
        facts.origins.update(dict.fromkeys(strange, Origin.REPORTED))
    values, origins = facts.values, facts.origins

    def supply(found: Mapping[str, Value], origin: Origin) -> None:
        for name, value in found.items():
            # Whatever stands behind a word that nobody understands, it is not what a later step would put there.
            if name not in values and name not in strange:
                values[name] = value
                origins[name] = origin

    at = values.get("time.at", now if facts.live else None)
    moment = at if isinstance(at, datetime) else None
    kept = _Kept(facts, strange)
    device = _from_inventory(facts, catalogue, inventory, supply, kept, moment) if inventory is not None else None
    live = facts.live
    if live and "device.id" not in values and "device.serial" not in values:
        supply(_NOT_LISTED, Origin.DEFAULT)
    if values.get("device.listed") is False:
        supply(_UNLISTED, Origin.COMPUTED)
    address = values.get("network.ip")
    if address_data is not None and address is not None:
        known = address_data(address)  # type: ignore[arg-type]
        kept(known.not_understood, Origin.ADDRESS_DATA)
        supply(known.facts, Origin.ADDRESS_DATA)
        facts.coordinates = known.coordinates
    supply(_USUAL, Origin.DEFAULT)
    if live and now is not None:
        supply({"time.at": now}, Origin.DEFAULT)
    if setting is Setting.REHEARSAL:
        supply({"auth.methods": {}, "auth.notices": frozenset()}, Origin.DEFAULT)
    if device is not None:
        supply(ages_of(device, values.get("time.at")), Origin.INVENTORY)
    _ages_of_methods(facts, assume, supply)
    if assume:
        supply(assume, Origin.ASSUMED)
    return facts


_NOT_LISTED: Mapping[str, Value] = {"device.listed": False}
_UNLISTED: Mapping[str, Value] = {"device.managed": False, "device.vetted": False, "device.owner": "unlisted"}
_USUAL: Mapping[str, Value] = {"operation": "sign-in", "flow": "interactive"}
Supply = Callable[[Mapping[str, Value], Origin], None]


class _Kept:
    """Keeps what is not understood of facts that are not known yet."""

    def __init__(self, facts: Facts, strange: dict[str, Any]) -> None:
        self._facts, self._strange = facts, strange

    def __call__(self, said: Mapping[str, Any], origin: Origin) -> None:
        for name, what in said.items():
            if name not in self._facts.values and name not in self._strange:
                self._strange[name], self._facts.origins[name] = what, origin


def _from_inventory(
    facts: Facts, catalogue: Catalogue, inventory: Inventory, supply: Supply, kept: _Kept, at: datetime | None
) -> Entry | None:
    values = facts.values
    facts.lists = inventory.lists
    person = inventory.people.get(_text(values, "person.id") or "")
    if person is not None:
        stored = dict(person.facts)
        stored["person.groups"] = inventory.groups_of(person, at)
        stored.setdefault("person.roles", frozenset())
        _supply_entry(stored, person, "person", catalogue, supply, kept)
    app_id = _text(values, "app.id")
    app = inventory.apps.get(app_id or "")
    if app is not None:
        facts.app_title = app.title
        _supply_entry({"app.labels": frozenset(), **app.facts}, app, "app", catalogue, supply, kept)
    facts.app_listed = app is not None or app_id is None
    device_id, serial = _text(values, "device.id"), _text(values, "device.serial")
    if device_id is None and serial is None:
        return None
    device = inventory.device_by(device_id, serial)
    if device is None:
        supply(_NOT_LISTED, Origin.INVENTORY)
        return None
    stored = {"device.id": device.id, "device.listed": True, **device.facts}
    _supply_entry(stored, device, "device", catalogue, supply, kept)
    return device


def _supply_entry(
    stored: dict[str, Value], entry: Entry, kind: str, catalogue: Catalogue, supply: Supply, kept: _Kept
) -> None:
    if entry.not_understood:
        kept(entry.not_understood, Origin.INVENTORY)
    if entry.attributes:
        attributes, strange = attributes_of(entry, kind, catalogue)
        kept(strange, Origin.INVENTORY)
        stored |= attributes
    supply(stored, Origin.INVENTORY)


def _text(values: Mapping[str, Value], name: str) -> str | None:
    value = values.get(name)
    return value if isinstance(value, str) else None


def attributes_of(entry: Entry, kind: str, catalogue: Catalogue) -> tuple[dict[str, Value], dict[str, Any]]:
    """Return the facts that an entry's own attributes give, and the words among them that are on no list.

    Parameters
    ----------
    kind
        ``person``, ``device`` or ``app``.
    """
    found: dict[str, Value] = {}
    strange: dict[str, Any] = {}
    for key, value in entry.attributes.items():
        spec: FactSpec | None = catalogue.attributes.get(f"{kind}.attributes.{key}")
        if spec is None:
            continue
        # An attribute that the inventory holds in another type than the rulebook declares is not known.
        try:
            if spec.type is FactType.MOMENT and isinstance(value, str):
                found[spec.name] = read_moment_or_day(value)
                continue
            read, said = read_told(spec, value)
        except ValueRefused:
            continue
        if read is not None:
            found[spec.name] = read
        if said is not None:
            strange[spec.name] = said
    return found, strange


AGES = ("device.state_age", "device.listed_for")


def ages_of(device: Entry, at: Value | None) -> dict[str, Value]:
    """Return how long ago a device's state was reported and it was listed, in seconds at a moment."""
    if not isinstance(at, datetime):
        return {}
    moments = {"device.state_age": device.state_at, "device.listed_for": device.listed_at}
    ages = {name: (at - then).total_seconds() for name, then in moments.items() if then is not None}
    # Before the report, or before the device was listed, there is no age to tell.
    return {name: age for name, age in ages.items() if age >= 0}


def _ages_of_methods(facts: Facts, assume: Mapping[str, Value], supply: Supply) -> None:
    reported = facts.values.get("auth.age", assume.get("auth.age"))
    facts.default_age = reported if isinstance(reported, int | float) else None
    methods = facts.values.get("auth.methods")
    if isinstance(methods, dict):
        ages = [age for age in methods.values() if age is not None]
        if ages:
            supply({"auth.age": max(ages)}, Origin.COMPUTED)
