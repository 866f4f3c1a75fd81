"""Tests of one fact, asked of the entries of its group: a truth for each entry.

A reading of the operators of its own, so that it can be held against the others.
Not here: facts of an attempt's own, and methods (`columnar.conditions`).
"""

from __future__ import annotations

import operator
from bisect import bisect_right
from collections.abc import Callable, Sequence
from ipaddress import collapse_addresses
from typing import Any, assert_never

import numpy as np

from caddrel.core.columnar.levels import FALSE, TRUE, UNKNOWN, Levels
from caddrel.core.facts.catalogue import Catalogue
from caddrel.core.facts.facts import Facts
from caddrel.core.facts.types import LEVELS, FactType, Network, PartlyKnown, Signals, fold
from caddrel.core.language.nodes import FactTest
from caddrel.core.language.operators import Op

Holds = Callable[[Any], bool]


def test_levels(test: FactTest, entries: Sequence[Facts], catalogue: Catalogue) -> Levels:
    """Return the truth of a test for each entry of the fact's group."""
    kind = catalogue[test.fact].type
    level = _of_set(test) if kind is FactType.NAMES else _of_value(test, kind)
    known: dict[Any, int] = {}
    found = np.empty(len(entries), np.uint8)
    for place, entry in enumerate(entries):
        value = entry.values.get(test.fact)
        # Flags and numbers are alike for Python, and so are their places here: each fact has one type.
        key = (value, getattr(value, "open", None))
        answer = known.get(key)
        if answer is None:
            answer = known[key] = level(value)
        found[place] = answer
    return found


def _of_value(test: FactTest, kind: FactType) -> Callable[[Any], int]:
    if test.op is Op.KNOWN:
        return lambda value: FALSE if value is None else TRUE
    if test.op is Op.UNKNOWN:
        return lambda value: TRUE if value is None else FALSE
    holds = _meaning(test, kind)
    return lambda value: UNKNOWN if value is None else TRUE if holds(value) else FALSE


_COMPARED = {Op.AT_LEAST: operator.ge, Op.AT_MOST: operator.le, Op.ABOVE: operator.gt, Op.BELOW: operator.lt}


def _meaning(test: FactTest, kind: FactType) -> Holds:
    """Return what a test means for a known value that is no set."""
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


def _of_set(test: FactTest) -> Callable[[Any], int]:
    """Return what a test of a set means, of which some ids may be unknown: each has a truth of its own."""
    names = [operand.text for operand in test.operands]

    def of(value: Any) -> int:
        open_ = value.open if isinstance(value, PartlyKnown) else frozenset()
        if test.op in {Op.KNOWN, Op.UNKNOWN}:
            # Signals are known when all of them are; groups are, since something is known of them.
            known = value is not None and not (open_ and isinstance(value, Signals))
            return TRUE if known is (test.op is Op.KNOWN) else FALSE
        if value is None:
            return UNKNOWN
        each = [TRUE if name in value else UNKNOWN if name in open_ else FALSE for name in names]
        match test.op:
            case Op.HAS | Op.HAS_ANY:
                return max(each, default=FALSE)
            case Op.HAS_ALL:
                return min(each, default=TRUE)
            case Op.HAS_NONE:
                return TRUE - max(each, default=FALSE)
            case _:
                raise AssertionError(f"{test.op} is no test of a set")

    return of


class Spans:
    """Networks as spans of numbers that neither overlap nor touch, asked with many addresses."""

    def __init__(self, networks: Sequence[Network]) -> None:
        self._by_version: dict[int, tuple[list[int], list[int]]] = {}
        for version in (4, 6):
            mine: Any = [network for network in networks if network.version == version]
            joined = sorted(collapse_addresses(mine))
            starts = [int(network.network_address) for network in joined]
            self._by_version[version] = starts, [int(network.broadcast_address) for network in joined]

    def __contains__(self, address: Any) -> bool:
        starts, ends = self._by_version[address.version]
        place = bisect_right(starts, int(address)) - 1
        return place >= 0 and int(address) <= ends[place]
