"""A log decided column by column, against the same log decided row by row."""

from __future__ import annotations

from typing import Any

import numpy as np
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from tests.strategies import attempts, rulebooks

from caddrel.core.facts.attempts import AttemptRefused
from caddrel.core.replay.file_log import FileReplay, read_line
from caddrel.core.replay.table import Column, Table, TableReplay, _combined, by_columns
from caddrel.core.replay.tally import tally_json
from caddrel.core.rulebook.model import OUTCOMES
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source

# What a log may say and nobody can read, or understand.
ODD = [
    {"network.ip": "nowhere"}, {"device.state_age": "-3d"}, {"time.at": "yesterday"}, {"person.id": 7},
    {"person.attributes.odd": 1}, {"client.kind": "LEGACY"}, {"auth.credentials": "perhaps"}, {"device.owner": ""},
    {"auth.methods": ["pwd", "odd"]}, {"device.managed": 1}, {"device.managed": True}, {"time.at": ""},
]  # fmt: skip


def _column(values: list[Any]) -> Column:
    places: dict[str, int] = {}
    different: list[Any] = []
    codes = []
    for value in values:
        if value is None:
            codes.append(-1)
            continue
        if repr(value) not in places:
            places[repr(value)] = len(different)
            different.append(value)
        codes.append(places[repr(value)])
    return Column(np.array(codes, np.int64), different)


def table_of(lines: list[dict[str, Any]], first: int = 1) -> Table:
    names = sorted({name for line in lines for name in line["facts"]})
    return Table(
        len(lines),
        {name: _column([line["facts"].get(name) for line in lines]) for name in names},
        outcomes=_column([line.get("recorded", {}).get("outcome") for line in lines]),
        ids=lambda row: lines[row].get("id"),
        first=first,
    )


def _plain(attempt: dict[str, Any]) -> dict[str, Any]:
    methods = attempt.get("auth.methods")
    return {**attempt, "auth.methods": sorted(methods)} if isinstance(methods, dict) else attempt


@given(
    rulebooks(), rulebooks(),
    st.lists(
        st.tuples(attempts(), st.sampled_from([{}, {}, {}, *ODD]), st.sampled_from([*OUTCOMES, "odd"]), st.booleans()),
        min_size=1, max_size=10,
    ),
    st.booleans(),
)  # fmt: skip
@settings(max_examples=40, deadline=None, suppress_health_check=list(HealthCheck))
def test_a_table_comes_to_what_its_rows_come_to(one: str, other: str, several: list[Any], recorded: bool) -> None:
    before, after = (read_rulebook(Source("r", text)).or_raise() for text in (one, other))
    lines: list[dict[str, Any]] = []
    for number, (attempt, odd, outcome, named) in enumerate(several):
        # Signals are given: those that are worked out over the log are not for columns.
        facts = {"signals": [], **_plain(attempt), **odd}
        lines.append({"facts": facts, "recorded": {"outcome": outcome}, **({"id": f"a{number}"} if named else {})})
    side = None if recorded else before
    rows, columns = FileReplay(side, after), TableReplay(side, after)
    read, refused = [], []
    for number, line in enumerate(lines, 1):
        try:
            read.append(read_line(line, number))
        except AttemptRefused:
            refused.append(str(line.get("id", number)))
    changed = list(rows.run(read))
    # In two tables, of which the second has what the first has, and more.
    half = len(lines) // 2
    found = []
    for first, part in ((1, lines[:half]), (half + 1, lines[half:])):
        table = table_of(part, first)
        assert by_columns(table, before, after)
        found += list(columns.run(table))
    assert [(each.id, each.person, each.device, each.before, each.after, each.because) for each in found] == [
        (each.id, each.person, each.device, each.before, each.after, each.because) for each in changed
    ]
    assert sorted(id for id, _ in columns.refused) == sorted([id for id, _ in rows.refused] + refused)
    told = tally_json(columns.tally)
    assert told == tally_json(rows.tally)


def test_what_columns_cannot_tell_is_left_to_rows() -> None:
    signals = read_rulebook(Source("r", "caddrel: 1\nsignals: {far: {kind: far-away, km: 500}}\n")).or_raise()
    plain = read_rulebook(Source("r", "caddrel: 1\n")).or_raise()
    some = table_of([{"facts": {"app.id": "x", "signals": []}}, {"facts": {"app.id": "x"}}])
    assert by_columns(some, plain)
    assert not by_columns(some, plain, signals)
    assert by_columns(table_of([{"facts": {"signals": []}}]), signals)
    assert not by_columns(table_of([{"facts": {"auth.methods": {"otp": 5}}}]), plain)


@settings(max_examples=100, deadline=None)
@given(st.data())
def test_combinations_are_counted_as_they_are(data: st.DataObject) -> None:
    # A size says how many values there could be: none is looked at. Of the largest, a number holds two and not three.
    sizes = data.draw(st.lists(st.sampled_from([1, 2, 3, 1_000, 2**20 - 1, 2**31 - 1]), max_size=7))
    base = [data.draw(st.integers(-1, size - 1)) for size in sizes]
    rows = [tuple(base)]
    for place, size in enumerate(sizes):
        # Rows that differ in one column.
        other = data.draw(st.sampled_from([-1, 0, size - 1]) | st.integers(-1, size - 1))
        rows.append((*base[:place], other, *base[place + 1 :]))
    rows = data.draw(st.permutations(rows))
    columns = [
        Column(np.array([row[place] for row in rows], np.int64), range(size)) for place, size in enumerate(sizes)
    ]
    different, found = _combined(columns, len(rows))
    assert different == len(set(rows)) == len(set(found.tolist()))
    assert len(set(zip(rows, found.tolist(), strict=True))) == different
