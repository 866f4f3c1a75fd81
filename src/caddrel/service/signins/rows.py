"""A record as a row of the list."""

from __future__ import annotations

from caddrel.store.signins import SigninRecord
from caddrel.wire.signins import SigninSummary


def summary(record: SigninRecord) -> SigninSummary:
    """Return a row of the log as it travels."""
    at = record.at.isoformat().replace("+00:00", "Z")
    return SigninSummary(id=record.id, reference=record.reference, at=at, **record.columns)
