"""What drafts in shadow would have made of live decisions."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime
from typing import NamedTuple

from sqlalchemy import func, select

from caddrel.store.bulk_insert import insert_many
from caddrel.store.engine import Database
from caddrel.store.log_tables import draft_outcomes, records, signins
from caddrel.store.moments import to_stored


class DraftOutcome(NamedTuple):
    """What a draft makes of one sign-in, by the sign-in's moment and id."""

    draft: str
    at: datetime
    signin: str
    outcome: str


class DraftOutcomeStore:
    """Adds and counts outcomes of drafts."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def add(self, outcomes: Iterable[DraftOutcome]) -> None:
        """Add outcomes; one that is there already stays."""
        rows = [(each.draft, to_stored(each.at), each.signin, each.outcome) for each in outcomes]
        if rows:
            columns = list(zip(*rows, strict=True))
            with self._database.write() as connection:
                insert_many(connection, "draft_outcomes", DraftOutcome._fields, columns, "ON CONFLICT DO NOTHING")

    def of(self, signin: str) -> dict[str, str]:
        """Return what drafts made of a sign-in, by name."""
        wanted = select(draft_outcomes).where(draft_outcomes.c.signin == signin)
        with self._database.read() as connection:
            return {row.draft: row.outcome for row in connection.execute(wanted)}

    def flows(self, draft: str, since: datetime) -> list[tuple[str, str, int, str]]:
        """Return how many live decisions came out how, and would have under a draft, each with the newest one's id."""
        found = (
            select(
                signins.c.outcome, draft_outcomes.c.outcome.label("would"), func.count().label("times"),
                func.max(signins.c.seq).label("seq"),
            )
            .join(records, records.c.id == draft_outcomes.c.signin)
            .join(signins, (signins.c.at == records.c.at) & (signins.c.seq == records.c.seq))
            .where(draft_outcomes.c.draft == draft, draft_outcomes.c.at >= to_stored(since))
            .group_by(signins.c.outcome, draft_outcomes.c.outcome)
            .order_by(func.count().desc())
        ).subquery()  # fmt: skip
        with self._database.read() as connection:
            rows = select(found, records.c.id).join(records, records.c.seq == found.c.seq)
            return [(row.outcome, row.would, row.times, row.id) for row in connection.execute(rows)]

    def forget(self, before: datetime) -> None:
        """Take out what belongs to sign-ins older than a moment."""
        with self._database.write() as connection:
            connection.execute(draft_outcomes.delete().where(draft_outcomes.c.at < to_stored(before)))
