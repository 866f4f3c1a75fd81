"""Records of a log, column by column, as they are kept: what a replay reads, before any rulebook is asked.

Not here: files that hold such columns (`store.signin_columns`), and their facts under a rulebook (`replay.columns`).
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import chain
from typing import Any

import numpy as np
from numpy.typing import NDArray

from caddrel.core.columnar.batch import BIT, Flags, Rows, Seconds
from caddrel.core.columnar.fact_groups import GROUPS
from caddrel.core.columnar.own_facts import AGES, METHODS_AGE
from caddrel.core.facts.facts import Origin

Numbers = NDArray[Any]
# Where an age came from, as far as it matters when it is read under another rulebook.
NO_ORIGIN, REPORTED, ASSUMED, OTHERWISE = range(4)
_ORIGIN = {"": NO_ORIGIN, Origin.REPORTED.value: REPORTED, Origin.ASSUMED.value: ASSUMED}


@dataclass(slots=True)
class Own:
    """What a record keeps as its own: facts with their origins, and the age of methods reported without one."""

    values: dict[str, tuple[str, Any]] = field(default_factory=dict)
    default_age: float | None = None
    live: bool = False

    def origin(self, fact: str) -> int:
        """Return the code of a fact's origin in a record (`NO_ORIGIN` when it has none)."""
        said = self.values.get(fact)
        return NO_ORIGIN if said is None else _ORIGIN.get(said[0], OTHERWISE)


# Of so few, as a part of all names, each is looked at by itself.
_FEW = 40


@dataclass(frozen=True, slots=True)
class Coded:
    """Names of many, each by its place among the different ones; -1 where there is none."""

    codes: Numbers
    names: Sequence[str]

    @classmethod
    def of(cls, names: Iterable[str | None]) -> Coded:
        """Return names by their places, in the order in which they first occur."""
        places: dict[str, int] = {}
        codes = [-1 if name is None else places.setdefault(name, len(places)) for name in names]
        return cls(np.array(codes, np.int64), list(places))

    def taken(self, rows: Rows) -> Coded:
        """Return the names of some rows."""
        return Coded(self.codes[rows], self.names)

    def among(self, rows: Rows | slice) -> set[str]:
        """Return the different names of some rows."""
        codes = self.codes[rows]
        if len(codes) * _FEW < len(self.names):
            return {self.names[code] for code in codes.tolist() if code >= 0}
        # Whoever has none marks the place behind the last.
        marks = np.zeros(len(self.names) + 1, np.bool_)
        marks[codes] = True
        return set(map(self.names.__getitem__, np.flatnonzero(marks[:-1]).tolist()))

    def name(self, row: int) -> str | None:
        """Return the name of one row."""
        code = int(self.codes[row])
        return None if code < 0 else self.names[code]


class Names:
    """Names of several parts together, numbered as they come.

    Attributes
    ----------
    names
        Grows at its end with each part, and changes in no other way.
    """

    def __init__(self) -> None:
        self._places: dict[str, int] = {}
        self.names: list[str] = []

    def joined(self, parts: Sequence[Coded]) -> Coded:
        """Return the names of parts one after another, by their places among all that there have been."""
        return Coded(np.concatenate([self._places_of(part) for part in parts]), self.names)

    def _places_of(self, part: Coded) -> Numbers:
        places = self._places
        new = list(dict.fromkeys(name for name in part.names if name not in places))
        places.update(zip(new, range(len(places), len(places) + len(new)), strict=True))
        self.names += new
        # What has no name has the place -1, which is the last of these.
        found = np.fromiter(chain(map(places.__getitem__, part.names), (-1,)), np.int64, len(part.names) + 1)
        return found.take(part.codes)


@dataclass(frozen=True, slots=True)
class Recorded:
    """Records as they are kept.

    Attributes
    ----------
    seqs
        Their numbers in the log.
    moments
        Microseconds since 1970.
    outcomes
        By their places in `OUTCOMES`.
    decisions, revisions
        The numbers of their decisions, and of the revisions that they were made under.
    numbers
        By group of facts the numbers of their bundles.
    ages, origins
        By the names of `AGES`: seconds, not a number where unknown; and where they came from.
    methods_ages
        Seconds by method, for methods that were reported with an age; not a number elsewhere.
    default_age
        Seconds; of methods reported without an age.
    live
        Which of them are live decisions.
    timed
        Which of them have a moment: all of those that are stored.
    """

    seqs: Numbers
    moments: NDArray[np.int64]
    outcomes: NDArray[np.uint8]
    decisions: Numbers
    revisions: Numbers
    people: Coded
    devices: Coded
    numbers: Mapping[str, Numbers]
    ages: Mapping[str, Seconds]
    origins: Mapping[str, NDArray[np.uint8]]
    methods_ages: Mapping[str, Seconds]
    default_age: Seconds
    live: Flags
    timed: Flags

    def __len__(self) -> int:
        return len(self.seqs)

    def taken(self, rows: Rows | slice) -> Recorded:
        """Return some of the records."""
        return Recorded(
            self.seqs[rows], self.moments[rows], self.outcomes[rows], self.decisions[rows], self.revisions[rows],
            Coded(self.people.codes[rows], self.people.names), Coded(self.devices.codes[rows], self.devices.names),
            {group: numbers[rows] for group, numbers in self.numbers.items()},
            {name: ages[rows] for name, ages in self.ages.items()},
            {name: origins[rows] for name, origins in self.origins.items()},
            {name: ages[rows] for name, ages in self.methods_ages.items()},
            self.default_age[rows], self.live[rows], self.timed[rows],
        )  # fmt: skip


def own_columns(
    several: Sequence[Own],
) -> tuple[Mapping[str, NDArray[np.uint8]], Mapping[str, Seconds], Seconds, Flags]:
    """Return what is their own of records as the columns of `Recorded` from `origins` to `live`."""
    count = len(several)
    origins = {name: np.fromiter((own.origin(name) for own in several), np.uint8, count) for name in AGES}
    aged: dict[str, Seconds] = {}
    for row, own in enumerate(several):
        said = own.values.get("auth.methods")
        # The names of methods are in a bundle, which many have in common; what was assumed has no ages.
        if said is None or not isinstance(said[1], dict):
            continue
        for name, age in said[1].items():
            if age is not None and name in BIT:
                column = aged.get(name)
                if column is None:
                    column = aged[name] = np.full(count, np.nan)
                column[row] = age
    default = np.fromiter(
        (np.nan if own.default_age is None else own.default_age for own in several), np.float64, count
    )
    # A default age is the record's own only where it was reported; what a rulebook assumed goes with that rulebook.
    default[origins[METHODS_AGE] != REPORTED] = np.nan
    return origins, aged, default, np.fromiter((own.live for own in several), np.bool_, count)


def joined(parts: Sequence[Recorded], people: Names | None = None, devices: Names | None = None) -> Recorded:
    """Return parts of a log one after another.

    Parameters
    ----------
    people, devices
        Names of what was joined before, of which most come again.
    """
    if len(parts) == 1:
        return parts[0]
    people, devices = people or Names(), devices or Names()
    aged = sorted({name for part in parts for name in part.methods_ages})

    def together(columns: Iterable[Numbers]) -> Numbers:
        return np.concatenate(list(columns))

    return Recorded(
        together(part.seqs for part in parts),
        together(part.moments for part in parts),
        together(part.outcomes for part in parts),
        together(part.decisions for part in parts),
        together(part.revisions for part in parts),
        people.joined([part.people for part in parts]),
        devices.joined([part.devices for part in parts]),
        {group: together(part.numbers[group] for part in parts) for group in GROUPS},
        {name: together(part.ages[name] for part in parts) for name in AGES},
        {name: together(part.origins[name] for part in parts) for name in AGES},
        {
            name: together(part.methods_ages.get(name, np.full(len(part), np.nan)) for part in parts)
            for name in aged
        },
        together(part.default_age for part in parts),
        together(part.live for part in parts),
        together(part.timed for part in parts),
    )  # fmt: skip
