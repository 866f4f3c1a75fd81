"""Which people and groups a directory keeps, with what it says of them that the inventory has no place for."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from sqlalchemy import Row, delete, func, or_, select
from sqlalchemy.dialects.sqlite import insert

from caddrel.store.book_tables import kept_by
from caddrel.store.engine import Database, Kept
from caddrel.store.moments import from_stored, to_stored

# What a filter finds an object by mostly.
_NAMES = ("userName", "externalId", "displayName")


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
        # Asked at every change of the inventory.
        self._any = Kept(database, self._read_any)

    def _read_any(self) -> bool:
        with self._database.read() as connection:
            return connection.execute(select(kept_by.c.id).limit(1)).first() is not None

    def get(self, noun: str, id: str) -> KeptBy | None:
        """Return who keeps an object, None where nobody does."""
        if not self._any.get():
            return None
        wanted = select(kept_by).where(kept_by.c.noun == noun, kept_by.c.id == id)
        with self._database.read() as connection:
            row = connection.execute(wanted).first()
        return _kept(row) if row is not None else None

    def all(self, noun: str) -> dict[str, KeptBy]:
        """Return all of a noun that are kept, by id."""
        with self._database.read() as connection:
            rows = connection.execute(select(kept_by).where(kept_by.c.noun == noun)).all()
        return {row.id: _kept(row) for row in rows}

    def named(self, noun: str, text: str) -> list[str]:
        """Return the ids of those that a directory calls so, by their name or its own id; the case of ASCII aside."""
        wanted = select(kept_by.c.id).where(
            kept_by.c.noun == noun,
            or_(*(func.json_extract(kept_by.c.document, f"$.{key}").ilike(text, escape="\\") for key in _NAMES)),
        )
        with self._database.read() as connection:
            return list(connection.execute(wanted).scalars())

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
        said = {"document": json.dumps(dict(kept.document)), "changed": to_stored(kept.changed), "keeper": kept.keeper}
        add = insert(kept_by).values(noun=kept.noun, id=kept.id, created=to_stored(kept.created), **said)
        with self._database.write() as connection:
            connection.execute(add.on_conflict_do_update(index_elements=[kept_by.c.noun, kept_by.c.id], set_=said))

    def remove(self, noun: str, id: str) -> None:
        """Have nobody keep an object any more."""
        with self._database.write() as connection:
            connection.execute(delete(kept_by).where(kept_by.c.noun == noun, kept_by.c.id == id))


def _kept(row: Row[Any]) -> KeptBy:
    return KeptBy(
        row.noun, row.id, row.keeper, from_stored(row.created), from_stored(row.changed), json.loads(row.document)
    )
