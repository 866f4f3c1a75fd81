"""Endpoints of the inventory: people, groups, devices, apps, address lists."""

from __future__ import annotations

import re
from bisect import bisect_right
from collections.abc import Callable, Mapping
from typing import Any

import msgspec

from caddrel.core.diagnostics import Diagnostic, shorten
from caddrel.core.inventory.index import NOUNS, ONE_OF
from caddrel.core.inventory.patch import off_now, patched, with_member, without_member
from caddrel.core.words.pieces import counted
from caddrel.service.authoring.inventory_filter import matching
from caddrel.service.http.endpoints import Param
from caddrel.service.inventory import audit_note, imports, outcomes
from caddrel.service.inventory.changes import Accepted
from caddrel.service.inventory.items import item_of
from caddrel.service.problems import ServiceError, diagnostic, not_found
from caddrel.service.profiles.device_state import standards_of
from caddrel.service.views.calls import Call, Endpoints
from caddrel.store.accounts import DEVICE
from caddrel.store.inventory import Stored
from caddrel.wire import inventory as wire

endpoints = Endpoints()
_LIMIT = Param("limit", "At most so many.", 50, 1000)
_PARAMS = [
    Param("search", "Only those whose id or title has this text."),
    Param("where", "Only those for which this condition over their own facts surely holds."),
    Param("after", "Only ids after this one."),
    _LIMIT,
]
_PERSON = Param("person", "Only those of this person.")
_ACCEPT = Param("accept_lockout_risk", "Why it is done even when nobody could administer after it.")
_CHANGES_LIMIT = Param("limit", "At most so many.", 1000, 10_000)
_REMOVALS = "^[0-9]{1,9}$"
_IMPORT = [
    _ACCEPT,
    Param("how", "What becomes of an object that is there: patch when left out.", words=imports.HOW),
    Param("dry_run", "Tell what would change, and change nothing.", words=("yes",)),
    Param("accept_removals", "How many objects may go that a full list (how=sync) does not name.", pattern=_REMOVALS),
]
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


def _listed(call: Call, noun: str) -> wire.Page:
    limit = call.number(_LIMIT)
    if call.query.get("where", "").strip():
        return _matching(call, noun, limit)
    if noun == "devices" and call.query.get("person"):
        return _devices_of(call, call.query["person"], limit)
    found, total = call.data.inventory.page(noun, call.query.get("search", ""), call.query.get("after", ""), limit + 1)
    following = found[limit - 1].id if len(found) > limit else None
    return wire.Page([item_of(stored) for stored in found[:limit]], total, following)


def _matching(call: Call, noun: str, limit: int) -> wire.Page:
    """Return objects for which a condition holds, by id, that match what is searched for too."""
    ids = matching(call.data, call.runtime.covering, noun, call.query["where"])
    search, after = call.query.get("search", "").casefold(), call.query.get("after", "")
    entries = getattr(call.data.inventories.current(), noun)
    if search:
        ids = [
            id for id in ids if id in entries and (search in id.casefold() or search in entries[id].title.casefold())
        ]
    wanted = ids[bisect_right(ids, after) :][: limit + 1]
    there, _ = call.data.inventory.documents(noun, wanted[:limit])
    items = [wire.Item(id, str(there[id].get("title") or ""), there[id]) for id in wanted[:limit] if id in there]
    return wire.Page(items, len(ids), wanted[limit - 1] if len(wanted) > limit else None)


def _devices_of(call: Call, person: str, limit: int) -> wire.Page:
    """Return the devices of a person, by id, that match what is searched for."""
    search, after = call.query.get("search", "").casefold(), call.query.get("after", "")
    entries = call.data.inventories.current().devices_of(person)
    ids = sorted(e.id for e in entries if search in e.id.casefold() or search in e.title.casefold())
    wanted = [id for id in ids if id > after]
    stored = [each for id in wanted[:limit] if (each := call.data.inventory.get("devices", id)) is not None]
    return wire.Page([item_of(each) for each in stored], len(ids), wanted[limit - 1] if len(wanted) > limit else None)


def _detail(call: Call, noun: str) -> wire.Detail:
    stored = call.data.inventory.get(noun, call.path["id"])
    if stored is None:
        raise not_found(f"{ONE_OF[noun]} `{shorten(call.path['id'])}`", f"see GET /api/v1/{noun}?search=…")
    groups: list[str] = []
    if noun == "people":
        inventory = call.data.inventories.current()
        person = inventory.people.get(stored.id)
        groups = sorted(inventory.groups_of(person, call.data.clock()) or ()) if person is not None else []
    standards = standards_of(call.data, call.data.inventories.current(), stored.id) if noun == "devices" else []
    call.etag = f'"{stored.version}"'
    return wire.Detail(noun, item_of(stored), groups, standards)


def _take_in(call: Call, noun: str) -> wire.PutResult:
    """Take in objects of a noun; all of them or, when one is wrong, none."""
    if call.stream is None:
        raise ServiceError(400, "bad-request", "send NDJSON, one object a line, or CSV with format=csv")
    asked = imports.read_lines(call.data, noun, call.stream, call.query.get("format", ""))
    return _import(call, asked, [noun])


def _import(call: Call, asked: list[imports.Asked], nouns: list[str]) -> wire.PutResult:
    how: Any = call.query.get("how", "") or "patch"
    dry = call.query.get("dry_run") == "yes"
    accepted = Accepted(call.query.get("accept_lockout_risk", ""), _accepted_removals(call))
    would_refuse: list[Diagnostic] = []
    if dry:
        made = imports.plan(call.data, asked, how, nouns)
        would_refuse = call.runtime.inventory.would_refuse(made, accepted)
    else:
        made = call.runtime.inventory.take_in(asked, how, nouns, accepted)
    says = audit_note.of_plan(made)
    call.noted = f"dry run: {says}" if dry else says
    turned = outcomes.outcomes(call.data, made) if dry else outcomes.Outcomes()
    warnings = [diagnostic(each) for each in (*would_refuse, *made.warnings)]
    told = [wire.OutcomeTurned(each.person, each.app, each.before, each.after) for each in turned.turned]
    return wire.PutResult(
        made.count(made.added), made.count(made.changed), [], made.count(made.gone), dry,
        {noun: ids[:100] for noun, ids in made.gone.items() if ids}, warnings, says,
        turned.people, turned.gaining(), turned.losing(), turned.left_out,
        told[: outcomes.MOST_TOLD],
    )  # fmt: skip


def _accepted_removals(call: Call) -> int:
    text = call.query.get("accept_removals", "") or "0"
    if not re.fullmatch(_REMOVALS, text):
        raise ServiceError(400, "bad-parameter", "`accept_removals` is how many may go", "such as accept_removals=12")
    return int(text)


@endpoints.add(
    "POST",
    "/api/v1/inventory",
    role="operator",
    returns=wire.PutResult,
    stream="A whole inventory: JSON with people, groups, devices, apps and lists, each a list of objects.",
    limit="stream",
    params=_IMPORT,
)
def take_in_all(call: Call) -> wire.PutResult:
    """Add or change objects of several nouns at once; all of them or, when one is wrong, none."""
    if call.stream is None:
        raise ServiceError(400, "bad-request", "send a whole inventory as JSON")
    asked = imports.read_whole(call.data, call.stream)
    return _import(call, asked, sorted({noun for noun, _, _ in asked}))


@endpoints.add(
    "POST", "/api/v1/groups/<id>/members", role="operator", body=wire.Membership, returns=wire.Item, params=[_ACCEPT]
)
def join(call: Call) -> wire.Item:
    """Make somebody a member of a group, for good or until a moment."""
    group, person, until = call.path["id"], call.body.person, call.body.until
    if group not in call.data.inventories.current().groups:
        raise not_found(f"group `{shorten(group)}`", "see caddrel groups list")
    return _changed_person(call, person, lambda document: with_member(document, group, until))


@endpoints.add("DELETE", "/api/v1/groups/<id>/members/<person>", role="operator", returns=wire.Item, params=[_ACCEPT])
def leave(call: Call) -> wire.Item:
    """Take somebody's own membership of a group away; one through another group stays."""
    group, person = call.path["id"], call.path["person"]

    def without(document: Mapping[str, Any]) -> dict[str, Any]:
        made = without_member(document, group)
        if made is None:
            hint = "it may be through another group: see caddrel people show"
            raise ServiceError(
                409, "no-member", f"{shorten(person)} has no membership of `{shorten(group)}` itself", hint
            )
        return made

    return _changed_person(call, person, without)


def _changed_person(call: Call, person: str, make: Callable[[Mapping[str, Any]], dict[str, Any]]) -> wire.Item:
    return item_of(_change_person(call, person, make))


def _change_person(call: Call, person: str, make: Callable[[Mapping[str, Any]], dict[str, Any]]) -> Stored:
    accepted = call.query.get("accept_lockout_risk", "")
    stored, call.noted = call.runtime.inventory.change("people", person, make, None, accepted)
    return stored


@endpoints.add("POST", "/api/v1/people/<id>/off", role="operator", returns=wire.Gone, params=[_ACCEPT])
def off(call: Call) -> wire.Gone:
    """Somebody has left: no sign-in is let in from now on, sessions and starter codes end, and the log keeps all."""
    person, now = call.path["id"], call.data.clock()
    stored = _change_person(call, person, lambda document: off_now(document, now))
    # In this order: whoever signs in meanwhile is not let in any more, and has no session to be ended.
    ended = call.data.door_sessions.end_of(person, now, call.who().name)
    codes = call.data.starter_codes.revoke_of(person, now)
    call.noted = f"{person[:100]} is off; {counted(ended, 'session')} and {counted(codes, 'starter code')} ended"
    devices = sorted(device.id for device in call.data.inventories.current().devices_of(person))
    return wire.Gone(person, str(stored.document["off"]), ended, codes, devices)


@endpoints.add("DELETE", "/api/v1/people/<id>/off", role="operator", returns=wire.Item)
def back(call: Call) -> wire.Item:
    """Take somebody back who was off: policies decide again."""
    person = call.path["id"]
    item = _changed_person(call, person, lambda document: {k: v for k, v in document.items() if k != "off"})
    call.noted = f"{person[:100]} is back"
    return item


@endpoints.add("POST", "/api/v1/devices/<id>/state", role=DEVICE, body=wire.DeviceState, returns=wire.Item)
def report_state(call: Call) -> wire.Item:
    """A device's state, reported by itself; it counts from the next decision on."""
    id = call.path["id"]
    if call.who().token_name != id:
        raise ServiceError(403, "not-allowed", "a device reports its own state only")
    said = {name: value for name, value in msgspec.structs.asdict(call.body).items() if value is not None}
    return item_of(call.runtime.inventory.report(id, said))


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
        stream="One object a line, with its id: what it names takes the place of what is there; or CSV.",
        limit="stream",
        params=[*_IMPORT, Param("format", "How it is written; NDJSON when left out.", words=("ndjson", "csv"))],
    )
    def take_in(call: Call) -> wire.PutResult:
        """Add or change objects; all of them or, when one is wrong, none."""
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
        return item_of(stored)

    @endpoints.add(
        "PATCH",
        f"/api/v1/{noun}/<id>",
        role="operator",
        body=wire.ItemRequest,
        returns=wire.Item,
        limit="rulebook" if noun == "lists" else "line",
        seen="any",
        params=[_ACCEPT],
    )
    def change(call: Call) -> wire.Item:
        """Change what is named of an object as it was seen (`If-Match`); null takes it out (RFC 7396)."""
        named, accepted = call.body.document, call.query.get("accept_lockout_risk", "")
        if named.get("id", call.path["id"]) != call.path["id"]:
            raise ServiceError(
                422, "bad-inventory", "an object keeps its id", "add one of the other id, and move what names it"
            )
        stored, call.noted = call.runtime.inventory.change(
            noun, call.path["id"], lambda document: patched(document, named), _seen(call), accepted
        )
        call.etag = f'"{stored.version}"'
        return item_of(stored)

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
