"""Sign-ins that a person could make: with what they have enrolled, from their devices, at any place, at any time.

They are tried to show that somebody can get in, so they are the best that the person can do: every factor proved just
now, every notice accepted, nothing suspected.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from itertools import product

from caddrel.core.decide.requirements import YIELDS
from caddrel.core.facts.facts import Facts, Origin
from caddrel.core.facts.types import Value
from caddrel.core.inventory.index import Entry, Inventory
from caddrel.core.rulebook.model import Place, Rulebook, Schedule

MOST_PLACES = 200
MOST_DEVICES = 10
# What may fail: a feed that has died tells nothing any more, and what devices last reported grows old.
FEEDS: Mapping[str, tuple[str, ...]] = {
    "the risk feed": ("risk.attempt", "person.risk"),
    "the device reports": ("device.state_age",),
    "the address data": ("network.country", "network.city", "network.asn", "network.anonymiser"),
    "the signals": ("signals",),
}
_OLD = 90 * 86_400.0


@dataclass(frozen=True, slots=True)
class Possible:
    """A sign-in that a person could make, in words and as facts that a door would report."""

    device: str
    place: str
    facts: Mapping[str, Value]


def possible(rulebook: Rulebook, inventory: Inventory, person: Entry, app: str, now: datetime) -> Iterator[Possible]:
    """Yield sign-ins of a person to an app, those most likely to be allowed first."""
    factors = person.facts.get("person.factors", frozenset())
    held = factors if isinstance(factors, frozenset) else frozenset()
    methods: dict[str, float | None] = {m: 0.0 for factor in held for m in YIELDS.get(factor, ())}
    methods["password-changed"] = 0.0
    common: dict[str, Value] = {
        "person.id": person.id,
        "app.id": app,
        "operation": "sign-in",
        "flow": "interactive",
        "client.kind": "browser",
        "client.vetted": True,
        "client.protected": True,
        "auth.credentials": "right",
        "auth.locked_out": False,
        "auth.methods": methods,
        "auth.notices": frozenset(rulebook.notices),
        "risk.attempt": "none",
        "signals": frozenset(),
    }
    devices = [d for d in inventory.devices.values() if d.person == person.id][:MOST_DEVICES]
    named: list[str | None] = [*(device.id for device in devices), None]
    for device, (place, network), moment in product(named, _networks(rulebook), _moments(rulebook, now)):
        facts: dict[str, Value] = {**common, **network, "time.at": moment}
        if device is None:
            facts["device.listed"] = False
        else:
            facts["device.id"] = device
        yield Possible(device or "a device that nobody knows", place, facts)


def silenced(facts: Facts, feed: str, assume: Mapping[str, Value]) -> Facts:
    """Return completed facts as they are while a feed is dead; what the rulebook assumes takes its place."""
    gone = FEEDS[feed]
    values = {name: value for name, value in facts.values.items() if name not in gone}
    values.update((name, value) for name, value in assume.items() if name in gone)
    if "device.state_age" in gone and "device.state_age" in facts.values:
        values["device.state_age"] = _OLD
    origins = {name: facts.origins.get(name, Origin.ASSUMED) for name in values}
    return replace(facts, values=values, origins=origins)


def _networks(rulebook: Rulebook) -> list[tuple[str, Mapping[str, Value]]]:
    found: list[tuple[str, Mapping[str, Value]]] = []
    for place in list(rulebook.places.values())[:MOST_PLACES]:
        network = _inside(place, rulebook, frozenset())
        if network is not None:
            found.append((place.title or place.id, {"network.anonymiser": "none", **network}))
    return [*found, ("some other network", {"network.anonymiser": "none"})]


def _inside(place: Place, rulebook: Rulebook, seen: frozenset[str]) -> dict[str, Value] | None:
    """Return what a door would see of a network in a place, None for places that nobody should be in."""
    parts = place.parts
    if parts.networks:
        network = parts.networks[0]
        return {"network.ip": network[1] if network.num_addresses > 1 else network[0]}
    if parts.countries:
        return {"network.country": parts.countries[0]}
    if parts.asns:
        return {"network.asn": parts.asns[0]}
    for name in parts.places:
        if name not in seen:
            found = _inside(rulebook.places[name], rulebook, seen | {name})
            if found is not None:
                return found
    return None


def _moments(rulebook: Rulebook, now: datetime) -> Iterable[datetime]:
    """Return now, and for each schedule the next quarter-hours inside and outside of it."""
    found = {now: None}
    for schedule in rulebook.schedules.values():
        found.update(dict.fromkeys(_turns(schedule, now)))
    return list(found)


def _turns(schedule: Schedule, now: datetime) -> Iterator[datetime]:
    start = now.astimezone(UTC).replace(minute=0, second=0, microsecond=0)
    wanted = {True, False}
    for quarter in range(4 * 24 * 8):
        moment = start + timedelta(minutes=15 * quarter)
        held = schedule.is_open(moment.astimezone(schedule.zone))
        if moment >= now and held in wanted:
            wanted.discard(held)
            yield moment
        if not wanted:
            return
