"""Many changes in one message of a directory (RFC 7644, section 3.7), against the same ones by themselves."""

from __future__ import annotations

import json
import random
import sqlite3
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest
from tests.conftest import Live, serving, until
from tests.service.scim.conftest import GROUP, PATCH, PERSON, USER, Directory, client_of
from tests.service.streams.conftest import DEVICES, PEOPLE, RULEBOOK, signed_in

from caddrel.client import Caddrel
from caddrel.service.scim import exchange
from caddrel.service.scim.exchange import IN_A_COMMIT
from caddrel.service.scim.resources import MOST_AT_ONCE
from caddrel.service.scim.storage import InventoryStorage
from caddrel.service.state.inventory_cache import Inventories
from caddrel.wire.decisions import File

BULK = "urn:ietf:params:scim:api:messages:2.0:BulkRequest"
OPENS = """
  console-for-keepers:
    mode: enforced
    apps: [console]
    people: [group:keepers]
    rules: [{id: keepers, then: require mfa within 1h}]
"""
Operation = dict[str, Any]


def _bulk(directory: Directory, operations: list[Operation], **more: Any) -> list[dict[str, Any]]:
    answer = directory.post("/Bulk", json={"schemas": [BULK], "Operations": operations, **more})
    assert answer.status_code == 200, answer.text
    return list(answer.json()["Operations"])


def _make(name: str, bulk_id: str = "", **said: Any) -> Operation:
    data = {"schemas": [USER, *([PERSON] if PERSON in said else [])], "userName": name, **said}
    return {"method": "POST", "path": "/Users", "bulkId": bulk_id or name, "data": data}


def _patch(path: str, op: str, attribute: str, value: Any) -> Operation:
    change = {"op": op, "path": attribute, "value": value}
    return {"method": "PATCH", "path": path, "data": {"schemas": [PATCH], "Operations": [change]}}


def _off(id: str) -> Operation:
    return _patch(f"/Users/{id}", "replace", "active", value=False)


def _gone(id: str) -> Operation:
    return {"method": "DELETE", "path": f"/Users/{id}"}


@pytest.fixture
def both(tmp_path: Path) -> Iterator[tuple[Live, Live]]:
    """Two services with the same in them, for the same changes in one message and by themselves."""
    for one in serving(tmp_path / "one"):
        for other in serving(tmp_path / "other"):
            for each in (one, other):
                each.data.settings.origin = "https://caddrel.kelpline.example"
                with each.client() as service:
                    service.rulebook.publish([File("r.yaml", RULEBOOK)], "the first")
                    service.groups.import_(json.dumps({"id": id}).encode() + b"\n" for id in ("crew", "keepers"))
                    service.people.import_(json.dumps(entry).encode() + b"\n" for entry in PEOPLE)
                    service.apps.import_(json.dumps({"id": id}).encode() + b"\n" for id in ("till", "post"))
                    service.devices.import_(json.dumps(entry).encode() + b"\n" for entry in DEVICES)
            yield one, other


_NAMES = [f"New {n}" for n in range(12)]
_IDS = ["ines", "odd", "kari", *(f"new-{n}" for n in range(12))]


def _drawn(drawn: random.Random, made: list[str]) -> Operation:
    """Return a change: of people for the most part, of groups, and some that are refused."""
    # Of somebody that the same message makes, or has been said to.
    meant = f"bulkId:{drawn.choice(made)}" if made and drawn.random() < 0.2 else drawn.choice(_IDS)
    match drawn.choice(("make", "make", "make", "put", "patch", "off", "back", "gone", "group", "members", "wrong")):
        case "make":
            made.append(f"b{len(made)}")
            kind = drawn.choice(("employee", "guest", "admiral"))
            return _make(drawn.choice(_NAMES), made[-1], **{PERSON: {"kind": kind}})
        case "put":
            data = {"schemas": [USER], "userName": drawn.choice(_IDS), "displayName": drawn.choice(_NAMES)}
            return {"method": "PUT", "path": f"/Users/{meant}", "data": data}
        case "patch":
            tag = {"version": f'W/"{drawn.randrange(30)}"'} if drawn.random() < 0.2 else {}
            return _patch(f"/Users/{meant}", "replace", "displayName", drawn.choice(_NAMES)) | tag
        case "off" | "back" as state:
            return _patch(f"/Users/{meant}", "replace", "active", state == "back")
        case "gone":
            return _gone(meant)
        case "group":
            made.append(f"b{len(made)}")
            group = {"schemas": [GROUP], "displayName": drawn.choice(("Deck", "Galley")), "members": [{"value": meant}]}
            return {"method": "POST", "path": "/Groups", "bulkId": made[-1], "data": group}
        case "members":
            path = f"/Groups/{drawn.choice(('crew', 'deck'))}"
            return _patch(path, drawn.choice(("add", "remove")), "members", [{"value": meant}])
        case _:
            return drawn.choice(_WRONG)


_WRONG: list[Operation] = [
    {"method": "POST", "path": "/Users", "data": {"schemas": [USER], "userName": "no-bulk-id"}},
    {"method": "POST", "path": "/Nothing", "bulkId": "n", "data": {"schemas": [USER], "userName": "x"}},
    {"method": "GET", "path": "/Users/ines"},
    {"method": "PATCH", "path": "/Users/ines", "data": {"schemas": [PATCH], "Operations": [{"op": "no"}]}},
    {"method": "PUT", "path": "/Users/ines", "data": "text"},
    {"path": "/Users/ines"},
]


@pytest.mark.parametrize("seed", range(6))
def test_many_in_one_message_are_what_each_is_by_itself(both: tuple[Live, Live], seed: int) -> None:
    drawn = random.Random(seed)
    seen: set[str] = set()
    with client_of(both[0], "head office") as whole, client_of(both[1], "head office") as alone:
        for _ in range(4):
            made: list[str] = []
            operations = [_drawn(drawn, made) for _ in range(2 * IN_A_COMMIT)]
            most = {"failOnErrors": drawn.randrange(1, 15)} if drawn.random() < 0.3 else {}
            told = _bulk(whole, operations, **most)
            failed = [each for each in told if each["status"] >= "400"]
            assert len(told) == len(operations) or len(failed) == most["failOnErrors"]
            ids: dict[str, str] = {}
            for operation, said in zip(operations, told, strict=False):
                text = json.dumps(operation)
                for bulk_id, id in ids.items():
                    text = text.replace(f'bulkId:{bulk_id}"', f'{id}"')
                if "bulkId:" in text:
                    # Of one that was not made nothing can be said by itself.
                    assert said["status"] in {"400", "404", "409"}
                    continue
                assert _bulk(alone, [json.loads(text)]) == [said], operation
                if said.get("method") == "POST" and said["status"] == "201":
                    ids[operation["bulkId"]] = said["location"].rpartition("/")[2]
                seen.add(f"{said.get('method')} {said['status']}")
    assert {"POST 201", "POST 409", "POST 400", "PATCH 200", "PUT 200", "DELETE 204", "DELETE 404"} <= seen
    assert _state(both[0]) == _state(both[1])


def _state(live: Live) -> dict[str, Any]:
    data = live.data
    found: dict[str, Any] = {"notes": [each.note for each in data.audit.page(limit=1_000)]}
    for noun in ("people", "groups"):
        found[noun] = {each.id: each.document for each in data.inventory.page(noun, limit=500)[0]}
        found[f"{noun} kept"] = {id: (kept.keeper, kept.document) for id, kept in data.kept_by.all(noun).items()}
        # What was followed is what is kept.
        there, kept = getattr(data.inventories.current(), noun), getattr(Inventories(data.inventory).current(), noun)
        assert dict(there) == dict(kept)
        assert set(there) == set(found[noun])
    return found


def test_the_last_who_could_administer_stays(live: Live, directory: Directory) -> None:
    """Two go in one message: each would be allowed by itself, and the second is not."""
    with live.client() as service:
        service.people.import_([json.dumps({**PEOPLE[0], "groups": ["crew", "keepers"]}).encode()])
        closed = RULEBOOK.replace("policies:", "apps: {console: {stance: closed}}\npolicies:") + OPENS
        service.rulebook.publish([File("r.yaml", closed)], "an app to administer with")
    told = _bulk(directory, [_off("kari"), _gone("ines"), _make("Siri")])
    assert [each["status"] for each in told] == ["200", "409", "201"]
    assert "nobody could administer" in told[1]["response"]["detail"]
    assert "off" in live.data.inventory.get("people", "kari").document  # type: ignore[union-attr]
    assert live.data.inventory.get("people", "ines") is not None


def test_whoever_goes_is_out_once_it_is_committed(live: Live, door: Caddrel, directory: Directory) -> None:
    sessions = {id: signed_in(door, id) for id in ("ines", "odd")}
    told = _bulk(directory, [_off("ines"), _gone("odd"), _off("nobody")])
    assert [each["status"] for each in told] == ["200", "204", "404"]
    for session in sessions.values():
        found = live.data.door_sessions.get(session)
        assert found is not None
        assert found.ended_by == "directory head office"


def test_what_fails_leaves_nothing_and_what_ends_the_commit_leaves_none_of_it(live: Live, directory: Directory) -> None:
    def refuse(how: str) -> None:
        with sqlite3.connect(live.data.folder / "book.sqlite") as file:
            file.execute("DROP TRIGGER IF EXISTS full")
            said = "BEFORE INSERT ON audit WHEN NEW.note LIKE 'bo:%'"
            file.execute(f"CREATE TRIGGER full {said} BEGIN SELECT RAISE({how}, 'no'); END")

    three = [_make("Siri"), _make("Bo"), _make("Åse-1")]
    refuse("ABORT")
    assert [each["status"] for each in _bulk(directory, three)] == ["201", "500", "201"]
    refuse("ROLLBACK")
    more = [_make("Nora"), _make("Bo"), _off("ines")]
    answer = directory.post("/Bulk", json={"schemas": [BULK], "Operations": more})
    assert answer.status_code == 500
    there = {each.id for each in live.data.inventory.page("people")[0]}
    assert there == {"ines", "odd", "kari", "siri", "se-1"} == set(live.data.inventories.current().people)
    assert "off" not in live.data.inventory.get("people", "ines").document  # type: ignore[union-attr]
    assert set(live.data.kept_by.all("people")) == {"siri", "se-1"}
    with sqlite3.connect(live.data.folder / "book.sqlite") as file:
        file.execute("DROP TRIGGER full")
    assert [each["status"] for each in _bulk(directory, more)] == ["201", "201", "200"]


def test_doors_come_first_where_there_are_any(live: Live, door: Caddrel, monkeypatch: pytest.MonkeyPatch) -> None:
    slept: list[float] = []
    monkeypatch.setattr(exchange, "time", SimpleNamespace(thread_time=time.thread_time, sleep=slept.append))
    handler = exchange._Handler(exchange._service(), InventoryStorage(live.data, live.runtime.inventory, "tests"))

    def waits(work: Callable[[], object]) -> bool:
        slept.clear()
        with handler._giving_way():
            work()
        return bool(slept)

    assert waits(lambda: signed_in(door, "ines"))
    assert 0 <= slept[0] <= exchange.LONGEST_WAY
    # Once all that follows from that is done too.
    until(lambda: not waits(lambda: None))


def test_messages_that_are_too_much_or_make_no_sense_are_refused(live: Live, directory: Directory) -> None:
    def answered(document: Any) -> int:
        body = document if isinstance(document, bytes) else json.dumps(document).encode()
        return directory.post("/Bulk", content=body).status_code

    many = [_gone(f"p{n}") for n in range(MOST_AT_ONCE + 1)]
    assert answered({"schemas": [BULK], "Operations": many}) == 413
    large = [_make("large", displayName="x" * live.data.limits.body)]
    assert answered({"schemas": [BULK], "Operations": large}) == 413
    assert len(_bulk(directory, many[1:])) == MOST_AT_ONCE
    no_sense: list[Any] = [b"", b"{", b"[]", {"Operations": []}, {"schemas": [BULK], "Operations": "all"}, b"[" * 5_000]
    for wrong in no_sense:
        assert answered(wrong) == 400
    # Each means the next, and the last the first.
    ring = [
        {"method": "POST", "path": "/Groups", "bulkId": f"b{n}", "data": {
            "schemas": [GROUP], "displayName": f"g{n}", "members": [{"value": f"bulkId:b{(n + 1) % 60}"}]}}
        for n in range(60)
    ]  # fmt: skip
    assert {each["status"] for each in _bulk(directory, ring)} == {"409"}
    assert "large" not in set(live.data.inventories.current().people)
