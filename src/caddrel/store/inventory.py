"""People, groups, devices, apps and address lists, each kept as the document it was given as."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, and_, func, or_, select, update
from sqlalchemy.dialects.sqlite import insert

from caddrel.store.engine import Database, Kept
from caddrel.store.moments import to_stored
from caddrel.store.tables import counters, inventory

_VERSION = "inventory"


@dataclass(frozen=True, slots=True)
class Stored:
    """One object of the inventory."""

    noun: str
    id: str
    title: str
    document: Mapping[str, Any]


class InventoryStore:
    """Reads and writes inventory objects; a version number tells when anything changed."""

    def __init__(self, database: Database) -> None:
        self._database = database
        # Asked at every decision.
        self._version = Kept(database, self._read_version)

    def version(self) -> int:
        """Return a number that grows with every change."""
        return self._version.get()

    def _read_version(self) -> int:
        with self._database.read() as connection:
            return connection.execute(select(counters.c.value).where(counters.c.name == _VERSION)).scalar() or 0

    def put(self, objects: Iterable[tuple[str, Mapping[str, Any]]], at: datetime) -> tuple[int, int]:
        """Add or replace objects, given as noun and document; return how many were new and how many changed."""
        added = changed = 0
        with self._database.write() as connection:
            version = _next_version(connection)
            for noun, document in objects:
                text = json.dumps(document, ensure_ascii=False, sort_keys=True)
                key = and_(inventory.c.noun == noun, inventory.c.id == document["id"])
                present = connection.execute(select(inventory.c.document).where(key)).scalar()
                if present == text:
                    continue
                added += present is None
                changed += present is not None
                values = {"title": document.get("title") or "", "document": text, "changed_at": to_stored(at)}
                values["version"] = version
                connection.execute(
                    insert(inventory)
                    .values(noun=noun, id=document["id"], **values)
                    .on_conflict_do_update(index_elements=["noun", "id"], set_=values)
                )
        return added, changed

    def merge(self, noun: str, id: str, changed: Mapping[str, Any], at: datetime) -> bool:
        """Change some fields of an object; tell whether it is there."""
        key = and_(inventory.c.noun == noun, inventory.c.id == id)
        with self._database.write() as connection:
            present = connection.execute(select(inventory.c.document).where(key)).scalar()
            if present is None:
                return False
            text = json.dumps({**json.loads(present), **changed}, ensure_ascii=False, sort_keys=True)
            version = _next_version(connection)
            connection.execute(
                update(inventory).where(key).values(document=text, changed_at=to_stored(at), version=version)
            )
        return True

    def get(self, noun: str, id: str) -> Stored | None:
        """Return one object."""
        query = select(inventory).where(inventory.c.noun == noun, inventory.c.id == id)
        with self._database.read() as connection:
            row = connection.execute(query).first()
        return Stored(row.noun, row.id, row.title, json.loads(row.document)) if row else None

    def page(self, noun: str, search: str = "", after: str = "", limit: int = 50) -> tuple[list[Stored], int]:
        """Return objects by id after one, matching a search, and how many match in all."""
        matching = inventory.c.noun == noun
        if search:
            # SQLite's LIKE takes letters of either case by itself; folding both sides as well takes twice the time.
            found = [column.contains(search, autoescape=True) for column in (inventory.c.id, inventory.c.title)]
            matching = and_(matching, or_(*found))
        with self._database.read() as connection:
            total = connection.execute(select(func.count()).select_from(inventory).where(matching)).scalar_one()
            rows = connection.execute(
                select(inventory).where(matching, inventory.c.id > after).order_by(inventory.c.id).limit(limit)
            ).all()
        return [Stored(r.noun, r.id, r.title, json.loads(r.document)) for r in rows], total

    def since(self, version: int) -> tuple[int, dict[str, list[dict[str, Any]]]]:
        """Return the version that there is now, and by noun the documents that have come since an earlier one.

        Parameters
        ----------
        version
            Negative for every document.
        """
        found: dict[str, list[dict[str, Any]]] = {}
        with self._database.read() as connection:
            now = connection.execute(select(counters.c.value).where(counters.c.name == _VERSION)).scalar() or 0
            wanted = select(inventory.c.noun, inventory.c.document).where(inventory.c.version > version)
            for row in connection.execute(wanted):
                found.setdefault(row.noun, []).append(json.loads(row.document))
        return now, found


def _next_version(connection: Connection) -> int:
    """Return the number of the change that is being made."""
    counting = insert(counters).values(name=_VERSION, value=1)
    counted = {"value": counters.c.value + 1}
    connection.execute(counting.on_conflict_do_update(index_elements=["name"], set_=counted))
    return int(connection.execute(select(counters.c.value).where(counters.c.name == _VERSION)).scalar_one())
