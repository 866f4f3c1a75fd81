"""Tests of one fact, asked of the entries of its group: a truth for each entry.

A reading of the operators of its own, so that it can be held against the others.
Not here: facts of an attempt's own, and methods (`columnar.conditions`).
"""

from __future__ import annotations

import operator
from bisect import bisect_right
from collections.abc import Callable, Sequence
from ipaddress import collapse_addresses
from typing import Any, NamedTuple, assert_never

import numpy as np
from numpy.typing import NDArray

from caddrel.core.columnar.levels import FALSE, TRUE, UNKNOWN, Levels, all_true, any_true, opposite, where_known
from caddrel.core.facts.catalogue import Catalogue
from caddrel.core.facts.facts import Facts
from caddrel.core.facts.types import LEVELS, FactType, Network, PartlyKnown, Signals, fold
from caddrel.core.language.nodes import FactTest
from caddrel.core.language.operators import Op

Holds = Callable[[Any], bool]


class _Column:
    """A fact of all entries as a column: its distinct values (None: unknown), and each entry's index among them."""

    def __init__(self, fact: str) -> None:
        self.fact = fact
        self.values: list[Any] = []
        self.codes: NDArray[np.intp] = np.zeros(0, np.intp)
        self._places: dict[Any, int] = {}

    def grow(self, entries: Sequence[Facts]) -> None:
        """Take in the entries that were added."""
        known, places = len(self.codes), self._places
        if known == len(entries):
            return
        new = [entry.values.get(self.fact) for entry in entries[known:]]
        # A set of which something is open is not the same as one of which nothing is.
        keys = [(value, value.open) if isinstance(value, PartlyKnown | Signals) else value for value in new]
        for key, value in dict(zip(keys, new, strict=True)).items():
            if key not in places:
                places[key] = len(self.values)
                self.values.append(value)
        codes = np.fromiter(map(places.__getitem__, keys), np.intp, len(keys))
        self.codes = np.concatenate([self.codes, codes]) if known else codes


class EntryFacts:
    """The facts of the entries of one group, the values of each kept once.

    Attributes
    ----------
    entries
        May grow at its end, and change in no other way: `grow` is to be called then.
    """

    def __init__(self, entries: Sequence[Facts], catalogue: Catalogue) -> None:
        self.entries, self._catalogue = entries, catalogue
        self._columns: dict[str, _Column] = {}
        # Truths of tests, one for each different value of the fact.
        self._levels: dict[tuple[str, Op, tuple[str, ...]], list[int]] = {}
        self._members: dict[str, _Members] = {}
        self._addresses: tuple[int, Addresses] | None = None

    def grow(self) -> None:
        """Take in the entries that were added."""
        for column in self._columns.values():
            column.grow(self.entries)

    def column(self, fact: str) -> tuple[list[Any], NDArray[np.intp]]:
        """Return the distinct values of a fact (None for unknown), and the index of each entry's value."""
        found = self._columns.get(fact)
        if found is None:
            found = self._columns[fact] = _Column(fact)
            found.grow(self.entries)
        return found.values, found.codes

    def levels(self, test: FactTest) -> Levels:
        """Return the truth of a test for each entry."""
        # Two tests are the same when they ask the same of the same fact, wherever they stand.
        key = test.fact, test.op, tuple([operand.text for operand in test.operands])
        values, codes = self.column(test.fact)
        kind = self._catalogue[test.fact].type
        if kind is FactType.NAMES and test.op not in {Op.KNOWN, Op.UNKNOWN}:
            members = self._members.setdefault(test.fact, _Members())
            members.grow(values)
            return members.levels(test)[codes]
        known = self._levels.setdefault(key, [])
        if len(known) < len(values):
            level = _set_is_known(test) if kind is FactType.NAMES else _of_value(test, kind)
            known += [level(value) for value in values[len(known) :]]
        return np.array(known, np.uint8)[codes]

    def addresses(self) -> tuple[Addresses, NDArray[np.intp]]:
        """Return the different addresses that attempts come from, and which of them each entry has."""
        values, codes = self.column("network.ip")
        if self._addresses is None or self._addresses[0] < len(values):
            four = np.array([-1 if v is None or v.version != 4 else int(v) for v in values], np.int64)
            six = [(i, int(v)) for i, v in enumerate(values) if v and v.version == 6]
            self._addresses = len(values), Addresses(four, six)
        return self._addresses[1], codes

    def of(self, fact: str, level: Callable[[Any], int]) -> Levels:
        """Return the truth of anything that is asked of one fact, for each entry."""
        values, codes = self.column(fact)
        return np.array([level(value) for value in values], np.uint8)[codes]


def _of_value(test: FactTest, kind: FactType) -> Callable[[Any], int]:
    if test.op is Op.KNOWN:
        return lambda value: FALSE if value is None else TRUE
    if test.op is Op.UNKNOWN:
        return lambda value: TRUE if value is None else FALSE
    holds = _meaning(test, kind)
    return lambda value: UNKNOWN if value is None else TRUE if holds(value) else FALSE


_COMPARED = {Op.AT_LEAST: operator.ge, Op.AT_MOST: operator.le, Op.ABOVE: operator.gt, Op.BELOW: operator.lt}


def _meaning(test: FactTest, kind: FactType) -> Holds:
    """Return a predicate that decides a test for a known value that is not a set."""
    rank = _ranks(kind)
    wanted: list[Any] = [rank(each.text if each.value is None else each.value) for each in test.operands]
    match test.op:
        case Op.FLAG:
            return lambda value: value is True
        case Op.IS | Op.ONE_OF:
            return lambda value: rank(value) in wanted
        case Op.IS_NOT | Op.NOT_ONE_OF:
            return lambda value: rank(value) not in wanted
        case Op.AT_LEAST | Op.AT_MOST | Op.ABOVE | Op.BELOW as op:
            compare = _COMPARED[op]
            return lambda value: bool(compare(rank(value), wanted[0]))
        case Op.CONTAINS | Op.STARTS | Op.ENDS as op:
            return _of_text(op, wanted[0])
        case Op.UNDER:
            return lambda value: _below(value, wanted[0])
        case Op.NOT_UNDER:
            return lambda value: not _below(value, wanted[0])
        case Op.HAS | Op.HAS_ANY | Op.HAS_ALL | Op.HAS_NONE | Op.KNOWN | Op.UNKNOWN:
            raise AssertionError(f"{test.op} is no test of a {kind}")
        case _:
            assert_never(test.op)


def _of_text(op: Op, wanted: str) -> Holds:
    if op is Op.CONTAINS:
        return lambda value: wanted in fold(value)
    if op is Op.STARTS:
        return lambda value: fold(value).startswith(wanted)
    return lambda value: fold(value).endswith(wanted)


def _ranks(kind: FactType) -> Callable[[Any], Any]:
    """Return what values of a type are compared by."""
    if kind is FactType.LEVEL:
        return LEVELS.index
    return fold if kind is FactType.TEXT else _itself


def _itself(value: Any) -> Any:
    return value


def _below(path: str, ancestor: str) -> bool:
    parts, above = (path.rstrip("/") + "/", ancestor.rstrip("/") + "/")
    return parts.startswith(above)


def _set_is_known(test: FactTest) -> Callable[[Any], int]:
    """Return whether a set is known: signals are when all of them are; groups are, since something is known of them."""

    def of(value: Any) -> int:
        known = value is not None and not (isinstance(value, Signals) and value.open)
        return TRUE if known is (test.op is Op.KNOWN) else FALSE

    return of


class _Members:
    """Different sets by what they hold: a test of an id is asked of all of them at once.

    Some ids of a set may be unknown: each has a truth of its own.
    """

    def __init__(self) -> None:
        self._count = 0
        self._holding: dict[str, list[int]] = {}
        self._open: dict[str, list[int]] = {}
        self._unknown: list[int] = []

    def grow(self, values: Sequence[Any]) -> None:
        """Take in the sets that were added."""
        for place in range(self._count, len(values)):
            value = values[place]
            if value is None:
                self._unknown.append(place)
                continue
            for name in value:
                self._holding.setdefault(name, []).append(place)
            for name in value.open if isinstance(value, PartlyKnown) else ():
                if name not in value:
                    self._open.setdefault(name, []).append(place)
        self._count = len(values)

    def levels(self, test: FactTest) -> Levels:
        """Return the truth of a test for each set."""
        each = [self._of(operand.text) for operand in test.operands]
        match test.op:
            case Op.HAS | Op.HAS_ANY:
                found = any_true(each, self._count)
            case Op.HAS_ALL:
                found = all_true(each, self._count)
            case Op.HAS_NONE:
                found = opposite(any_true(each, self._count))
            case _:
                raise AssertionError(f"{test.op} is no test of a set")
        found[self._unknown] = UNKNOWN
        return found

    def _of(self, name: str) -> Levels:
        found = np.full(self._count, FALSE, np.uint8)
        found[self._open.get(name, [])] = UNKNOWN
        found[self._holding.get(name, [])] = TRUE
        return found


class Addresses(NamedTuple):
    """Different addresses as numbers: of IPv4 by place, -1 for any other; of IPv6 each with its place."""

    four: NDArray[np.int64]
    six: list[tuple[int, int]]


class Spans:
    """Networks as spans of numbers that neither overlap nor touch, asked with many addresses."""

    def __init__(self, networks: Sequence[Network]) -> None:
        self._four = tuple(np.array(ends, np.int64) for ends in _joined(networks, 4))
        self._six = _joined(networks, 6)

    def levels(self, addresses: tuple[Addresses, NDArray[np.intp]]) -> Levels:
        """Return for each entry whether its address is in one of the networks; unknown where it has none."""
        (four, six), codes = addresses
        starts, ends = self._four
        known = four >= 0
        found = np.zeros(len(four), np.bool_)
        if len(starts):
            place = np.searchsorted(starts, four, side="right") - 1
            found = known & (place >= 0) & (four <= ends[place])
        for at, number in six:
            starts_six, ends_six = self._six
            place_six = bisect_right(starts_six, number) - 1
            known[at], found[at] = True, place_six >= 0 and number <= ends_six[place_six]
        return where_known(found, known)[codes]


def _joined(networks: Sequence[Network], version: int) -> tuple[list[int], list[int]]:
    mine: Any = [network for network in networks if network.version == version]
    joined = sorted(collapse_addresses(mine))
    return [int(each.network_address) for each in joined], [int(each.broadcast_address) for each in joined]
