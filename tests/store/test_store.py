"""The store: migrations, and connections that can and cannot write."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from alembic import command
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import MetaData, insert, select
from sqlalchemy.exc import OperationalError

from caddrel.core.logs.references import number_for, spelled
from caddrel.store.engine import Database
from caddrel.store.inserting import MOST_VALUES, insert_many
from caddrel.store.signins import Query, SigninStore
from caddrel.store.tables import BOOK, LOG, counters


@pytest.mark.parametrize(("name", "declared"), [("book", BOOK), ("log", LOG)])
def test_a_migrated_file_is_as_declared_and_migrating_again_changes_nothing(
    tmp_path: Path, name: str, declared: MetaData
) -> None:
    database = Database(tmp_path / "folder" / "x.sqlite", name)
    database.migrate()
    database.migrate()
    with database.read() as connection:
        assert compare_metadata(MigrationContext.configure(connection), declared) == []
    database.close()
    assert (tmp_path / "folder" / "x.sqlite").stat().st_mode & 0o077 == 0


_WHOLE = MOST_VALUES // 2


@pytest.mark.parametrize("count", [0, 1, 159, 160, 161, _WHOLE - 1, _WHOLE, _WHOLE + 1, 2 * _WHOLE + 1777])
def test_many_rows_are_each_inserted_once(tmp_path: Path, count: int) -> None:
    database = Database(tmp_path / "x.sqlite", "book")
    database.migrate()
    with database.read() as connection:
        before = {tuple(row) for row in connection.execute(select(counters.c.name, counters.c.value))}
    rows = [(f"n{i}", i) for i in range(count)]
    with database.write() as connection:
        insert_many(connection, "counters", ("name", "value"), [[row[0] for row in rows], [row[1] for row in rows]])
    with database.read() as connection:
        found = [tuple(row) for row in connection.execute(select(counters.c.name, counters.c.value))]
    database.close()
    assert len(found) == len(before) + count
    assert set(found) == before | set(rows)


def test_reading_connections_cannot_write_and_failed_writes_leave_nothing(tmp_path: Path) -> None:
    database = Database(tmp_path / "x.sqlite", "book")
    database.migrate()
    with database.read() as connection, pytest.raises(OperationalError):
        connection.execute(insert(counters).values(name="x", value=1))

    def fail() -> None:
        with database.write() as connection:
            connection.execute(insert(counters).values(name="x", value=1))
            raise ZeroDivisionError

    with pytest.raises(ZeroDivisionError):
        fail()
    with database.read() as connection:
        assert connection.exec_driver_sql("SELECT count(*) FROM counters").scalar() == 0
    database.close()


def test_records_of_an_older_release_are_moved_whole(tmp_path: Path) -> None:
    facts = {
        "values": {
            "auth.methods": ["reported", {"otp": 5, "pwd": 60}], "auth.age": ["computed", 60],
            "device.id": ["reported", "d"], "device.owner": ["inventory", "company"], "signals": ["computed", ["odd"]],
            "network.ip": ["reported", "192.0.2.1"], "person.id": ["reported", "a"],
            "operation": ["default", "sign-in"], "time.at": ["reported", "2026-11-01T00:00:00Z"],
        },
        "default_age": None, "live": False, "app_listed": True, "app_title": "X", "lists": {"bad": True},
        "coordinates": [60.0, 5.0], "noticed": {"odd": {"truth": "true"}},
    }  # fmt: skip
    tell = [{"policy": "p", "rule": "r", "text": "Quote {}.", "link": None}]
    decision = {"outcome": "blocked", "reason": "effect", "certain": True, "tell": tell, "revision": 4}
    database = Database(tmp_path / "log.sqlite", "log")
    with database.write() as connection:
        command.upgrade(database.config(connection), "0003")
        for number in range(1, 4):
            reference = spelled(number_for(f"s-{number}"))
            quoting = {**decision, "tell": [{**tell[0], "text": f"Quote {reference}."}]}
            row = {
                "id": f"s-{number}", "reference": reference, "digest": "00" * 32, "at": number, "person": "a",
                "device": "d", "outcome": "blocked", "reason": "effect", "certain": 1, "policy": "p", "rule": "r",
                "shadow_together": "blocked", "revision": 4, "recorded_outcome": "accepted", "let_in": 0,
                "facts": json.dumps({**facts, "reference": reference}), "decision": json.dumps(quoting),
            }  # fmt: skip
            names, marks = ", ".join(row), ", ".join("?" * len(row))
            connection.exec_driver_sql(f"INSERT INTO signins ({names}) VALUES ({marks})", tuple(row.values()))
    database.migrate()
    store = SigninStore(database)
    assert [record.id for record in store.page(Query())] == ["s-3", "s-2", "s-1"]
    for record in store.every(Query(equal={"recorded_outcome": "accepted", "owner": "company", "rule": "r"})):
        assert record.facts == {**facts, "reference": record.reference}
        assert record.decision == {
            **decision, "tell": [{**tell[0], "text": f"Quote {record.reference}."}]
        }  # fmt: skip
    assert store.get(spelled(number_for("s-2")).lower().replace("-", " ")).id == "s-2"  # type: ignore[union-attr]
    assert store.per_day(Query()) == [(0, "blocked", 3)]
    with database.read() as connection:
        counts = [connection.exec_driver_sql(f"SELECT count(*) FROM {t}").scalar() for t in ("bundles", "decisions")]
    assert counts == [7, 1]
    database.close()
