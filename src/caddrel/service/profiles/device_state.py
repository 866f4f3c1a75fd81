"""How a device stands to every standard now, and a device from all sides."""

from __future__ import annotations

from collections import Counter

from caddrel.core.decide.interpreter.judge import Judge
from caddrel.core.diagnostics import shorten
from caddrel.core.facts.facts import Setting
from caddrel.core.facts.types import Value
from caddrel.core.facts.values import show_moment
from caddrel.core.inventory.completion import complete
from caddrel.core.inventory.index import Inventory
from caddrel.core.words.pieces import duration_words
from caddrel.service.inventory.usual import last_signins, usual
from caddrel.service.problems import not_found
from caddrel.service.profiles.reached import reached, signin_lines
from caddrel.service.state.data_folder import DataFolder
from caddrel.service.state.titles import title_of
from caddrel.store.signins import SigninRecord
from caddrel.wire import inventory as inventories
from caddrel.wire import profiles as wire


def standards_of(data: DataFolder, inventory: Inventory, device: str) -> list[inventories.StandardState]:
    """Return how a device stands to every standard now."""
    published = data.rulebooks.current()
    if published is None:
        return []
    rulebook = published.rulebook
    said: dict[str, Value] = {"device.id": device, "time.at": data.clock()}
    facts = complete(said, rulebook.catalogue, rulebook.settings.assume, inventory, Setting.OFFLINE)
    judge = Judge(rulebook, facts)
    found = []
    for name, standard in rulebook.standards.items():
        verdict = judge.standard(name)
        checks = [
            inventories.CheckState(check.id, check.title or check.id, judged.truth.value, check.fix)
            for check, judged in zip(standard.checks, verdict.checks, strict=True)
        ]
        found.append(inventories.StandardState(name, standard.title or name, verdict.truth.value, checks))
    return found


def device_profile(data: DataFolder, id: str) -> wire.DeviceProfile:
    """Return all that is known of a device, and what follows from it.

    Raises
    ------
    ServiceError
        When the inventory has no such device.
    """
    stored = data.inventory.get("devices", id)
    inventory, now = data.inventories.current(), data.clock()
    device = inventory.devices.get(id)
    if stored is None or device is None:
        raise not_found(f"device `{shorten(id)}`", "see GET /api/v1/devices?search=…")
    records = last_signins(data, "device", id)
    owner = device.person if device.person in inventory.people else ""
    age = _age((now - device.state_at).total_seconds()) if device.state_at is not None else ""
    return wire.DeviceProfile(
        inventories.Item(stored.id, stored.title, dict(stored.document), stored.version),
        wire.NamedObject(device.person, title_of(inventory, "people", device.person) or device.person)
        if device.person
        else None,
        show_moment(device.state_at) if device.state_at is not None else "",
        age,
        standards_of(data, inventory, id),
        _users(inventory, records),
        signin_lines(records),
        _reached(data, inventory, owner, id) if owner else [],
    )


def _age(seconds: float) -> str:
    """Return an age in its largest unit of which there are two at least, rounded down."""
    for unit in (86400, 3600, 60):
        if seconds >= 2 * unit:
            return duration_words(seconds // unit * unit)
    return duration_words(max(seconds // 1, 0))


def _reached(data: DataFolder, inventory: Inventory, owner: str, device: str) -> list[wire.AppReach]:
    published = data.rulebooks.current()
    if published is None:
        return []
    given = usual(data, published.rulebook, inventory, owner, last_signins(data, "person", owner))
    return reached(data, inventory, owner, {**given, "device.id": device})


def _users(inventory: Inventory, records: list[SigninRecord]) -> list[wire.UserOf]:
    counted = Counter(str(record.columns["person"]) for record in records if record.columns.get("person"))
    last: dict[str, str] = {}
    for record in records:
        last.setdefault(str(record.columns.get("person") or ""), show_moment(record.at))
    return [
        wire.UserOf(person, title_of(inventory, "people", person) or person, count, last[person])
        for person, count in counted.most_common(10)
    ]
