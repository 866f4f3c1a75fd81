"""Mappings of CSV columns to facts, by name."""

from __future__ import annotations

import json
from collections.abc import Mapping

from sqlalchemy import select
from sqlalchemy.dialects.sqlite import insert

from caddrel.store.engine import Database
from caddrel.store.tables import mappings


class MappingStore:
    """Keeps mappings."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def all(self) -> dict[str, dict[str, str]]:
        """Return every mapping by name."""
        with self._database.read() as connection:
            rows = connection.execute(select(mappings).order_by(mappings.c.name))
            return {row.name: json.loads(row.columns) for row in rows}

    def put(self, name: str, columns: Mapping[str, str]) -> None:
        """Add a mapping, or replace the one of that name."""
        adding = insert(mappings).values(name=name, columns=json.dumps(dict(columns), ensure_ascii=False))
        with self._database.write() as connection:
            connection.execute(
                adding.on_conflict_do_update(index_elements=["name"], set_={"columns": adding.excluded.columns})
            )
