"""The log as columns against what was put into it, whatever was added, changed and taken out between two readings."""

from __future__ import annotations

import json
import math
import shutil
import sqlite3
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import Phase, given, settings
from hypothesis import strategies as st
from tests.store.test_store import sealed_store

from caddrel.core.columnar.own_facts import AGES
from caddrel.core.logs.references import number_for
from caddrel.core.replay.recorded import ASSUMED, NO_ORIGIN, OTHERWISE, REPORTED, Recorded
from caddrel.core.rulebook.model import OUTCOMES
from caddrel.store.dictionary import Decided
from caddrel.store.engine import Database
from caddrel.store.moments import from_stored, to_stored
from caddrel.store.new_signins import NewSignin, NewSignins
from caddrel.store.queries import Query
from caddrel.store.signins import SigninRecord, SigninStore
from caddrel.store.stretches import BITS

# What a record keeps as its own, and what is to be read of it: origins and the age of methods by name.
OWN: list[tuple[dict[str, Any], dict[str, Any]]] = [
    ({"values": {}}, {}),
    ({"values": {"device.state_age": ["reported", 5]}}, {"origins": {"device.state_age": REPORTED}}),
    ({"values": {"device.listed_for": ["assumed", 5]}}, {"origins": {"device.listed_for": ASSUMED}}),
    (
        {"values": {"auth.methods": ["reported", {"otp": 60, "pwd": None}], "auth.age": ["computed", 60]}},
        {"origins": {"auth.age": OTHERWISE}, "aged": {"otp": 60.0}},
    ),
    (
        {"values": {"auth.age": ["reported", 7]}, "default_age": 7, "live": True},
        {"origins": {"auth.age": REPORTED}, "default": 7.0, "live": True},
    ),
    # What a rulebook assumed goes with that rulebook.
    ({"values": {"auth.age": ["assumed", 9]}, "default_age": 9}, {"origins": {"auth.age": ASSUMED}}),
]
one = st.tuples(
    st.integers(-2, 2), st.sampled_from([-1, 0, 1, 60_000_000]), st.sampled_from(["a", "b", None]),
    st.sampled_from(OUTCOMES), st.integers(0, len(OWN) - 1), st.sampled_from([None, 0.5, 86_400.0]),
)  # fmt: skip
step = st.one_of(
    st.tuples(st.just("add"), st.lists(one, min_size=1, max_size=4)),
    st.tuples(st.just("change"), st.tuples(st.integers(0, 30), one)),
    st.tuples(st.just("forget"), st.tuples(st.integers(-2, 2), st.sampled_from([0, 1]))),
    st.tuples(st.just("lose"), st.booleans()),
    st.tuples(st.just("read"), st.none()),
)


def _new(number: int, drawn: Any, at: int | None = None) -> NewSignin:
    stretch, beside, person, outcome, own, age = drawn
    moment = (stretch << BITS) + beside if at is None else at
    decided = Decided(outcome, None, True, None, None, "allowed", json.dumps({"outcome": outcome, "own": own}).encode())
    about = json.dumps({"values": {"person.id": ["reported", person]} if person else {}}).encode()
    return NewSignin(
        f"s-{number}", number_for(f"s-{number}"), from_stored(moment), b"", json.dumps(OWN[own][0]), about,
        b"{}", b"{}", b"{}", b"{}", b"{}", b"{}", decided, person, "x", f"d-{person}" if person else None,
        age, None, age, outcome == "allowed", None, 1 + own,
    )  # fmt: skip


class Model:
    """What is in the log, as it was put in."""

    def __init__(self) -> None:
        self.rows: dict[int, tuple[int, Any]] = {}
        self.added = 0

    def expected(self, query: Query) -> list[Any]:
        rows = sorted((at, seq, drawn) for seq, (at, drawn) in self.rows.items())
        since = -math.inf if query.since is None else to_stored(query.since)
        until = math.inf if query.until is None else to_stored(query.until)
        return [
            row for row in rows
            if since <= row[0] < until and ("outcome" not in query.equal or row[2][3] == query.equal["outcome"])
            and ("person" not in query.equal or row[2][2] == query.equal["person"])
        ]  # fmt: skip


def _look(store: SigninStore, model: Model, query: Query, at_once: int) -> None:
    parts = list(store.columns.read(query, at_once))
    assert all(0 < len(part) <= at_once for part in parts)
    found = [(part, row) for part in parts for row in range(len(part))]
    expected = model.expected(query)
    assert [(int(part.moments[row]), int(part.seqs[row])) for part, row in found] == [each[:2] for each in expected]
    for (part, row), (_, seq, drawn) in zip(found, expected, strict=True):
        _same(part, row, drawn)
        assert store.columns.ids(np.array([seq])) == [f"s-{seq}"]


def _same(part: Recorded, row: int, drawn: Any) -> None:
    _, _, person, outcome, own, age = drawn
    wanted = OWN[own][1]
    assert (part.people.name(row), part.devices.name(row)) == (person, f"d-{person}" if person else None)
    assert (OUTCOMES[part.outcomes[row]], int(part.revisions[row])) == (outcome, 1 + own)
    for name, known in zip(AGES, (age, None, age), strict=True):
        assert _known(part.ages[name][row]) == known
        assert part.origins[name][row] == wanted.get("origins", {}).get(name, NO_ORIGIN)
    aged = {name: _known(ages[row]) for name, ages in part.methods_ages.items()}
    assert {name: age for name, age in aged.items() if age is not None} == wanted.get("aged", {})
    assert _known(part.default_age[row]) == wanted.get("default")
    assert bool(part.live[row]) is wanted.get("live", False)


def _known(number: Any) -> float | None:
    return None if np.isnan(number) else float(number)


QUERIES = [
    Query(),
    Query(since=from_stored(-1), until=from_stored(1 << BITS)),
    Query(equal={"outcome": "blocked"}),
    Query(equal={"person": "a"}, since=from_stored(-(1 << BITS))),
]


@pytest.fixture(scope="module")
def empty(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Return the file of an empty log."""
    path = tmp_path_factory.mktemp("empty") / "x.sqlite"
    database = Database(path, "log")
    database.migrate()
    database.close()
    return path


@settings(max_examples=30, deadline=None, phases=[Phase.generate])
@given(st.lists(one, max_size=6), st.lists(step, max_size=12), st.integers(1, 5))
def test_columns_are_what_the_log_holds_whatever_became_of_it(
    tmp_path_factory: pytest.TempPathFactory, empty: Path, first: Any, steps: list[tuple[str, Any]], at_once: int
) -> None:
    database = Database(Path(shutil.copy(empty, tmp_path_factory.mktemp("log"))), "log")
    store, model = sealed_store(database), Model()
    for what, drawn in [("add", first), ("read", None), *steps, ("read", None)]:
        if what == "add":
            store.add(NewSignins([_new(model.added + 1 + i, each) for i, each in enumerate(drawn)]), {})
            for each in drawn:
                model.added += 1
                model.rows[model.added] = (each[0] << BITS) + each[1], each
        elif what == "change" and model.rows:
            seq = sorted(model.rows)[drawn[0] % len(model.rows)]
            at, before = model.rows[seq]
            old = SigninRecord(f"s-{seq}", "", from_stored(at), {"outcome": before[3]}, seq=seq)
            store.replace([(old, _new(seq, drawn[1], at))])
            model.rows[seq] = at, drawn[1]
        elif what == "forget":
            before_then = (drawn[0] << BITS) + drawn[1]
            list(store.forget(from_stored(before_then)))
            gone = [seq for seq, (at, _) in model.rows.items() if at < before_then]
            # The newest stays, so that numbers go on after it.
            kept = {path.name.partition(".")[0] for path in database.path.with_name("columns").glob("*")}
            assert kept.isdisjoint(str(model.rows[seq][0] >> BITS) for seq in gone)
            model.rows = {seq: row for seq, row in model.rows.items() if seq not in gone}
            model.added = max(model.rows, default=0)
        elif what == "lose":
            _spoil(tmp := database.path.with_name("columns"), drawn)
            assert drawn or not tmp.exists()
        else:
            for query in QUERIES:
                _look(store, model, query, at_once)
    database.close()


def _spoil(folder: Path, cut: bool) -> None:
    """Take the files away, or cut them short: they are a cache, and nothing but."""
    if not cut:
        shutil.rmtree(folder, ignore_errors=True)
    for path in folder.glob("*") if folder.exists() else ():
        path.write_bytes(path.read_bytes()[:100])


def test_a_backup_put_back_is_not_read_as_what_came_after_it(tmp_path: Path) -> None:
    database = Database(tmp_path / "x.sqlite", "log")
    database.migrate()
    store, model = sealed_store(database), Model()
    rows = [(0, at, "a", outcome, 0, None) for at, outcome in enumerate(("allowed", "blocked", "challenged"))]
    store.add(NewSignins([_new(1, rows[0])]), {})
    with sqlite3.connect(tmp_path / "x.sqlite") as now, sqlite3.connect(tmp_path / "backup.sqlite") as backup:
        now.backup(backup)
    store.add(NewSignins([_new(2, rows[1])]), {})
    model.rows = {1: (0, rows[0]), 2: (1, rows[1])}
    _look(store, model, Query(), 10)
    database.close()
    for path in tmp_path.glob("x.sqlite*"):
        path.unlink()
    shutil.move(tmp_path / "backup.sqlite", tmp_path / "x.sqlite")

    again = Database(tmp_path / "x.sqlite", "log")
    store = sealed_store(again)
    model.rows = {1: (0, rows[0])}
    _look(store, model, Query(), 10)
    store.add(NewSignins([_new(2, rows[2])]), {})
    model.rows[2] = 2, rows[2]
    _look(store, model, Query(), 10)
    assert len(list((tmp_path / "columns").iterdir())) == 1
    again.close()


def test_what_cannot_be_kept_is_read_from_the_log(tmp_path: Path, caplog: pytest.LogCaptureFixture) -> None:
    database = Database(tmp_path / "x.sqlite", "log")
    database.migrate()
    store, model = sealed_store(database), Model()
    # A file where the folder should be: whatever is in the way, a replay goes on.
    (tmp_path / "columns").write_text("")
    row = (0, 0, "a", "allowed", 1, 0.5)
    store.add(NewSignins([_new(1, row)]), {})
    model.rows = {1: (0, row)}
    _look(store, model, Query(), 10)
    assert "are not kept" in caplog.text
    database.close()
