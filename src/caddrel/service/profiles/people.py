"""A person from all sides: memberships, devices, sessions, the last sign-ins, and what they can open."""

from __future__ import annotations

from caddrel.core.decide.truth import TRUE
from caddrel.core.diagnostics import shorten
from caddrel.core.facts.facts import Facts, Setting
from caddrel.core.facts.types import Value
from caddrel.core.facts.values import show_moment
from caddrel.core.inventory.completion import complete
from caddrel.core.inventory.index import Entry, Inventory
from caddrel.core.inventory.memberships import memberships
from caddrel.core.passwords.candidates import standards_for
from caddrel.service.auth.lockouts import LockOuts
from caddrel.service.inventory.items import item_of, keeper_of
from caddrel.service.inventory.usual import last_signins, usual
from caddrel.service.problems import not_found
from caddrel.service.profiles.device_state import standards_of
from caddrel.service.profiles.reached import reached, signin_lines
from caddrel.service.state.data_folder import DataFolder
from caddrel.service.state.titles import title_of
from caddrel.service.tracing.coverage import row_of_person
from caddrel.wire import profiles as wire
from caddrel.wire.coverage import CoverageGrid
from caddrel.wire.rehearsals import GroupView


def person_profile(data: DataFolder, lockouts: LockOuts, id: str) -> wire.PersonProfile:
    """Return all that is known of a person, and what follows from it.

    Raises
    ------
    ServiceError
        When the inventory has nobody of that id.
    """
    stored = data.inventory.get("people", id)
    inventory = data.inventories.current()
    entry = inventory.people.get(id)
    if stored is None or entry is None:
        raise not_found(f"person `{shorten(id)}`", "see GET /api/v1/people?search=…")
    records = last_signins(data, "person", id)
    published = data.rulebooks.current()
    given = usual(data, published.rulebook, inventory, id, records) if published is not None else {}
    facts = _facts(data, inventory, id)
    factors = facts.values.get("person.factors")
    risk = facts.values.get("person.risk")
    origin = facts.origins.get("person.risk")
    return wire.PersonProfile(
        item_of(stored, keeper_of(data, "people", id)),
        show_moment(entry.off) if entry.off is not None else "",
        str(facts.values.get("person.kind", "")),
        str(facts.values.get("person.unit", "")),
        groups_of(data, inventory, entry),
        _names(facts, "person.roles"),
        sorted(factors) if isinstance(factors, frozenset) else None,
        [device_line(data, inventory, device) for device in inventory.devices_of(id)],
        str(risk or ""),
        origin.value if origin is not None and risk else "",
        _locked(data, lockouts, id, facts),
        [wire.SessionLine(s.id, s.app, s.device or "", show_moment(s.seen)) for s in data.door_sessions.of(id)],
        _good_codes(data, id),
        [
            wire.NoticeAccepted(each.notice, each.version, show_moment(each.accepted))
            for each in data.acceptances.page(person=id, limit=20)[0]
        ],
        signin_lines(records),
        str(given.get("device.id", "")),
        str(given.get("network.ip", "")),
        reached(data, inventory, id, given),
    )  # fmt: skip


def person_coverage(data: DataFolder, id: str) -> wire.ReachCoverage:
    """Return what a person can meet at each app, wherever they come from.

    Raises
    ------
    ServiceError
        When there is nobody of that id.
    """
    entry = data.inventories.current().people.get(id)
    if entry is None:
        raise not_found(f"person `{shorten(id)}`", "see GET /api/v1/people?search=…")
    published = data.rulebooks.current()
    return met(row_of_person(data, entry) if published is not None and not entry.is_off(data.clock()) else None)


def met(row: CoverageGrid | None) -> wire.ReachCoverage:
    """Return a row of the coverage grid as it travels; None where there is none."""
    if row is None:
        return wire.ReachCoverage([], False)
    apps = [wire.AppMet(app.id, app.title, cell) for app, cell in zip(row.apps, row.rows[0].cells, strict=True)]
    return wire.ReachCoverage(apps, row.exact)


def groups_of(data: DataFolder, inventory: Inventory, entry: Entry) -> list[GroupView]:
    """Return every group of a person, with where each comes from."""

    def title(id: str) -> str:
        return title_of(inventory, "groups", id) or id

    return [
        GroupView(
            each.group, title(each.group), [title(group) for group in each.through],
            show_moment(each.until) if each.until is not None else "",
        )
        for each in memberships(inventory, entry, data.clock())
    ]  # fmt: skip


def device_line(data: DataFolder, inventory: Inventory, device: Entry) -> wire.DeviceLine:
    """Return a device with the standards that it does not surely pass now."""
    failing = [each.standard for each in standards_of(data, inventory, device.id) if each.truth != TRUE.value]
    facts_of = device.facts
    version = facts_of.get("device.os_version")
    return wire.DeviceLine(
        device.id, device.title, str(facts_of.get("device.platform", "")), str(version or ""), failing
    )


def _facts(data: DataFolder, inventory: Inventory, id: str) -> Facts:
    published = data.rulebooks.current()
    if published is None:
        return Facts({}, {})
    rulebook = published.rulebook
    said: dict[str, Value] = {"person.id": id, "time.at": data.clock()}
    return complete(said, rulebook.catalogue, rulebook.settings.assume, inventory, Setting.OFFLINE)


def _good_codes(data: DataFolder, id: str) -> int:
    now = data.clock()
    codes = data.starter_codes.of(id)
    return sum(code.used is None and code.revoked is None and code.ends > now for code in codes)


def _names(facts: Facts, name: str) -> list[str]:
    value = facts.values.get(name)
    return sorted(value) if isinstance(value, frozenset) else []


def _locked(data: DataFolder, lockouts: LockOuts, id: str, facts: Facts) -> str:
    published = data.rulebooks.current()
    if published is None or not any(each.lock for each in published.rulebook.password_standards.values()):
        return ""
    state = lockouts.state(id, standards_for(published.rulebook, facts), data.clock())
    return show_moment(state.until) if state is not None else ""
