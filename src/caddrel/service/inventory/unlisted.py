"""Devices that came to a door and are on no list: seen how often, with whom; vetted, or refused."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from datetime import timedelta
from typing import Any

from caddrel.core.diagnostics import shorten
from caddrel.core.facts.values import show_moment
from caddrel.service.inventory.changes import InventoryChanges
from caddrel.service.problems import ServiceError, not_found
from caddrel.service.state.data_folder import DataFolder
from caddrel.store.unlisted import RefusedDevice, Seen
from caddrel.wire import unlisted as wire

DAYS, MOST_PAIRS, MOST_SHOWN, FEW = 30, 20_000, 500, 5
LONGEST_WHY = 500


def unlisted(data: DataFolder, days: int, refused: bool) -> wire.UnlistedDevices:
    """Return the devices that came and are not listed now; with `refused` those that are to stay off the list."""
    inventory, stays_off = data.inventories.current(), data.refused_devices.all()
    pairs = list(data.unlisted.seen(data.clock() - timedelta(days=days), MOST_PAIRS + 1))
    by_device: dict[str, list[Seen]] = {}
    for each in pairs[:MOST_PAIRS]:
        if inventory.device_by(each.device or None, each.serial or None) is None:
            by_device.setdefault(_known_by(each), []).append(each)
    shown = [name for name in by_device if (name in stays_off) is refused]
    items = [_view(data, name, by_device[name], stays_off.get(name)) for name in shown[:MOST_SHOWN]]
    cut = len(pairs) > MOST_PAIRS or len(shown) > MOST_SHOWN
    return wire.UnlistedDevices(items, len(stays_off.keys() & by_device.keys()), days, cut)


def _known_by(seen: Seen) -> str:
    return seen.serial or seen.device


def _view(data: DataFolder, name: str, seen: Sequence[Seen], refused: RefusedDevice | None) -> wire.UnlistedDevice:
    people, titles = Counter[str](), data.inventories.current().people
    for each in seen:
        if each.person:
            people[each.person] += each.count
    named = [
        wire.UnlistedPerson(id, titles[id].title or id if id in titles else id, count)
        for id, count in people.most_common(FEW)
    ]
    latest = max(seen, key=lambda each: each.last)
    return wire.UnlistedDevice(
        name, latest.serial, latest.platform, latest.os_version, sum(each.count for each in seen),
        show_moment(min(each.first for each in seen)), show_moment(latest.last), named, len(people),
        refused.by if refused is not None else "", refused.why if refused is not None else "",
    )  # fmt: skip


def vet(data: DataFolder, inventory: InventoryChanges, asked: wire.VetRequest) -> str:
    """Put a device on the list, as one that may be used; return what the audit trail says of it.

    Raises
    ------
    ServiceError
        When none of that name came, or its id is taken.
    """
    seen = _need(data, asked.device)
    if asked.person and asked.person not in data.inventories.current().people:
        raise not_found(f"person `{shorten(asked.person)}`", "see caddrel people list")
    if asked.id in data.inventories.current().devices:
        raise ServiceError(409, "id-taken", f"there is a device `{shorten(asked.id)}` already", "choose another id")
    document: dict[str, Any] = {"id": asked.id, "owner": asked.owner, "vetted": True}
    if seen.serial:
        document["serial"] = seen.serial
    elif seen.device != asked.id:
        said = f"it has no serial number, and comes as {shorten(seen.device)}"
        raise ServiceError(422, "another-id", said, f"its id is {shorten(seen.device)}")
    if asked.person:
        document["person"] = asked.person
    inventory.put_one("devices", document, 0, "")
    data.refused_devices.forget(asked.device)
    whose = f" of {asked.person}" if asked.person else ""
    return f"vetted {asked.device} as {asked.id}, a {asked.owner} device{whose}"


def refuse(data: DataFolder, asked: wire.RefuseRequest, by: str) -> None:
    """Keep that a device is to stay off the list.

    Raises
    ------
    ServiceError
        When none of that name came, or no reason is given.
    """
    _need(data, asked.device)
    why = asked.why.strip()
    if not why or len(why) > LONGEST_WHY:
        raise ServiceError(422, "bad-reason", f"say why, in at most {LONGEST_WHY} characters")
    data.refused_devices.refuse(RefusedDevice(asked.device, data.clock(), by, why))


def _need(data: DataFolder, name: str) -> Seen:
    """Return what was seen last of a device that is not listed."""
    inventory = data.inventories.current()
    for each in data.unlisted.seen(data.clock() - timedelta(days=366), MOST_PAIRS):
        if _known_by(each) == name and inventory.device_by(each.device or None, each.serial or None) is None:
            return each
    raise not_found(f"device `{shorten(name)}` among those that are not listed", "see caddrel devices unlisted")
