"""Endpoints of the inventory: people, groups, devices, apps, address lists."""

from __future__ import annotations

from typing import Any

import msgspec

from caddrel.core.decide.interpreter.judge import Judge
from caddrel.core.diagnostics import Diagnostic, shorten
from caddrel.core.facts.facts import Setting
from caddrel.core.facts.values import show_moment
from caddrel.core.inventory.completion import complete
from caddrel.core.inventory.index import NOUNS, ONE_OF
from caddrel.core.inventory.reader import InventoryReader, read_object
from caddrel.service.http.endpoints import Param
from caddrel.service.inventory import audit_note
from caddrel.service.problems import ServiceError, diagnostic, not_found
from caddrel.service.views.declaring import Call, Endpoints
from caddrel.store.accounts import DEVICE
from caddrel.store.inventory import Stored
from caddrel.wire import inventory as wire

endpoints = Endpoints()
_LIMIT = Param("limit", "At most so many.", 50, 1000)
_PARAMS = [
    Param("search", "Only those whose id or title has this text."),
    Param("after", "Only ids after this one."),
    _LIMIT,
]
MOST_OBJECTS = 500_000


def _item(stored: Stored) -> wire.Item:
    return wire.Item(stored.id, stored.title, dict(stored.document))


def _listed(call: Call, noun: str) -> wire.Page:
    limit = call.number(_LIMIT)
    found, total = call.data.inventory.page(noun, call.query.get("search", ""), call.query.get("after", ""), limit + 1)
    following = found[limit - 1].id if len(found) > limit else None
    return wire.Page([_item(stored) for stored in found[:limit]], total, following)


def _detail(call: Call, noun: str) -> wire.Detail:
    stored = call.data.inventory.get(noun, call.path["id"])
    if stored is None:
        raise not_found(f"{ONE_OF[noun]} `{shorten(call.path['id'])}`", f"see GET /api/v1/{noun}?search=…")
    groups: list[str] = []
    if noun == "people":
        inventory = call.data.inventories.current()
        person = inventory.people.get(stored.id)
        groups = sorted(inventory.groups_of(person, call.data.clock()) or ()) if person is not None else []
    standards = _standards(call, stored.id) if noun == "devices" else []
    return wire.Detail(noun, _item(stored), groups, standards)


def _standards(call: Call, device: str) -> list[wire.StandardState]:
    """Return how a device stands to every standard now."""
    published = call.data.rulebooks.current()
    if published is None:
        return []
    rulebook = published.rulebook
    facts = complete(
        {"device.id": device, "time.at": call.data.clock()},
        rulebook.catalogue,
        rulebook.settings.assume,
        call.data.inventories.current(),
        Setting.OFFLINE,
    )
    judge = Judge(rulebook, facts)
    found = []
    for name, standard in rulebook.standards.items():
        verdict = judge.standard(name)
        checks = [
            wire.CheckState(check.id, check.title or check.id, judged.truth.value, check.fix)
            for check, judged in zip(standard.checks, verdict.checks, strict=True)
        ]
        found.append(wire.StandardState(name, standard.title or name, verdict.truth.value, checks))
    return found


def _take_in(call: Call, noun: str) -> wire.PutResult:
    """Take in objects; all of them or, when one is wrong, none."""
    if call.stream is None:
        raise ServiceError(400, "bad-request", "send NDJSON, one object a line")
    reader = InventoryReader()
    objects: list[tuple[str, dict[str, Any]]] = []
    entries: list[Any] = []
    most = call.data.limits.rulebook if noun == "lists" else call.data.limits.line
    number = 0
    while line := call.stream.readline(most + 1):
        number += 1
        if len(line) > most:
            raise ServiceError(413, "too-large", f"line {number} has more than {most} bytes")
        if not line.strip():
            continue
        try:
            document = msgspec.json.decode(line)
        except (msgspec.DecodeError, UnicodeDecodeError, RecursionError):
            reader.say(f"line {number}", "not-json", "the line is not JSON in UTF-8")
            continue
        made = read_object(reader, noun, document, f"line {number}")
        if made is not None:
            entries.append(made)
            objects.append((noun, {key: value for key, value in document.items() if value is not None}))
        if len(objects) > MOST_OBJECTS:
            raise ServiceError(413, "too-large", f"at most {MOST_OBJECTS} objects at once")
    if reader.problems:
        problems: list[Diagnostic] = reader.problems[:100]
        title = f"{len(reader.problems)} of the objects' fields are wrong; nothing was taken in"
        raise ServiceError(422, "bad-inventory", title, "mend them and send all again", problems)
    call.runtime.administrators.check(noun, entries, call.query.get("accept_lockout_risk", ""))
    call.noted = audit_note.told(call.data.inventories.current(), noun, entries)
    added, changed = call.data.inventory.put(objects, call.data.clock())
    return wire.PutResult(added, changed, [diagnostic(d) for d in reader.problems])


@endpoints.add("POST", "/api/v1/devices/<id>/state", role=DEVICE, body=wire.DeviceState, returns=wire.Item)
def report_state(call: Call) -> wire.Item:
    """A device's state, reported by itself; it counts from the next decision on."""
    id = call.path["id"]
    if call.who().token_name != id:
        raise ServiceError(403, "not-allowed", "a device reports its own state only")
    now = call.data.clock()
    said = {name: value for name, value in msgspec.structs.asdict(call.body).items() if value is not None}
    reader = InventoryReader()
    read_object(reader, "devices", {"id": id, **said}, "state")
    if reader.problems:
        raise ServiceError(422, "bad-inventory", "the state is wrong; nothing was taken in", "", reader.problems)
    if not call.data.inventory.merge("devices", id, {**said, "state_at": show_moment(now)}, now):
        raise not_found(f"device `{shorten(id)}`")
    stored = call.data.inventory.get("devices", id)
    assert stored is not None
    return wire.Item(stored.id, stored.title, dict(stored.document))


def _declare(noun: str) -> None:
    @endpoints.add("GET", f"/api/v1/{noun}", role="viewer", returns=wire.Page, params=_PARAMS)
    def listed(call: Call) -> wire.Page:
        """Objects by id."""
        return _listed(call, noun)

    @endpoints.add("GET", f"/api/v1/{noun}/<id>", role="viewer", returns=wire.Detail)
    def detail(call: Call) -> wire.Detail:
        """One object with what follows from it."""
        return _detail(call, noun)

    @endpoints.add(
        "POST",
        f"/api/v1/{noun}",
        role="operator",
        returns=wire.PutResult,
        stream="One object a line, with its id; replaces the object of that id.",
        limit="stream",
        params=[Param("accept_lockout_risk", "Why it is taken in even when nobody could administer after it.")],
    )
    def take_in(call: Call) -> wire.PutResult:
        """Add or replace objects; all of them or, when one is wrong, none."""
        return _take_in(call, noun)


for _noun in NOUNS:
    _declare(_noun)
