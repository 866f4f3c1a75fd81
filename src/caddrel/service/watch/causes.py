"""Causes of blocks that are new or grow: a week against the same hours of each of four weeks before."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta

from caddrel.service.state.data_folder import DataFolder
from caddrel.store.causes import CauseCount
from caddrel.store.queries import Query

WEEK = timedelta(days=7)
EARLIER = 4
# Fewer are no news; and so many times the most of any week before are.
LEAST, TIMES = 5, 2


@dataclass(frozen=True, slots=True)
class Growth:
    """A cause that is new this week, or grows.

    Attributes
    ----------
    before
        How often it was there in each of the weeks before, the latest first.
    """

    cause: CauseCount
    new: bool
    before: tuple[int, ...]


def grows(count: int, before: tuple[int, ...]) -> bool:
    """Tell whether a count is news beside those of the weeks before."""
    return count >= LEAST and count > TIMES * max(before, default=0)


def growing(data: DataFolder, now: datetime) -> Iterator[Growth]:
    """Yield the causes of blocks of the last week that are new, or more than twice what any week before had."""
    earlier = [_week(now - WEEK * back) for back in range(1, EARLIER + 1)]
    weeks = [{cause.key: cause.count for cause in data.causes.counts(week)} for week in earlier]
    for cause in data.causes.counts(_week(now)):
        before = tuple(week.get(cause.key, 0) for week in weeks)
        new = cause.first_ever >= now - WEEK
        if grows(cause.count, before):
            yield Growth(cause, new, before)


def _week(end: datetime) -> Query:
    return Query({"outcome": "blocked"}, since=end - WEEK, until=end)
