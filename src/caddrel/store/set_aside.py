"""What was set aside on the watch page: what it was then, why, and by whom."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import delete, select
from sqlalchemy.dialects.sqlite import insert

from caddrel.store.book_tables import set_aside
from caddrel.store.engine import Database
from caddrel.store.moments import to_stored


class SetAsideStore:
    """Reads and writes what is set aside, by key."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def put(self, key: str, mark: str, why: str, by: str, at: datetime) -> None:
        """Set a thing aside as it is now; without a reason it is taken up again."""
        with self._database.write() as connection:
            if not why:
                connection.execute(delete(set_aside).where(set_aside.c.key == key))
                return
            values = {"mark": mark, "why": why, "by": by, "at": to_stored(at)}
            adding = insert(set_aside).values(key=key, **values)
            connection.execute(adding.on_conflict_do_update(index_elements=["key"], set_=values))

    def all(self) -> dict[str, tuple[str, str, str]]:
        """Return by key what it was, why, and by whom."""
        with self._database.read() as connection:
            return {row.key: (row.mark, row.why, row.by) for row in connection.execute(select(set_aside))}
