"""Lock-outs that an administrator has lifted: wrong passwords up to then do not count any more."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import select
from sqlalchemy.dialects.sqlite import insert

from caddrel.store.book_tables import unlocks
from caddrel.store.engine import Database, Kept
from caddrel.store.moments import from_stored, to_stored


class UnlockStore:
    """Reads and writes the moments from which wrong passwords of people count."""

    def __init__(self, database: Database) -> None:
        self._database = database
        # Asked at every decision.
        self._since = Kept(database, self._read, "unlocks")

    def lift(self, person: str, at: datetime, by: str) -> None:
        """Let a person's wrong passwords up to a moment count no more."""
        values = {"at": to_stored(at), "by": by}
        with self._database.write() as connection:
            adding = insert(unlocks).values(person=person, **values)
            connection.execute(adding.on_conflict_do_update(index_elements=["person"], set_=values))

    def since(self, person: str) -> datetime | None:
        """Return the moment after which a person's wrong passwords count, None when all do."""
        return self._since.get().get(person)

    def _read(self) -> dict[str, datetime]:
        with self._database.read() as connection:
            return {row.person: from_stored(row.at) for row in connection.execute(select(unlocks))}
