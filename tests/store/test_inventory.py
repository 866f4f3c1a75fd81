"""The inventory as it is stored: what comes, changes and goes, and who asks what has changed."""

from __future__ import annotations

import random
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import pytest

from caddrel.store.engine import Database
from caddrel.store.inventory import InventoryStore, Moved

AT = datetime(2026, 11, 2, tzinfo=UTC)
IDS = ("a", "b", "c", "ø.x", "z-9")


def test_whatever_happens_it_holds_what_was_put_and_tells_what_has_changed(tmp_path: Path) -> None:
    database = Database(tmp_path / "book.sqlite", "book")
    database.migrate()
    store, rng = InventoryStore(database), random.Random(5)
    there: dict[tuple[str, str], dict[str, Any]] = {}
    states: list[tuple[int, dict[tuple[str, str], dict[str, Any]]]] = [(-1, {})]
    for number in range(120):
        noun, id = rng.choice(("people", "devices")), rng.choice(IDS)
        document = {"id": id, "title": f"{id} {rng.randrange(3)}"}
        match rng.choice(("put", "put one", "merge", "remove")):
            case "put":
                few = {one: {"id": one, "title": f"{one} {number}"} for one in rng.sample(IDS, 2)}
                new = sum((noun, one) not in there for one in few)
                assert store.put([(noun, each) for each in few.values()], AT) == (new, 2 - new)
                there |= {(noun, one): each for one, each in few.items()}
            case "put one":
                assert store.put_one(noun, document, AT, None).document == document
                there[noun, id] = document
            case "merge":
                assert (store.merge(noun, id, {"title": "merged"}, AT) is not None) == ((noun, id) in there)
                if (noun, id) in there:
                    there[noun, id] = {**there[noun, id], "title": "merged"}
            case "remove":
                assert (store.remove(noun, id, AT, None) is not None) == (there.pop((noun, id), None) is not None)
        states.append((store.version(), dict(there)))
    for noun in ("people", "devices"):
        held = {id: document for (kind, id), document in there.items() if kind == noun}
        found, total = store.page(noun)
        assert {each.id: each.document for each in found} == held
        assert (total, [each.id for each in found]) == (len(held), sorted(held))
        assert {id: store.get(noun, id) is not None for id in IDS} == {id: id in held for id in IDS}
    # From any version on, what has changed leads to what is there now; told whole, or a piece at a time.
    for version, state in states:
        whole = store.since(version)
        assert whole.version == store.version()
        made = dict(state)
        for noun, ids in whole.went.items():
            for id in ids:
                made.pop((noun, id), None)
        made |= {(noun, each["id"]): each for noun, came in whole.came.items() for each in came}
        assert made == there
        after, made = (version, "", ""), dict(state)
        while True:
            some, now = store.changes(after, 3)
            for entry in some:
                made.pop((entry.noun, entry.id), None)
                if not entry.removed:
                    made[entry.noun, entry.id] = dict(entry.document)
            if len(some) < 3:
                break
            after = (some[-1].version, some[-1].noun, some[-1].id)
        assert (made, now) == (there, store.version())
    database.close()


def test_an_object_is_changed_as_it_was_seen_or_not_at_all(tmp_path: Path) -> None:
    database = Database(tmp_path / "book.sqlite", "book")
    database.migrate()
    store = InventoryStore(database)
    first = store.put_one("people", {"id": "a", "kind": "guest"}, AT, 0)
    for seen in (0, first.version + 1):
        with pytest.raises(Moved) as moved:
            store.put_one("people", {"id": "a"}, AT, seen)
        assert moved.value.there == first
    again = store.put_one("people", {"id": "a", "kind": "guest"}, AT, first.version)
    assert again == first, "nothing has changed"
    second = store.put_one("people", {"id": "a", "kind": "employee"}, AT, first.version)
    with pytest.raises(Moved):
        store.remove("people", "a", AT, first.version)
    assert store.remove("people", "a", AT, second.version)
    with pytest.raises(Moved) as gone:
        store.put_one("people", {"id": "a"}, AT, second.version)
    assert gone.value.there is None
    # What is left of it is its id.
    with database.read() as connection:
        row = connection.exec_driver_sql("SELECT id, title, document FROM inventory").one()
    assert tuple(row) == ("a", "", "{}")
    assert store.put_one("people", {"id": "a"}, AT, 0).version > second.version
    database.close()
