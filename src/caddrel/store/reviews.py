"""Reviews of policies: who has looked at one, as it was then, and when it is to be looked at again."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import func, insert, select

from caddrel.store.book_tables import reviews
from caddrel.store.engine import Database
from caddrel.store.moments import from_stored, to_stored


@dataclass(frozen=True, slots=True)
class Review:
    """One review.

    Attributes
    ----------
    digest
        Of the policy as it was then.
    again
        When it is due again; None where nobody said.
    """

    policy: str
    digest: str
    by: str
    at: datetime
    again: datetime | None
    note: str


class ReviewStore:
    """Adds and reads reviews; none is ever changed."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def add(self, review: Review) -> None:
        """Keep a review."""
        values = {"policy": review.policy, "digest": review.digest, "by": review.by, "note": review.note}
        again = to_stored(review.again) if review.again is not None else None
        with self._database.write() as connection:
            connection.execute(insert(reviews).values(**values, at=to_stored(review.at), again=again))

    def last(self) -> dict[str, Review]:
        """Return the last review of each policy that has one."""
        newest = select(func.max(reviews.c.seq)).group_by(reviews.c.policy)
        with self._database.read() as connection:
            rows = connection.execute(select(reviews).where(reviews.c.seq.in_(newest))).all()
        return {row.policy: _review(row) for row in rows}

    def of(self, policy: str, most: int = 10) -> list[Review]:
        """Return the reviews of a policy, the latest first."""
        wanted = select(reviews).where(reviews.c.policy == policy).order_by(reviews.c.seq.desc()).limit(most)
        with self._database.read() as connection:
            return [_review(row) for row in connection.execute(wanted)]


def _review(row: Any) -> Review:
    again = from_stored(row.again) if row.again is not None else None
    return Review(row.policy, row.digest, row.by, from_stored(row.at), again, row.note)
