"""A log as a table, a column for each fact, decided column by column: what occurs in many rows is read once.

What it comes to is what `file_log` comes to row by row, and a property holds it to that. It takes only what needs no
look at other rows: signals that are worked out over the log are the other's.
Not here: reading the table from where it is kept.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from caddrel.core.columnar.batch import COUNTED_QUICKLY, Flags, Rows, different_of, ticks
from caddrel.core.columnar.fact_groups import GROUPS, group_of
from caddrel.core.columnar.facts_read import facts_read
from caddrel.core.columnar.own_facts import AGES, METHODS_AGE
from caddrel.core.columnar.rulebook import ColumnarRulebook
from caddrel.core.diagnostics import Diagnostic, shorten
from caddrel.core.facts.attempts import unknown_fact, wrong_value
from caddrel.core.facts.catalogue import FACTS
from caddrel.core.facts.facts import Facts, Setting
from caddrel.core.facts.types import FactType, Value
from caddrel.core.facts.values import ValueRefused, are_ids, read_told
from caddrel.core.inventory.completion import complete
from caddrel.core.replay.columns import Entry, RecordedColumns
from caddrel.core.replay.recorded import NO_ORIGIN, REPORTED, Coded, Numbers, Recorded
from caddrel.core.replay.tally import Attempts, Changed, Side, Tally
from caddrel.core.rulebook.model import OUTCOMES, Rulebook

MOMENT = "time.at"
_OWN = (MOMENT, *AGES)


@dataclass(frozen=True, slots=True)
class Column:
    """One column: the different values as JSON, and which of them each row has; -1 where it has none."""

    codes: Numbers
    values: Sequence[Any]


@dataclass(frozen=True, slots=True)
class Table:
    """Rows of a log.

    Attributes
    ----------
    facts
        Columns by the name of the fact, but for those of the next two.
    moments
        Microseconds since 1970, and where there are any; None where the moment is among the facts.
    ages
        Seconds by the names of `AGES`, not a number where there is none; of those that are not among the facts.
    outcomes
        Those recorded; None where the log has none.
    ids
        Gives the id of a row; None where it has none, and is named by its number.
    first
        The number of the first row.
    """

    count: int
    facts: Mapping[str, Column]
    moments: tuple[Numbers, Flags] | None = None
    ages: Mapping[str, Numbers] | None = None
    outcomes: Column | None = None
    ids: Callable[[int], Any] | None = None
    first: int = 1

    def name(self, row: int) -> str:
        """Return the id of a row."""
        found = None if self.ids is None else self.ids(row)
        return str(self.first + row if found is None else found)

    def unrecorded(self) -> int:
        """Return how many rows have no outcome recorded."""
        if self.outcomes is None:
            return self.count
        empty = [place for place, word in enumerate(self.outcomes.values) if not word]
        return int(np.isin(self.outcomes.codes, [-1, *empty]).sum())

    def present(self, fact: str) -> Flags:
        """Return which rows have a fact."""
        column = self.facts.get(fact)
        return np.zeros(self.count, np.bool_) if column is None else column.codes >= 0


def by_columns(table: Table, *rulebooks: Rulebook) -> bool:
    """Tell whether a table can be replayed column by column.

    Not where signals are worked out over its rows, nor where methods have ages of their own.
    """
    if not table.present("signals").all() and any(rulebook.signals for rulebook in rulebooks):
        return False
    methods = table.facts.get("auth.methods")
    return methods is None or not any(isinstance(each, dict) for each in methods.values)


class TableReplay:
    """Replays rows of tables, one table after another.

    Parameters
    ----------
    before
        None for what was recorded.
    """

    def __init__(self, before: Rulebook | None, after: Rulebook) -> None:
        self._bundles = _Bundles()
        # Rows that differ only in what neither rulebook reads have their facts in common.
        self._read = facts_read(after) | (facts_read(before) if before is not None else frozenset())
        self._before = _TableSide(before, self._bundles) if before is not None else None
        self._after = _TableSide(after, self._bundles)
        self.tally = Tally()
        # Of facts the values that can be read on either side, as they are told.
        self._good: dict[str, set[str]] = {}
        # The ids of rows that cannot be read as facts, with what is wrong first.
        self.refused: list[tuple[str, Diagnostic]] = []

    def run(self, table: Table) -> Iterator[Changed]:
        """Replay the rows that can be read; yields those that come out otherwise, in their order."""
        yield from self.tally.add(*self._decided(table))

    def count(self, table: Table) -> None:
        """Replay the rows that can be read; what changes is counted, and not told one by one."""
        self.tally.count(*self._decided(table))

    def _decided(self, table: Table) -> tuple[Attempts, Side, Side]:
        sides = [side for side in (self._before, self._after) if side is not None]
        recorded, wrong = self._recorded(table, sides)
        self.refused += [(table.name(row), wrong[row]) for row in sorted(wrong)]
        kept = np.ones(table.count, np.bool_)
        kept[list(wrong)] = False
        rows = np.flatnonzero(kept)
        recorded = recorded if len(rows) == table.count else recorded.taken(rows)
        before = self._before.side(recorded) if self._before is not None else Side(recorded.outcomes, lambda _: ())
        attempts = Attempts(
            lambda some: [table.name(int(rows[row])) for row in some], recorded.people, recorded.devices,
            recorded.moments,
        )  # fmt: skip
        return attempts, before, self._after.side(recorded)

    def _recorded(self, table: Table, sides: Sequence[_TableSide]) -> tuple[Recorded, dict[int, Diagnostic]]:
        wrong: dict[int, Diagnostic] = {}
        told = {name: [repr(value) for value in column.values] for name, column in table.facts.items()}
        for name, column in table.facts.items():
            # Also of what no rulebook reads: a row that cannot be read whole is left out, and told.
            if name not in _OWN:
                self._unreadable(name, column, told[name], sides, wrong)
        numbers = {}
        for group in GROUPS:
            names = [name for name in table.facts if name in self._read and group_of(name) == group]
            different, codes = self._bundles.of(group, names, table, told)
            numbers[group] = np.array(different, np.int64)[codes] if different else np.zeros(table.count, np.int64)
        moments, timed = table.moments or _moments(table, wrong)
        ages = {name: _ages(table, name, wrong) for name in AGES}
        origins = {
            name: np.where(np.isnan(each), np.uint8(NO_ORIGIN), np.uint8(REPORTED)) for name, each in ages.items()
        }
        none = np.zeros(table.count, np.int64)
        return Recorded(
            none, moments, _outcomes(table, wrong), none, none, _names(table, "person.id"), _names(table, "device.id"),
            numbers, ages, origins, {}, ages[METHODS_AGE], np.zeros(table.count, np.bool_), timed,
        ), wrong  # fmt: skip

    def _unreadable(
        self, name: str, column: Column, told: Sequence[str], sides: Sequence[_TableSide], wrong: dict[int, Diagnostic]
    ) -> None:
        good = self._good.setdefault(name, set())
        if good.issuperset(told) or (all(side.is_id(name) for side in sides) and are_ids(column.values)):
            return
        problems: dict[int, Diagnostic] = {}
        for place, value in enumerate(column.values):
            read = [side.value(name, told[place], value) for side in sides]
            problem = next((each for each in read if isinstance(each, Diagnostic)), None)
            if problem is None:
                good.add(told[place])
            else:
                problems[place] = problem
        _note(column, problems, wrong)


def _note(column: Column, problems: Mapping[int, Diagnostic], wrong: dict[int, Diagnostic]) -> None:
    """Note the rows whose value is among those that are wrong, by its place; of a row what was found first stays."""
    if problems:
        bad = np.zeros(len(column.values) + 1, np.bool_)
        bad[list(problems)] = True
        for row in np.flatnonzero(bad[column.codes]):
            wrong.setdefault(int(row), problems[int(column.codes[row])])


# What is reported of some facts, each as it is told (flags and numbers apart) and as it is.
_Reported = Mapping[str, tuple[str, Any]]


def _combined(columns: Sequence[Column], count: int) -> tuple[int, Rows]:
    """Return how many different combinations rows have of some columns, and which of them each row has."""
    combined, most = np.zeros(count, np.int64), 1
    # Those of few values first. They are counted anew where all that could be would be more than is counted quickly,
    # and so before a number grows beyond what fits.
    for column in sorted(columns, key=lambda each: len(each.values)):
        values = len(column.values) + 1
        if most * values > max(COUNTED_QUICKLY, 4 * count):
            different, combined = different_of(combined)
            most = len(different)
        combined *= values
        # From 0, where there is none.
        combined += column.codes
        combined += 1
        most *= values
    different, codes = different_of(combined)
    return len(different), codes


class _Bundles:
    """What rows report of one group of facts, each different one with a number."""

    def __init__(self) -> None:
        self._numbers: dict[Any, int] = {}
        self.facts: list[_Reported] = []

    def of(
        self, group: str, names: Sequence[str], table: Table, told: Mapping[str, Sequence[str]]
    ) -> tuple[list[int], Rows]:
        """Return the numbers of what rows report of some facts, and which of them each row has."""
        different, codes = _combined([table.facts[name] for name in names], table.count)
        # Any of the rows that report the same tells what.
        first = np.zeros(different, np.intp)
        first[codes] = np.arange(table.count)
        if not names:
            return [self._number(group, (), (), {})] * different, codes
        places = [table.facts[name].codes[first].tolist() for name in names]
        texts = [[None if at < 0 else told[name][at] for at in of] for name, of in zip(names, places, strict=True)]
        columns = [(name, told[name], table.facts[name].values) for name in names]
        wanted, known = tuple(names), self._numbers
        numbers = []
        for said, at in zip(zip(*texts, strict=True), zip(*places, strict=True), strict=True):
            number = known.get((group, wanted, said))
            if number is None:
                reported = {
                    name: (told_[place], values[place])
                    for (name, told_, values), place in zip(columns, at, strict=True) if place >= 0
                }  # fmt: skip
                number = self._number(group, wanted, said, reported)
            numbers.append(number)
        return numbers, codes

    def _number(self, group: str, names: tuple[str, ...], said: tuple[str | None, ...], reported: _Reported) -> int:
        key = group, names, said
        found = self._numbers.get(key)
        if found is None:
            found = self._numbers[key] = len(self.facts)
            self.facts.append(reported)
        return found


# Without an inventory nothing but what the rulebook assumes is added to these; a property holds that to `complete`.
_ASSUMED_ALONE = ("person", "app", "network", "signals")


class _TableSide:
    """What rows come to under a rulebook."""

    def __init__(self, rulebook: Rulebook, bundles: _Bundles) -> None:
        self._rulebook, self._bundles = rulebook, bundles
        self._values: dict[tuple[str, str], tuple[Value | None, Any] | Diagnostic] = {}
        self._columns = RecordedColumns(rulebook.settings.assume, self._entries_of)
        self._ready = ColumnarRulebook(rulebook)
        assume = rulebook.settings.assume
        self._assumed = {
            group: {name: value for name, value in assume.items() if group_of(name) == group} for group in GROUPS
        }

    def value(self, name: str, told: str, value: Any) -> tuple[Value | None, Any] | Diagnostic:
        """Return what is told of a fact, read once; what is wrong with it, where it cannot be."""
        key = name, told
        found = self._values.get(key)
        if found is None:
            found = self._values[key] = self._read(name, value)
        return found

    def is_id(self, name: str) -> bool:
        """Tell whether a fact is an id, of which every text is one."""
        spec = self._rulebook.catalogue.get(name)
        return spec is not None and spec.type is FactType.NAME and not spec.words

    def _read(self, name: str, value: Any) -> tuple[Value | None, Any] | Diagnostic:
        spec = self._rulebook.catalogue.get(name)
        if spec is None:
            return unknown_fact(name, self._rulebook.catalogue)
        # An empty text is not reported.
        if value == "":
            return None, None
        try:
            return read_told(spec, value)
        except ValueRefused as refused:
            return wrong_value(name, refused, value)

    def _entries_of(self, group: str, numbers: Sequence[int]) -> list[Entry]:
        return [(self._made(group, self._bundles.facts[number]), {}) for number in numbers]

    def _made(self, group: str, reported: _Reported) -> Facts:
        assume = self._rulebook.settings.assume
        values: dict[str, Value] = {}
        strange: dict[str, Any] = {}
        known = self._values
        for name, (told, value) in reported.items():
            found = known.get((name, told)) or self.value(name, told, value)
            # Rows that cannot be read are not asked about.
            if isinstance(found, tuple):
                read, said = found
                if read is not None:
                    values[name] = read
                if said is not None:
                    strange[name] = said
        if group in _ASSUMED_ALONE:
            if not self._assumed[group]:
                return Facts(values, {}, not_understood=strange)
            mine = {name: value for name, value in self._assumed[group].items() if name not in strange}
            return Facts({**mine, **values}, {}, not_understood=strange)
        # Without an inventory a group of facts is completed from itself alone, so it may be by itself.
        whole = complete(values, self._rulebook.catalogue, assume, None, Setting.LOG, not_understood=strange)
        return whole.changed({n: v for n, v in whole.values.items() if group_of(n) == group}, {}, None)

    def side(self, recorded: Recorded) -> Side:
        """Return what rows come to."""
        found = self._ready.decide(self._columns.batch(recorded))
        return Side(found.outcomes, found.deciding, found.certain)


def _moments(table: Table, wrong: dict[int, Diagnostic]) -> tuple[Numbers, Flags]:
    ticks = _own(table, MOMENT, wrong)
    timed = ~np.isnan(ticks)
    return np.where(timed, ticks, 0).astype(np.int64), timed


def _ages(table: Table, name: str, wrong: dict[int, Diagnostic]) -> Numbers:
    given = (table.ages or {}).get(name)
    return _own(table, name, wrong) if given is None else given


def _own(table: Table, name: str, wrong: dict[int, Diagnostic]) -> Numbers:
    """Return a fact of each row's own as numbers, not a number where it has none; rows of wrong values are noted."""
    column = table.facts.get(name)
    if column is None:
        return np.full(table.count, np.nan)
    read = np.full(len(column.values) + 1, np.nan)
    problems: dict[int, Diagnostic] = {}
    for place, told in enumerate(column.values):
        try:
            value: Any = None if told == "" else read_told(FACTS[name], told)[0]
        except ValueRefused as refused:
            problems[place] = wrong_value(name, refused, told)
            continue
        if value is not None:
            read[place] = value if name != MOMENT else ticks(value)
    _note(column, problems, wrong)
    return read[column.codes]


def _names(table: Table, name: str) -> Coded:
    column = table.facts.get(name)
    if column is None:
        return Coded(np.full(table.count, -1, np.int64), [])
    # What is no text is refused where its facts are read; an empty one is not reported.
    names = [each if isinstance(each, str) else "" for each in column.values]
    codes = np.array([-1 if not each else place for place, each in enumerate(names)] + [-1], np.int64)[column.codes]
    return Coded(codes, names)


def _outcomes(table: Table, wrong: dict[int, Diagnostic]) -> Numbers:
    if table.outcomes is None:
        return np.zeros(table.count, np.uint8)
    places = {word: place for place, word in enumerate(OUTCOMES)}
    of = np.zeros(len(table.outcomes.values) + 1, np.uint8)
    problems: dict[int, Diagnostic] = {}
    for place, word in enumerate(table.outcomes.values):
        if word and word not in places:
            problems[place] = Diagnostic(
                "wrong-value", f"`{shorten(str(word))}` is no outcome", path="recorded.outcome"
            )
        of[place] = places.get(word, 0)
    _note(table.outcomes, problems, wrong)
    return of[table.outcomes.codes]
