"""Moments as they are stored: whole microseconds since 1970 in UTC."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
_MICROSECOND = timedelta(microseconds=1)


def to_stored(moment: datetime) -> int:
    """Return a moment as stored."""
    return (moment - _EPOCH) // _MICROSECOND


def from_stored(stored: int) -> datetime:
    """Return a stored moment, in UTC."""
    return _EPOCH + timedelta(microseconds=stored)
