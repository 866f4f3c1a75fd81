"""How logs of other systems are read, by name; as JSON documents, whatever they hold."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

from sqlalchemy import delete, select
from sqlalchemy.dialects.sqlite import insert

from caddrel.store.book_tables import mappings
from caddrel.store.engine import Database


class MappingStore:
    """Keeps mappings."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def all(self) -> dict[str, dict[str, Any]]:
        """Return every mapping by name."""
        with self._database.read() as connection:
            rows = connection.execute(select(mappings).order_by(mappings.c.name))
            return {row.name: _document(json.loads(row.columns)) for row in rows}

    def put(self, name: str, document: Mapping[str, Any]) -> None:
        """Add a mapping, or replace the one of that name."""
        adding = insert(mappings).values(name=name, columns=json.dumps(dict(document), ensure_ascii=False))
        with self._database.write() as connection:
            connection.execute(
                adding.on_conflict_do_update(index_elements=["name"], set_={"columns": adding.excluded.columns})
            )

    def remove(self, name: str) -> bool:
        """Take a mapping out; tell whether there was one."""
        with self._database.write() as connection:
            return connection.execute(delete(mappings).where(mappings.c.name == name)).rowcount > 0


def _document(kept: dict[str, Any]) -> dict[str, Any]:
    """Return a document; what an earlier release kept is columns with what each is, and nothing else."""
    if all(isinstance(target, str) for target in kept.values()):
        return {"columns": {column: {"to": target} for column, target in kept.items()}}
    return kept
