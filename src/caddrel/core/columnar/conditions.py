"""Conditions asked of a batch of attempts: a truth for each of some rows.

What is about one group of facts is asked of that group's entries, and what is about a whole named part once for all
rows. Only what is left is worked out for the rows that are asked about.
Not here: tests of one fact (`entry_tests`), what is about one group (`group_tables`), policies (`columnar.rulebook`).
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import datetime
from typing import Any, assert_never

import numpy as np

from caddrel.core.columnar.batch import BIT, Batch, Rows, ticks
from caddrel.core.columnar.group_tables import METHODS, GroupTables
from caddrel.core.columnar.levels import (
    FALSE,
    TRUE,
    UNKNOWN,
    Levels,
    all_true,
    any_true,
    of_known,
    opposite,
    surely,
    where_known,
)
from caddrel.core.columnar.open_hours import open_at
from caddrel.core.columnar.own_facts import AGES
from caddrel.core.language.nodes import And, Condition, During, FactTest, FromPlace, Not, Or, Passes, Surely
from caddrel.core.language.operators import OPERATORS, Op
from caddrel.core.rulebook.model import Rulebook

MOMENT = "time.at"


class Conditions:
    """Asks conditions of one rulebook of one batch."""

    def __init__(self, rulebook: Rulebook, tables: GroupTables, batch: Batch) -> None:
        self._rulebook, self._tables, self._batch = rulebook, tables, batch
        self._named: dict[tuple[str, str], Levels] = {}
        # Of the rows that were asked about last: the rules of a policy ask about the same ones.
        self._rows: Rows | None = None
        self._taken: dict[str, Rows] = {}

    def ask(self, node: Condition, rows: Rows) -> Levels:
        """Return the truth of a condition for some rows."""
        group = self._tables.groups.of(node)
        if group:
            return self._tables.of(node, group).take(self._codes(group, rows))
        count = len(rows)
        match node:
            case And(parts=parts):
                return all_true(self._each(And, parts, rows), count)
            case Or(parts=parts):
                return any_true(self._each(Or, parts, rows), count)
            case Not(part=part):
                return opposite(self.ask(part, rows))
            case Surely(part=part):
                return surely(self.ask(part, rows))
            case Passes(standard=standard):
                return self.standard(standard.text).take(rows)
            case During(schedule=schedule):
                return self._during(schedule.text).take(rows)
            case FactTest():
                return self._own(node, rows)
            case FromPlace():
                raise AssertionError("a place is about the network alone")
            case _:
                assert_never(node)

    def _codes(self, group: str, rows: Rows) -> Rows:
        """Return which entry of a group each of some rows has."""
        if rows is not self._rows:
            self._rows, self._taken = rows, {}
        found = self._taken.get(group)
        if found is None:
            found = self._taken[group] = self._batch.codes[group].take(rows)
        return found

    def standard(self, name: str) -> Levels:
        """Return for every row whether its device passes a standard."""
        key = "standard", name
        if key not in self._named:
            everything: Rows = np.arange(self._batch.count)
            checks = self._rulebook.standards[name].checks
            self._named[key] = all_true((self.ask(check.must, everything) for check in checks), self._batch.count)
        return self._named[key]

    def _each(self, kind: type[And | Or], parts: Sequence[Condition], rows: Rows) -> Iterator[Levels]:
        """Yield the truths of parts, those about one group together: and, or do not care for the order."""
        together: dict[str, list[Levels]] = {}
        for part in parts:
            group = self._tables.groups.of(part)
            if group:
                together.setdefault(group, []).append(self._tables.of(part, group))
            else:
                yield self.ask(part, rows)
        combine = all_true if kind is And else any_true
        for group, tables in together.items():
            yield combine(tables, len(tables[0])).take(self._codes(group, rows))

    def _during(self, name: str) -> Levels:
        key = "schedule", name
        if key not in self._named:
            self._named[key] = open_at(self._rulebook.schedules[name], self._batch)
        return self._named[key]

    def between(self, start: datetime | None, end: datetime | None, rows: Rows) -> Levels:
        """Return for some rows whether the moment is from a start on and before an end."""
        moments = self._batch.moments[rows]
        holds = np.ones(len(rows), np.bool_)
        if start is not None:
            holds &= moments >= ticks(start)
        if end is not None:
            holds &= moments < ticks(end)
        return where_known(holds, self._batch.timed[rows])

    def _own(self, test: FactTest, rows: Rows) -> Levels:
        """Return the truth of a test of a fact that is each attempt's own."""
        if test.fact == METHODS:
            return self._used(test, rows)
        if test.fact == MOMENT:
            values: Any = self._batch.moments[rows]
            known = self._batch.timed[rows]
            wanted: list[Any] = [ticks(operand.value) for operand in test.operands]  # type: ignore[arg-type]
        else:
            assert test.fact in AGES, test.fact
            values = self._batch.ages[test.fact][rows]
            known = ~np.isnan(values)
            wanted = [operand.value for operand in test.operands]
        match test.op:
            case Op.KNOWN:
                return of_known(known)
            case Op.UNKNOWN:
                return of_known(~known)
            case Op.IS | Op.ONE_OF:
                holds = np.isin(values, wanted)
            case Op.IS_NOT | Op.NOT_ONE_OF:
                holds = ~np.isin(values, wanted)
            case Op.AT_LEAST:
                holds = values >= wanted[0]
            case Op.AT_MOST:
                holds = values <= wanted[0]
            case Op.ABOVE:
                holds = values > wanted[0]
            case Op.BELOW:
                holds = values < wanted[0]
            case _:
                raise AssertionError(f"{test.op} is no test of {test.fact}")
        return where_known(holds, known)

    def _used(self, test: FactTest, rows: Rows) -> Levels:
        """Return the truth of a test of the methods: their names alone."""
        methods = self._batch.methods
        known = methods.known[rows]
        if test.op is Op.KNOWN:
            return of_known(known)
        if test.op is Op.UNKNOWN:
            return of_known(~known)
        used = methods.used[rows]
        # Beside those that nobody understands there may be any other.
        open_ = ~known | methods.partly[rows]

        def has(name: str) -> Levels:
            held = used & np.uint32(BIT[name]) != 0
            return np.where(held & known, np.uint8(TRUE), np.where(open_, np.uint8(UNKNOWN), np.uint8(FALSE)))

        row = OPERATORS[test.op]
        each = [has(operand.text) for operand in test.operands]
        combine = all_true if (row.positive or test.op) is Op.HAS_ALL else any_true
        found = combine(each, len(rows))
        return found if row.positive is None else opposite(found)
