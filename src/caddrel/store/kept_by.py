"""Which people and groups a directory keeps, with what it says of them that the inventory has no place for."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from sqlalchemy import delete, func, select

from caddrel.store.book_tables import kept_by
from caddrel.store.engine import Database, driver
from caddrel.store.moments import from_stored, to_stored

# Written out, as they are asked again and again: building a statement takes longer than what it does. Each name has its
# index.
_ONE = "SELECT noun, id, keeper, created, changed, document FROM kept_by WHERE noun = ? AND id = ?"
_NAMED = " UNION ".join(
    f"SELECT id FROM kept_by WHERE noun = ? AND lower(json_extract(document, '$.{key}')) = ?"  # noqa: S608 - our keys
    for key in ("userName", "externalId", "displayName")
)
_COLUMNS = (
    kept_by.c.noun, kept_by.c.id, kept_by.c.keeper, kept_by.c.created, kept_by.c.changed, kept_by.c.document
)  # fmt: skip
_PUTTING = (
    "INSERT INTO kept_by (noun, id, keeper, created, changed, document) VALUES (?, ?, ?, ?, ?, ?)"
    " ON CONFLICT (noun, id) DO UPDATE SET"
    " keeper = excluded.keeper, changed = excluded.changed, document = excluded.document"
)


@dataclass(frozen=True, slots=True)
class KeptBy:
    """Who keeps an object.

    Attributes
    ----------
    keeper
        The name of the directory's token.
    document
        What the directory says of it, as it says it.
    """

    noun: str
    id: str
    keeper: str
    created: datetime
    changed: datetime
    document: Mapping[str, Any] = field(default_factory=dict)


class KeptByStore:
    """Keeps who keeps what."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def get(self, noun: str, id: str) -> KeptBy | None:
        """Return who keeps an object, None where nobody does; as this thread has written it, where it is writing."""
        row = self._database.own(_ONE, (noun, id))
        return _kept(*row) if row is not None else None

    def all(self, noun: str) -> dict[str, KeptBy]:
        """Return all of a noun that are kept, by id."""
        with self._database.read() as connection:
            rows = connection.execute(select(*_COLUMNS).where(kept_by.c.noun == noun)).all()
        return {row.id: _kept(*row) for row in rows}

    def named(self, noun: str, text: str) -> list[str]:
        """Return the ids of those that a directory calls so, by their name or its own id; the case of ASCII aside."""
        with self._database.read() as connection:
            return [str(id) for (id,) in driver(connection).execute(_NAMED, (noun, text.lower()) * 3)]

    def keepers(self, noun: str) -> dict[str, str]:
        """Return who keeps each of a noun that is kept, by id."""
        with self._database.read() as connection:
            rows = connection.execute(select(kept_by.c.id, kept_by.c.keeper).where(kept_by.c.noun == noun)).all()
        return {row.id: row.keeper for row in rows}

    def counts(self) -> dict[str, tuple[int, datetime]]:
        """Return how many objects each directory keeps, and when one was changed last."""
        wanted = select(kept_by.c.keeper, func.count(), func.max(kept_by.c.changed)).group_by(kept_by.c.keeper)
        with self._database.read() as connection:
            return {row[0]: (row[1], from_stored(row[2])) for row in connection.execute(wanted)}

    def put(self, kept: KeptBy) -> None:
        """Keep who keeps an object, and what they say of it."""
        row = kept.noun, kept.id, kept.keeper, to_stored(kept.created), to_stored(kept.changed)
        with self._database.write() as connection:
            driver(connection).execute(_PUTTING, (*row, json.dumps(dict(kept.document))))

    def remove(self, noun: str, id: str) -> None:
        """Have nobody keep an object any more."""
        with self._database.write() as connection:
            connection.execute(delete(kept_by).where(kept_by.c.noun == noun, kept_by.c.id == id))


def _kept(noun: str, id: str, keeper: str, created: int, changed: int, document: str) -> KeptBy:
    return KeptBy(noun, id, keeper, from_stored(created), from_stored(changed), json.loads(document))
