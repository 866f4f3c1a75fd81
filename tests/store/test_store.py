"""The store: migrations, and connections that can and cannot write."""

from __future__ import annotations

import contextlib
import json
import sqlite3
import warnings
from dataclasses import replace
from datetime import datetime
from pathlib import Path
from typing import Any

import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from alembic.script import ScriptDirectory
from hypothesis import given, settings
from hypothesis import strategies as st
from sqlalchemy import (
    Column,
    Connection,
    Executable,
    MetaData,
    create_engine,
    delete,
    insert,
    select,
    text,
    update,
)
from sqlalchemy.dialects import sqlite
from sqlalchemy.exc import OperationalError, SAWarning

from caddrel.core.logs.references import number_for, spelled
from caddrel.store.book_tables import BOOK, counters
from caddrel.store.bulk_insert import MOST_VALUES, insert_many
from caddrel.store.dictionary import Decided
from caddrel.store.engine import Database, Kept, driver
from caddrel.store.log_seal import LogSeal
from caddrel.store.log_tables import LOG, signins
from caddrel.store.moments import from_stored, to_stored
from caddrel.store.new_signins import NewSignin, NewSignins
from caddrel.store.queries import Query
from caddrel.store.signins import SigninStore
from caddrel.store.stretches import BITS, walking


@pytest.mark.parametrize(("name", "declared"), [("book", BOOK), ("log", LOG)])
def test_a_migrated_file_is_as_declared_and_migrating_again_changes_nothing(
    tmp_path: Path, name: str, declared: MetaData
) -> None:
    database = Database(tmp_path / "folder" / "x.sqlite", name)
    database.migrate()
    database.migrate()
    with database.read() as connection:
        migrated = MigrationContext.configure(connection)
        with warnings.catch_warnings(category=SAWarning, action="ignore"):
            # It does not compare indexes over what is worked out.
            warnings.filterwarnings("ignore", message="autogenerate skipping", category=UserWarning)
            assert compare_metadata(migrated, declared) == []
        assert _indexes(connection) == _indexes_of(declared)
        scripts = ScriptDirectory.from_config(database.config(connection))
        # Files are told from one another by the number in front, without asking Alembic.
        assert migrated.get_current_revision() == scripts.get_current_head()
        assert all(Path(script.path).name.startswith(f"{script.revision}_") for script in scripts.walk_revisions())
    database.close()
    assert (tmp_path / "folder" / "x.sqlite").stat().st_mode & 0o077 == 0


_WHOLE = MOST_VALUES // 2


def _indexes(connection: Connection) -> dict[str, str]:
    found = connection.execute(text("SELECT name, sql FROM sqlite_master WHERE type = 'index' AND sql IS NOT NULL"))
    return {row.name: row.sql.replace('"', "") for row in found}


def _indexes_of(declared: MetaData) -> dict[str, str]:
    engine = create_engine("sqlite://")
    with engine.begin() as connection:
        declared.create_all(connection)
        return _indexes(connection)


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


def sealed_store(database: Database) -> SigninStore:
    seal = LogSeal(b"k" * 32)
    seal.begin(database)
    return SigninStore(database, seal)


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
    assert _counted(database, "x") == []

    # Of what is committed together a part that fails takes all with it, also where somebody catches that.
    def catch() -> None:
        with database.write() as connection:
            connection.execute(insert(counters).values(name="y", value=1))
            with contextlib.suppress(ZeroDivisionError):
                fail()

    with pytest.raises(RuntimeError):
        catch()
    assert _counted(database, "x") == _counted(database, "y") == []
    with database.write() as connection:
        connection.execute(insert(counters).values(name="x", value=1))
        with database.write() as within:
            within.execute(insert(counters).values(name="y", value=2))
        assert _counted(database, "y") == []
    assert (_counted(database, "x"), _counted(database, "y")) == ([1], [2])

    def end_early() -> None:
        with database.write() as connection:
            driver(connection).execute("ROLLBACK")
            # Nothing that is written after it is committed by itself.
            for after in (database.write, database.part):
                with pytest.raises(RuntimeError), after():
                    driver(connection).execute("INSERT INTO counters (name, value) VALUES ('late', 1)")

    with pytest.raises((RuntimeError, sqlite3.OperationalError)):
        end_early()
    assert _counted(database, "late") == []
    with database.write() as connection:
        connection.execute(delete(counters).where(counters.c.name == "x"))
    assert _counted(database, "x") == []
    database.close()


def test_of_a_part_that_fails_nothing_stays_and_the_rest_does(tmp_path: Path) -> None:
    database = Database(tmp_path / "x.sqlite", "book")
    database.migrate()
    asked = "SELECT value FROM counters WHERE name = ?"

    def count(name: str, value: int) -> None:
        with database.write() as connection:
            connection.execute(insert(counters).values(name=name, value=value))
            assert database.own(asked, (name,)) == (value,)
            # Nobody else sees it yet.
            assert database.one(asked, (name,)) is None

    def fail() -> None:
        with database.part():
            count("failed", 2)
            with database.part():
                count("within", 3)
            raise ZeroDivisionError

    with database.write():
        count("before", 1)
        with pytest.raises(ZeroDivisionError):
            fail()
        assert database.own(asked, ("within",)) is None
        with database.part():
            count("after", 4)

    def doomed() -> None:
        with database.write(), database.part():
            count("doomed", 5)
            # That is not in a part of its own, and another that fails changes nothing about it.
            with pytest.raises(OperationalError), database.write() as connection:
                connection.exec_driver_sql("SELECT no_such_column FROM counters")
            with pytest.raises(ZeroDivisionError), database.part():
                raise ZeroDivisionError

    with pytest.raises(RuntimeError):
        doomed()
    counted = {name: _counted(database, name) for name in ("before", "failed", "within", "after", "doomed")}
    assert counted == {"before": [1], "failed": [], "within": [], "after": [4], "doomed": []}
    database.close()


def _counted(database: Database, name: str) -> list[int]:
    with database.read() as connection:
        return list(connection.execute(select(counters.c.value).where(counters.c.name == name)).scalars())


@pytest.mark.parametrize("table", ["tokens", "drafts", "unlocks"])
@pytest.mark.parametrize("other_process", [False, True])
def test_what_is_kept_is_read_anew_after_its_own_changes_alone(
    tmp_path: Path, table: str, *, other_process: bool
) -> None:
    database = Database(tmp_path / "x.sqlite", "book", poll=0)
    database.migrate()
    writing = Database(tmp_path / "x.sqlite", "book", poll=0) if other_process else database
    declared, reads = BOOK.tables[table], 0

    def read() -> int:
        nonlocal reads
        reads += 1
        with database.read() as connection:
            return len(connection.execute(select(declared)).all())

    kept = Kept(database, read, table)

    def written(statement: Executable) -> tuple[int, int]:
        before = reads
        with writing.write() as connection:
            connection.execute(statement)
        return kept.get(), reads - before

    row = {column.name: _some(column) for column in declared.columns}
    changed = next(column for column in declared.columns if not column.primary_key)
    assert kept.get() == 0
    assert written(insert(counters).values(name="other", value=1)) == (0, 0)
    assert written(insert(declared).values(row)) == (1, 1)
    assert written(update(counters).values(value=counters.c.value + 1).where(counters.c.name == "other")) == (1, 0)
    assert written(update(declared).values({changed.name: _some(changed)})) == (1, 1)
    assert written(delete(declared)) == (0, 1)
    # Where nobody counts any more, everything counts.
    assert written(delete(counters))[0] == 0
    assert written(insert(declared).values(row)) == (1, 1)
    for each in {database, writing}:
        each.close()


def _some(column: Column[Any]) -> object:
    return 1 if column.type.python_type in {int, bool} else "x"


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
    database.migrate("0003")
    with database.write() as connection:
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
    store = sealed_store(database)
    assert [record.id for record in store.page(Query())] == ["s-3", "s-2", "s-1"]
    for record in store.every(Query(equal={"recorded_outcome": "accepted", "owner": "company", "rule": "r"})):
        assert record.facts == {**facts, "reference": record.reference}
        assert record.decision == {
            **decision, "tell": [{**tell[0], "text": f"Quote {record.reference}."}]
        }  # fmt: skip
    assert store.get(spelled(number_for("s-2")).lower().replace("-", " ")).id == "s-2"  # type: ignore[union-attr]
    assert store.per_day(Query()) == [(0, "blocked", 3)]
    assert [record.id for record in store.page(Query(equal={"person": "a"}))] == ["s-3", "s-2", "s-1"]
    with database.read() as connection:
        counts = [connection.exec_driver_sql(f"SELECT count(*) FROM {t}").scalar() for t in ("bundles", "decisions")]
    assert counts == [7, 1]
    database.close()


_PEOPLE = ("a", "b", None)


def _new(number: int, at: datetime, person: str | None) -> NewSignin:
    about = json.dumps({"values": {"person.id": ["reported", person]} if person else {}}).encode()
    return NewSignin(
        f"s-{number}", number_for(f"s-{number}"), at, b"", '{"values": {}}', about, b"{}",
        b"{}", b"{}", b"{}", b"{}", b"{}",
        Decided("allowed", None, True, None, None, "allowed", b'{"tell": []}'), person, "x", f"d-{person}",
        None, None, None, True, None, 1,
    )  # fmt: skip


@settings(max_examples=12, deadline=None)
@given(
    st.lists(
        st.tuples(
            st.integers(-40, 40), st.sampled_from([-1, 0, 1, 60_000_000]), st.sampled_from(_PEOPLE), st.booleans()
        ),
        max_size=30,
    ),
    st.integers(1, 4),
)  # fmt: skip
def test_sign_ins_of_a_person_or_device_are_found_in_order_of_time_however_they_came(
    tmp_path_factory: pytest.TempPathFactory, drawn: list[tuple[int, int, str | None, bool]], limit: int
) -> None:
    # Around the ends of the stretches that indexes are laid out by, also before 1970.
    moments = [from_stored((stretch << BITS) + beside) for stretch, beside, _, _ in drawn]
    new = [_new(i, at, person) for i, (at, (_, _, person, _)) in enumerate(zip(moments, drawn, strict=True))]
    database = Database(tmp_path_factory.mktemp("log") / "x.sqlite", "log")
    database.migrate()
    store = sealed_store(database)
    batch: list[NewSignin] = []
    for signin, (*_, commit) in zip(new, drawn, strict=True):
        batch.append(signin)
        if commit:
            store.add(NewSignins(batch), {})
            batch = []
    store.add(NewSignins(batch), {})
    for equal, person in (({"person": "a"}, "a"), ({"device": "d-b"}, "b"), ({"person": "a,b"}, "ab"), ({}, None)):
        mine = [
            (to_stored(s.at), i + 1, s.id) for i, s in enumerate(new) if person is None or (s.person or "-") in person
        ]
        expected = [id for _, _, id in sorted(mine, reverse=True)]
        found: list[str] = []
        query = Query(equal=equal, limit=limit)
        while page := store.page(query):
            found += [record.id for record in page]
            query = replace(query, before=(to_stored(page[-1].at), page[-1].seq))
        assert found == expected
        assert [record.id for record in store.every(Query(equal=equal))] == expected
        assert sum(count for *_, count in store.per_day(Query(equal=equal))) == len(expected)
        since, until = from_stored(-1), from_stored((3 << BITS) + 1)
        within = [id for at, _, id in sorted(mine, reverse=True) if -1 <= at < (3 << BITS) + 1]
        assert [r.id for r in store.page(Query(equal=equal, since=since, until=until))] == within
    assert [past.id for past in store.pasts("a")] == [
        s.id for s in sorted((s for s in new if s.person == "a"), key=lambda s: (s.at, s.id), reverse=True)
    ]
    for signin in new:
        there = store.get(spelled(signin.reference))
        assert there is not None
        assert there.id == signin.id
        assert signin.id in {record.id for record in store.around(there, 2)}
    database.close()


def test_sign_ins_of_a_person_are_searched_and_not_sorted(tmp_path: Path) -> None:
    database = Database(tmp_path / "x.sqlite", "log")
    database.migrate()
    wanted = walking(select(signins).where(signins.c.person == "a"), until=1).limit(50)
    text = str(wanted.compile(dialect=sqlite.dialect(), compile_kwargs={"literal_binds": True}))
    with database.read() as connection:
        plan = [row[3] for row in connection.exec_driver_sql(f"EXPLAIN QUERY PLAN {text}")]
    database.close()
    assert plan[-1] == "SEARCH signins USING INDEX signins_person (stretch=? AND person=?)"
    assert not any("TEMP B-TREE" in step for step in plan)


def test_references_are_found_in_every_block_of_the_log(tmp_path: Path) -> None:
    database = Database(tmp_path / "x.sqlite", "log")
    database.migrate()
    store = sealed_store(database)
    at = from_stored(0)
    store.add(NewSignins([_new(1, at, "a")]), {})
    with database.write() as connection:
        connection.exec_driver_sql("UPDATE records SET seq = 300000")
        connection.exec_driver_sql("UPDATE signins SET seq = 300000")
    store.add(NewSignins([_new(2, at, "a")]), {})
    found = [store.get(spelled(number_for(f"s-{number}"))) for number in (1, 2, 3)]
    assert [record.id if record else None for record in found] == ["s-1", "s-2", None]
    database.close()
