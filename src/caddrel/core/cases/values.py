"""Values of a fact, enough of them for every way in which tests can come out together.

Not here: which values the policies tell apart (`space`).
"""

from __future__ import annotations

import ipaddress
from collections.abc import Callable, Iterable, Iterator, Sequence
from datetime import UTC, datetime, timedelta
from itertools import chain, combinations, pairwise
from typing import Any

from caddrel.core.facts.catalogue import FactSpec
from caddrel.core.facts.countries import COUNTRIES
from caddrel.core.facts.types import Address, FactType, Network, Value, Version
from caddrel.core.language.operators import Op
from caddrel.core.rulebook.model import Schedule

# Of texts that may hold several parts, so many are joined in every combination.
MOST_PARTS = 8
OTHER = "something-else"
Said = tuple[Op, Any]


def values_of(spec: FactSpec, asked: Iterable[Said]) -> list[Value]:
    """Return values of a fact: for every way in which the tests can come out together there is one.

    Parameters
    ----------
    asked
        What the fact is compared with, and how.
    """
    operands = list(dict.fromkeys(value for _, value in asked if value is not None))
    match spec.type:
        case FactType.FLAG:
            return [True, False]
        case FactType.WORD | FactType.LEVEL:
            return list(spec.words or COUNTRIES)
        case FactType.NAME:
            return [*operands, _other(operands)]
        case FactType.TEXT:
            return list(_texts(asked))
        case FactType.PATH:
            return list(_paths([str(each) for each in operands]))
        case FactType.VERSION:
            return list(_versions([each for each in operands if isinstance(each, Version)]))
        case FactType.NUMBER:
            whole = spec.name == "network.asn"
            return list(_numbers(operands, whole, 0 if whole else None))
        case FactType.DURATION:
            return list(_numbers(operands, False, 0))
        case FactType.ADDRESS:
            return list(addresses([], [each for each in operands if isinstance(each, Address)]))
        case FactType.MOMENT:
            return list(_moments([each for each in operands if isinstance(each, datetime)]))
        case FactType.NAMES | FactType.METHODS:
            raise AssertionError(f"{spec.name} has values of its own")


def _moments(asked: Sequence[datetime]) -> Iterator[datetime]:
    """Yield moments: each that is asked for, one between any two, one before all and one after."""
    ordered = sorted(set(asked)) or [datetime(2026, 1, 1, tzinfo=UTC)]
    yield ordered[0] - timedelta(seconds=1)
    for one, next_ in pairwise(ordered):
        yield from (one, one + (next_ - one) / 2)
    yield from (ordered[-1], ordered[-1] + timedelta(seconds=1))


def _other(taken: Sequence[Any]) -> str:
    """Return an id that differs from all ids given."""
    name = OTHER
    while name in taken:
        name += "-"
    return name


def _texts(asked: Iterable[Said]) -> Iterator[str]:
    """Yield texts: whole ones, and those put together of every start, some parts and every end."""
    by: dict[Op, list[str]] = {}
    for op, value in asked:
        by.setdefault(op, []).append(str(value))
    whole = dict.fromkeys([*by.get(Op.IS, []), *by.get(Op.ONE_OF, [])])
    yield from whole
    starts, ends = (["", *dict.fromkeys(by.get(op, []))] for op in (Op.STARTS, Op.ENDS))
    parts = list(dict.fromkeys(by.get(Op.CONTAINS, [])))[:MOST_PARTS]
    # What is put between them must add nothing that is asked for.
    joint = next(
        mark
        for mark in ("|", "~", "^", "\u2042", "\u204b")
        if not any(mark in each for each in [*starts, *ends, *parts])
    )
    some = chain.from_iterable(combinations(parts, size) for size in range(len(parts) + 1))
    for held in some:
        for start in starts:
            for end in ends:
                yield joint.join([start, *held, "", end] if start or held else ["", end]) or joint
    # A start and an end, or a start and a part, may also be one and the same text.
    yield from (each for each in [*starts, *ends, *parts] if each)
    for one in starts:
        for other in ends:
            yield from (one + other[i:] for i in range(1, len(other)) if one.endswith(other[:i]))


def _paths(asked: Sequence[str]) -> Iterator[str]:
    yield "/" + OTHER
    for path in asked:
        yield (path if path != "/" else "") + "/" + OTHER
        above = path
        while len(above) > 1:
            yield above
            above = above.rpartition("/")[0]
        yield "/"


def _versions(asked: Sequence[Version]) -> Iterator[Version]:
    longest = max((len(version.key) for version in asked), default=0) + 1

    def version(key: tuple[int, ...]) -> Version:
        return Version(_trimmed(key), ".".join(map(str, key)))

    yield version((0,))
    for each in asked:
        yield each
        # Just above it, and below any other that is above it.
        yield version((*each.key, *(0,) * (longest - len(each.key)), 1))


def _trimmed(key: tuple[int, ...]) -> tuple[int, ...]:
    while key and key[-1] == 0:
        key = key[:-1]
    return key


def _numbers(asked: Sequence[Any], whole: bool, least: float | None) -> Iterator[float | int]:
    ordered = sorted(set(asked))
    if not ordered:
        yield 0
        return
    low, high = ordered[0], ordered[-1]
    if least is None or low > least:
        yield low - 1 if least is None or low >= least + 1 else (low + least) / 2
    yield high + 1
    yield from ordered
    for one, two in pairwise(ordered):
        if not whole:
            yield one + 1 if one + 1 < two else (one + two) / 2
        elif one + 1 < two:
            yield one + 1


def addresses(networks: Iterable[Network], single: Iterable[Address]) -> Iterator[Address]:
    """Yield an address of every part into which networks and single addresses cut all addresses."""
    yield ipaddress.IPv4Address(0)
    yield ipaddress.IPv6Address(0)
    ends: list[Address] = []
    for network in networks:
        yield network.network_address
        ends.append(network.broadcast_address)
    for address in single:
        yield address
        ends.append(address)
    for last in ends:
        if int(last) + 1 < 1 << last.max_prefixlen:
            yield type(last)(int(last) + 1)


# A week with no holiday in it, for who asks nothing but schedules.
_SOME_MONDAY = datetime.fromisoformat("2026-03-02T00:00:00+00:00")
_YEAR = timedelta(days=400)
_DAY, _WEEK = timedelta(days=1), timedelta(days=8)
_FIRST, _LAST = (datetime.fromisoformat(text) for text in ("1970-01-02T00:00:00+00:00", "9990-01-01T00:00:00+00:00"))


def moments(limits: Iterable[datetime], schedules: Sequence[Schedule]) -> Iterator[datetime]:
    """Yield moments: of each stretch between limits, one for every way in which schedules can be open together.

    Which are open together changes with the hours of the week, with the days that have hours of their own, and with how
    far the zones are from one another: so each stretch is looked through for a week of every difference of zones.
    """
    marks = sorted({limit for limit in limits if _FIRST < limit < _LAST})
    second = timedelta(seconds=1)
    for mark in marks:
        yield from (mark, mark + second, mark - second)
    special = sorted({day for schedule in schedules for day in (*schedule.closed, *schedule.open)})
    known = [datetime(day.year, day.month, day.day, tzinfo=schedule.zone) for schedule in schedules for day in special]
    edges = [min([*marks, *known, _SOME_MONDAY]) - _YEAR, *marks, max([*marks, *known, _SOME_MONDAY]) + _YEAR]
    for start, end in pairwise(edges):
        yield start + (end - start) / 2
        if schedules:
            yield from _within(max(start, _FIRST), min(end, _LAST), schedules, known)


def _within(
    start: datetime, end: datetime, schedules: Sequence[Schedule], known: Sequence[datetime]
) -> Iterator[datetime]:
    """Yield the moments of a stretch at which a schedule opens or closes, or a day begins, and those just before."""
    for day in _days(start, end, schedules, known):
        for schedule in schedules:
            midnight = day.astimezone(schedule.zone).replace(hour=0, minute=0, second=0, microsecond=0)
            minutes = {0, *(m for window in schedule.windows(midnight.date()) for m in (window.start, window.end))}
            for minute in minutes:
                for by in (0, -1):
                    at = midnight + timedelta(minutes=minute + by)
                    if start <= at < end:
                        yield at


def _days(
    start: datetime, end: datetime, schedules: Sequence[Schedule], known: Sequence[datetime]
) -> Iterator[datetime]:
    """Yield days of a stretch: a week of every difference of zones, its last, and those around days of their own."""
    seen: set[tuple[timedelta | None, ...]] = set()
    firsts = [max(start, end - _WEEK)]
    day = start
    while day < min(start + _YEAR, end):
        apart = tuple(day.astimezone(schedule.zone).utcoffset() for schedule in schedules)
        if apart not in seen:
            seen.add(apart)
            firsts.append(day)
        day += _DAY
    for first in firsts:
        yield from (first + i * _DAY for i in range(9) if first + i * _DAY < end + _DAY)
    for at in known:
        yield from (at + i * _DAY for i in (-1, 0, 1) if start - _DAY <= at + i * _DAY <= end + _DAY)


def classes(values: Iterable[Any], tests: Sequence[Callable[[Any], Any]]) -> list[tuple[Any, tuple[Any, ...]]]:
    """Return one value for every combination of results that the tests can have, with that combination."""
    found: dict[tuple[Any, ...], Any] = {}
    for value in values:
        found.setdefault(tuple(test(value) for test in tests), value)
    return [(value, way) for way, value in found.items()]
