"""Endpoints of the inventory: people, groups, devices, apps, address lists."""

from __future__ import annotations

import re
from typing import Any

import msgspec

from caddrel.core.decide.interpreter.judge import Judge
from caddrel.core.diagnostics import Diagnostic, shorten
from caddrel.core.facts.facts import Setting
from caddrel.core.inventory.completion import complete
from caddrel.core.inventory.index import NOUNS, ONE_OF
from caddrel.core.inventory.reader import InventoryReader, read_object
from caddrel.service.http.endpoints import Param
from caddrel.service.problems import ServiceError, diagnostic, not_found
from caddrel.service.views.calls import Call, Endpoints
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
_PERSON = Param("person", "Only those of this person.")
_ACCEPT = Param("accept_lockout_risk", "Why it is done even when nobody could administer after it.")
_CHANGES_LIMIT = Param("limit", "At most so many.", 1000, 10_000)
MOST_OBJECTS = 500_000
_TAG = re.compile(r'"(\d{1,15})"')
_CURSOR = re.compile(r"(\d{1,15})(?:\.([a-z]+)\.(.{1,200}))?")


def _seen(call: Call, new: bool = False) -> int | None:
    """Return the version that the caller has seen (RFC 9110, sections 13.1.1 and 13.1.2); None for any.

    Parameters
    ----------
    new
        Whether there may have been nothing, which is version 0.
    """
    expected = call.expected.strip()
    if expected == "*":
        return None
    if new and not expected and call.seen.strip() == "*":
        return 0
    found = _TAG.fullmatch(expected)
    if found is None:
        hint = 'send If-Match with the ETag that you read, such as "3", or * for whatever is there'
        raise ServiceError(428, "no-version", "say which version of the object you have seen", hint)
    return int(found.group(1))


@endpoints.add(
    "GET",
    "/api/v1/inventory/changes",
    role="viewer",
    returns=wire.InventoryChanges,
    params=[
        Param("since", "The `next` of an answer before: only what has changed since then; everything when left out."),
        _CHANGES_LIMIT,
    ],
)
def changes(call: Call) -> wire.InventoryChanges:
    """What has come, changed or gone in the inventory, the earliest first; each object once, as it is now."""
    limit = call.number(_CHANGES_LIMIT)
    found = _CURSOR.fullmatch(call.query.get("since", "") or "0")
    if found is None or found[2] not in {None, *NOUNS}:
        raise ServiceError(400, "bad-cursor", "`since` is not what an answer of this service gave", "leave it out")
    after = (int(found[1]), found[2] or "", found[3] or "")
    stored, version = call.data.inventory.changes(after, limit + 1)
    last = stored[limit - 1] if len(stored) > limit else None
    items = [
        wire.InventoryChange(each.noun, each.id, each.version, None if each.removed else dict(each.document))
        for each in stored[:limit]
    ]
    following = f"{last.version}.{last.noun}.{last.id}" if last is not None else str(version)
    return wire.InventoryChanges(items, following, last is not None)


def _item(stored: Stored) -> wire.Item:
    return wire.Item(stored.id, stored.title, dict(stored.document), stored.version)


def _listed(call: Call, noun: str) -> wire.Page:
    limit = call.number(_LIMIT)
    if noun == "devices" and call.query.get("person"):
        return _devices_of(call, call.query["person"], limit)
    found, total = call.data.inventory.page(noun, call.query.get("search", ""), call.query.get("after", ""), limit + 1)
    following = found[limit - 1].id if len(found) > limit else None
    return wire.Page([_item(stored) for stored in found[:limit]], total, following)


def _devices_of(call: Call, person: str, limit: int) -> wire.Page:
    """Return the devices of a person, by id, that match what is searched for."""
    search, after = call.query.get("search", "").casefold(), call.query.get("after", "")
    entries = call.data.inventories.current().devices_of(person)
    ids = sorted(e.id for e in entries if search in e.id.casefold() or search in e.title.casefold())
    wanted = [id for id in ids if id > after]
    stored = [each for id in wanted[:limit] if (each := call.data.inventory.get("devices", id)) is not None]
    return wire.Page([_item(each) for each in stored], len(ids), wanted[limit - 1] if len(wanted) > limit else None)


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
    call.etag = f'"{stored.version}"'
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
    objects: list[dict[str, Any]] = []
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
            objects.append({key: value for key, value in document.items() if value is not None})
        if len(objects) > MOST_OBJECTS:
            raise ServiceError(413, "too-large", f"at most {MOST_OBJECTS} objects at once")
    if reader.problems:
        problems: list[Diagnostic] = reader.problems[:100]
        title = f"{len(reader.problems)} of the objects' fields are wrong; nothing was taken in"
        raise ServiceError(422, "bad-inventory", title, "mend them and send all again", problems)
    accepted = call.query.get("accept_lockout_risk", "")
    added, changed, call.noted = call.runtime.inventory.put(noun, objects, entries, accepted)
    return wire.PutResult(added, changed, [diagnostic(d) for d in reader.problems])


@endpoints.add("POST", "/api/v1/devices/<id>/state", role=DEVICE, body=wire.DeviceState, returns=wire.Item)
def report_state(call: Call) -> wire.Item:
    """A device's state, reported by itself; it counts from the next decision on."""
    id = call.path["id"]
    if call.who().token_name != id:
        raise ServiceError(403, "not-allowed", "a device reports its own state only")
    said = {name: value for name, value in msgspec.structs.asdict(call.body).items() if value is not None}
    return _item(call.runtime.inventory.report(id, said))


def _declare(noun: str) -> None:
    of = [_PERSON] if noun == "devices" else []

    @endpoints.add("GET", f"/api/v1/{noun}", role="viewer", returns=wire.Page, params=[*_PARAMS, *of])
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
        params=[_ACCEPT],
    )
    def take_in(call: Call) -> wire.PutResult:
        """Add or replace objects; all of them or, when one is wrong, none."""
        return _take_in(call, noun)

    @endpoints.add(
        "PUT",
        f"/api/v1/{noun}/<id>",
        role="operator",
        body=wire.ItemRequest,
        returns=wire.Item,
        limit="rulebook" if noun == "lists" else "line",
        seen="new",
        params=[_ACCEPT],
    )
    def put(call: Call) -> wire.Item:
        """Replace one object as it was seen (`If-Match`), or add one that was not there (`If-None-Match: *`)."""
        document = {**call.body.document, "id": call.path["id"]}
        accepted = call.query.get("accept_lockout_risk", "")
        stored, call.noted = call.runtime.inventory.put_one(noun, document, _seen(call, new=True), accepted)
        call.etag = f'"{stored.version}"'
        return _item(stored)

    @endpoints.add(
        "DELETE", f"/api/v1/{noun}/<id>", role="operator", returns=wire.Removed, params=[_ACCEPT], seen="any"
    )
    def remove(call: Call) -> wire.Removed:
        """Take out one object as it was seen (`If-Match`): nothing of it is kept but its id."""
        id = call.path["id"]
        call.noted = call.runtime.inventory.remove(noun, id, _seen(call), call.query.get("accept_lockout_risk", ""))
        return wire.Removed(noun, id)


for _noun in NOUNS:
    _declare(_noun)
