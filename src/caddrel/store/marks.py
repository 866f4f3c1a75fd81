"""How far something has gone that goes on after a restart: numbers by name, in the log's file."""

from __future__ import annotations

from collections.abc import Mapping

from sqlalchemy import Connection, select
from sqlalchemy.dialects.sqlite import insert

from caddrel.store.engine import Database
from caddrel.store.log_tables import marks


class MarkStore:
    """Reads marks; they are put with what they are about."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def get(self, name: str) -> int | None:
        """Return a mark, None where there is none yet."""
        with self._database.read() as connection:
            return connection.execute(select(marks.c.value).where(marks.c.name == name)).scalar()


def put_marks(connection: Connection, found: Mapping[str, int]) -> None:
    """Put marks in the commit of what they are about."""
    for name, value in found.items():
        put = insert(marks).values(name=name, value=value)
        connection.execute(put.on_conflict_do_update(index_elements=[marks.c.name], set_={"value": value}))
