"""Attempts as columns: for each group of facts the entries that occur, and which of them each attempt has.

Here attempts are many and entries are few: what is asked of one group of facts is asked of its entries alone.
Not here: where attempts come from (`replay`), and deciding them (`columnar.rulebook`).
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any

import numpy as np
from numpy.typing import NDArray

from caddrel.core.columnar.own_facts import AGES
from caddrel.core.facts.catalogue import METHODS
from caddrel.core.facts.facts import Facts, Origin
from caddrel.core.facts.types import PartlyRead, Value

Rows = NDArray[np.intp]
Flags = NDArray[np.bool_]
Bits = NDArray[np.uint32]
Seconds = NDArray[np.float64]
EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
_TICK = timedelta(microseconds=1)
BIT = {name: 1 << place for place, name in enumerate(METHODS)}


@dataclass(frozen=True, slots=True)
class MethodColumns:
    """The methods of attempts with their ages.

    Attributes
    ----------
    known
        Whether anything is known of them.
    partly
        Whether others were reported that nobody understands: it may have any.
    used
        A bit for each method, by its place in `METHODS`.
    ages
        Seconds by method; not a number where none was reported with it.
    default_age
        Seconds; of methods reported without an age. Not a number where nobody said.
    """

    known: Flags
    partly: Flags
    used: Bits
    ages: Mapping[str, Seconds]
    default_age: Seconds

    @classmethod
    def of(
        cls, methods: Sequence[Mapping[str, float | None] | None], default_ages: Sequence[float | None]
    ) -> MethodColumns:
        """Return columns of methods, None where nothing is known of them."""
        count = len(methods)
        used = np.zeros(count, np.uint32)
        known = np.fromiter((each is not None for each in methods), np.bool_, count)
        partly = np.fromiter((isinstance(each, PartlyRead) for each in methods), np.bool_, count)
        ages: dict[str, Seconds] = {}
        bits: dict[tuple[str, ...], int] = {}
        for row, each in enumerate(methods):
            if not each:
                continue
            names = tuple(each)
            number = bits.get(names)
            if number is None:
                number = bits[names] = sum(BIT[name] for name in names)
            used[row] = number
            for name, age in each.items():
                if age is not None:
                    column = ages.get(name)
                    if column is None:
                        column = ages[name] = np.full(count, np.nan)
                    column[row] = age
        return cls(known, partly, used, ages, seconds(default_ages))


class Taken(Mapping[str, NDArray[Any]]):
    """Some rows of columns by name, each taken when it is first asked for: many are asked for by nobody."""

    def __init__(self, columns: Mapping[str, NDArray[Any]], rows: Rows) -> None:
        self._columns, self._rows = columns, rows
        self._taken: dict[str, NDArray[Any]] = {}

    def __getitem__(self, name: str) -> NDArray[Any]:
        found = self._taken.get(name)
        if found is None:
            found = self._taken[name] = self._columns[name].take(self._rows)
        return found

    def __iter__(self) -> Iterator[str]:
        return iter(self._columns)

    def __len__(self) -> int:
        return len(self._columns)


@dataclass(frozen=True, slots=True)
class Batch:
    """Attempts whose facts are completed.

    Attributes
    ----------
    entries
        By group of facts (`fact_groups.GROUPS`) different ones; each holds the facts of its group. Batches may have a
        list in common to which each adds its own: what was found out of an entry is not asked again.
    codes
        By group which entry each attempt has, as its place among them.
    moments
        Of `time.at`, in microseconds since 1970; `timed` tells where it is known.
    ages
        Seconds, by the names of `own_facts.AGES`; not a number where unknown.
    live
        Which of them are live decisions: an app that the inventory does not know is closed then.
    """

    count: int
    entries: Mapping[str, Sequence[Facts]]
    codes: Mapping[str, Rows]
    moments: NDArray[np.int64]
    timed: Flags
    ages: Mapping[str, Seconds]
    methods: MethodColumns
    live: Flags

    def taken(self, rows: Rows) -> Batch:
        """Return some of the attempts, in another order."""
        methods = self.methods
        return Batch(
            len(rows), self.entries, Taken(self.codes, rows), self.moments.take(rows), self.timed.take(rows),
            Taken(self.ages, rows),
            MethodColumns(
                methods.known.take(rows), methods.partly.take(rows), methods.used.take(rows),
                Taken(methods.ages, rows), methods.default_age.take(rows),
            ),
            self.live.take(rows),
        )  # fmt: skip

    def facts(self, row: int) -> Facts:
        """Return the facts of one attempt, all together, without their origins."""
        values: dict[str, Value] = {}
        strange: dict[str, Any] = {}
        for group, codes in self.codes.items():
            entry = self.entries[group][codes[row]]
            values.update(entry.values)
            strange.update(entry.not_understood)
        if self.timed[row]:
            values["time.at"] = moment_of(self.moments[row])
        values.update((name, float(ages[row])) for name, ages in self.ages.items() if not np.isnan(ages[row]))
        methods = self.methods
        if methods.known[row]:
            used = {name: None for name, bit in BIT.items() if int(methods.used[row]) & bit}
            aged = {name: _known(methods.ages[name][row]) if name in methods.ages else None for name in used}
            values["auth.methods"] = PartlyRead(aged) if methods.partly[row] else aged
        else:
            values.pop("auth.methods", None)
        app, network = (self.entries[group][self.codes[group][row]] for group in ("app", "network"))
        return Facts(
            values, dict.fromkeys(values, Origin.REPORTED), _known(methods.default_age[row]), bool(self.live[row]),
            app.app_listed, app.app_title, network.lists, network.coordinates, not_understood=strange,
        )  # fmt: skip


def _known(number: float) -> float | None:
    return None if np.isnan(number) else float(number)


# Numbers that lie within so many of one another are counted without being sorted, however few they are.
COUNTED_QUICKLY = 1_000_000


def different_of(numbers: NDArray[Any]) -> tuple[NDArray[Any], Rows]:
    """Return the different numbers of a column in their order, and which of them each row has.

    What `numpy.unique` gives, without sorting where numbers lie close together, as those of a dictionary do.
    """
    if not len(numbers):
        return numbers, np.zeros(0, np.intp)
    least = int(numbers.min())
    spread = int(numbers.max()) - least + 1
    if spread > max(COUNTED_QUICKLY, 4 * len(numbers)):
        different, places = np.unique(numbers, return_inverse=True)
        return different, places.reshape(-1)
    if 0 <= least <= spread:
        # From naught on they are hardly more, and need not be moved.
        spread, least = spread + least, 0
    at = numbers.astype(np.intp, copy=False)
    if least:
        at = at - least
    there = np.zeros(spread, np.bool_)
    there[at] = True
    different = np.flatnonzero(there)
    # Only the places of numbers that occur are ever looked at.
    places = np.empty(spread, np.intp)
    places[different] = np.arange(len(different))
    return different + least, places.take(at)


# Of so few limits each is compared with all values: that takes less than to search for each value among them.
_FEW_LIMITS = 16


def limits_reached(limits: NDArray[Any], values: NDArray[Any]) -> NDArray[Any]:
    """Return how many of some limits each value has reached; what is no number has reached none.

    Parameters
    ----------
    limits
        In their order.
    """
    if len(limits) > _FEW_LIMITS:
        found = np.searchsorted(limits, values, "right")
        return np.where(np.isnan(values), 0, found) if values.dtype.kind == "f" else found
    reached = np.zeros(len(values), np.uint8)
    for limit in limits:
        reached += values >= limit
    return reached


def ticks(moment: datetime) -> int:
    """Return a moment in microseconds since 1970."""
    return (moment - EPOCH) // _TICK


def moment_columns(moments: Sequence[datetime | None]) -> tuple[NDArray[np.int64], Flags]:
    """Return moments as numbers, and which of them are known."""
    timed = np.fromiter((each is not None for each in moments), np.bool_, len(moments))
    return np.fromiter((0 if each is None else ticks(each) for each in moments), np.int64, len(moments)), timed


def age_columns(ages: Sequence[Sequence[float | None]]) -> dict[str, Seconds]:
    """Return the ages of attempts, each in the order of `AGES`, by name."""
    return {name: seconds([each[place] for each in ages]) for place, name in enumerate(AGES)}


def seconds(values: Sequence[float | None]) -> Seconds:
    """Return seconds as a column: not a number where unknown."""
    return np.fromiter((np.nan if each is None else each for each in values), np.float64, len(values))


def moment_of(tick: Any) -> datetime:
    """Return the moment of a number of microseconds since 1970."""
    return EPOCH + timedelta(microseconds=int(tick))
