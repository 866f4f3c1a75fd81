"""Whether schedules are open, at many moments at once.

Local time is told by the hour and the day: that asks a zone a few times for each hour, and not for each minute.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime, timedelta

import numpy as np
from numpy.typing import NDArray

from caddrel.core.columnar.batch import Batch, Flags, different_of, moment_of, ticks
from caddrel.core.columnar.levels import Levels, where_known
from caddrel.core.rulebook.model import Schedule

Ticks = NDArray[np.int64]
_MINUTE, _OF_HOUR, _OF_DAY = 60_000_000, 60, 24 * 60
_HOUR = _OF_HOUR * _MINUTE
# Before this, the offsets of zones from UTC had seconds. Since then they are whole minutes, and no zone has changed
# twice within a day: an hour that has the same offset at both of its ends has it throughout.
_FROM = ticks(datetime.fromisoformat("1980-01-01T00:00:00+00:00"))
# After this, local moments may be beyond the calendar.
_UNTIL = ticks(datetime.fromisoformat("9999-12-30T00:00:00+00:00"))
_EPOCH_DAY = date(1970, 1, 1).toordinal()


def open_at(schedule: Schedule, batch: Batch) -> Levels:
    """Return whether a schedule is open at the moment of each attempt."""
    moments = batch.moments
    usual = (moments >= _FROM) & (moments < _UNTIL)
    # Since then local time changes by whole minutes, of which there are fewer than attempts.
    minutes, places = different_of((moments if usual.all() else np.where(usual, moments, _FROM)) // _MINUTE)
    hours, of_hour = different_of(minutes // _OF_HOUR)
    first, last = _offsets(schedule, hours * _HOUR), _offsets(schedule, (hours + 1) * _HOUR - _MINUTE)
    local = minutes + first[of_hour]
    apart = (first != last)[of_hour]
    days, of_day = different_of(np.where(apart, 0, local // _OF_DAY))
    tables = np.stack([_minutes_open(schedule, date.fromordinal(_EPOCH_DAY + int(day))) for day in days] or [_NEVER])
    found = tables[of_day, local % _OF_DAY].take(places)
    one_by_one = ~usual | apart.take(places)
    if one_by_one.any():
        found[one_by_one] = _one_by_one(schedule, moments[one_by_one])
    return where_known(found, batch.timed)


def _offsets(schedule: Schedule, moments: Ticks) -> Ticks:
    """Return the minutes by which local time is ahead of UTC."""
    return np.array([_ahead(schedule, moment_of(tick)) for tick in moments], np.int64)


def _ahead(schedule: Schedule, moment: datetime) -> int:
    ahead = moment.astimezone(schedule.zone).utcoffset()
    assert ahead is not None
    assert not ahead % timedelta(minutes=1), "whole minutes, from 1980 on"
    return ahead // timedelta(minutes=1)


_NEVER: Flags = np.zeros(_OF_DAY, np.bool_)


def _minutes_open(schedule: Schedule, day: date) -> Flags:
    """Return for each minute of a local day whether a schedule is open then; windows may reach over midnight."""
    found = _NEVER.copy()
    for window in schedule.windows(day):
        found[window.start : None if window.overnight else window.end] = True
    for window in schedule.windows(day - timedelta(days=1)):
        if window.overnight:
            found[: window.end] = True
    return found


def _one_by_one(schedule: Schedule, moments: Ticks) -> Sequence[bool]:
    different, codes = np.unique(moments, return_inverse=True)
    found = [schedule.is_open(moment_of(tick).astimezone(schedule.zone)) for tick in different]
    return np.array(found, np.bool_)[codes]  # type: ignore[return-value]
