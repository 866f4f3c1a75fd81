"""People, groups, devices, apps and address lists, each kept as the document it was given as."""

from __future__ import annotations

import json
from collections.abc import Collection, Iterable, Mapping, Sequence
from contextlib import AbstractContextManager
from dataclasses import dataclass
from datetime import datetime
from typing import Any, NamedTuple

from sqlalchemy import ColumnElement, Connection, and_, func, literal, or_, select, tuple_, update

from caddrel.store.book_tables import inventory
from caddrel.store.engine import Database, Kept, driver
from caddrel.store.moments import to_stored

_ASKED_AT_ONCE = 500
# Written out, for many rows at once, and as they are asked again and again: building a statement takes longer than what
# it does.
_PUTTING = (
    "INSERT INTO inventory (noun, id, title, document, changed_at, version, removed_at) VALUES (?, ?, ?, ?, ?, ?, NULL)"
    " ON CONFLICT (noun, id) DO UPDATE SET title = excluded.title, document = excluded.document,"
    " changed_at = excluded.changed_at, version = excluded.version, removed_at = NULL"
)
_COUNTING = (
    "INSERT INTO counters (name, value) VALUES ('inventory', 1)"
    " ON CONFLICT (name) DO UPDATE SET value = value + 1 RETURNING value"
)
_READ_VERSION = "SELECT value FROM counters WHERE name = 'inventory'"
_SINCE = (
    "SELECT noun, id, title, document, version, removed_at FROM inventory WHERE version > ?"
    # The order counts: of several devices with one serial number the one that changed last is meant.
    " ORDER BY version, rowid"
)
_ONE = "SELECT noun, id, title, document, version, removed_at FROM inventory WHERE noun = ? AND id = ?"
# Each of the two has its index.
_NAMED = " UNION ".join(
    f"SELECT id FROM inventory WHERE noun = ? AND lower({column}) = ? AND removed_at IS NULL"  # noqa: S608 - our columns
    for column in ("id", "title")
)


@dataclass(frozen=True, slots=True)
class Stored:
    """One object of the inventory, or what is left of one that was taken out.

    Attributes
    ----------
    version
        The number of the change of the inventory that it came with as it is.
    """

    noun: str
    id: str
    title: str
    document: Mapping[str, Any]
    version: int
    removed: bool = False


@dataclass(frozen=True, slots=True)
class Changes:
    """What has changed up to a version: by noun the documents that came or changed, and the ids of what went."""

    version: int
    came: Mapping[str, list[dict[str, Any]]]
    went: Mapping[str, list[str]]


class Moved(Exception):
    """An object is not as it was seen; `there` is what it is now, None when it is not there."""

    def __init__(self, there: Stored | None) -> None:
        super().__init__("the object has changed")
        self.there = there


class InventoryStore:
    """Reads and writes inventory objects; a version number tells when anything changed."""

    def __init__(self, database: Database) -> None:
        self._database = database
        # Asked at every decision.
        self._version = Kept(database, self._read_version)

    def together(self) -> AbstractContextManager[object]:
        """Commit what this thread writes meanwhile at once, of all that is kept in the same file, or nothing of it."""
        return self._database.write()

    def part(self) -> AbstractContextManager[object]:
        """Have what this thread writes meanwhile, together with more, be undone when it fails; the rest stays."""
        return self._database.part()

    def version(self) -> int:
        """Return a number that grows with every change."""
        return self._version.get()

    def last_version(self) -> int:
        """Return that number as it is at this very moment, with what this thread is writing: `version` may lag."""
        found = self._database.own(_READ_VERSION, ())
        return found[0] if found is not None else 0

    def _read_version(self) -> int:
        found = self._database.one(_READ_VERSION, ())
        return found[0] if found is not None else 0

    def put(self, objects: Iterable[tuple[str, Mapping[str, Any]]], at: datetime) -> tuple[int, int]:
        """Add or replace objects, given as noun and document; return how many were new and how many changed."""
        added = changed = 0
        with self._database.write() as connection:
            version = _next_version(connection)
            for noun, document in objects:
                present = _row(connection, noun, document["id"])
                there = present is not None and present.removed_at is None
                if present is not None and there and present.document == _text(document):
                    continue
                added += not there
                changed += there
                _write(connection, noun, document, at, version)
        return added, changed

    def documents(self, noun: str, ids: Collection[str] | None = None) -> tuple[dict[str, dict[str, Any]], int]:
        """Return the documents of a noun by id, all of them or some, and the version that they were read at."""
        wanted = select(inventory.c.id, inventory.c.document).where(
            inventory.c.noun == noun, inventory.c.removed_at.is_(None)
        )
        few = ids is not None and len(ids) <= _ASKED_AT_ONCE
        if few:
            wanted = wanted.where(inventory.c.id.in_(list(ids or ())))
        with self._database.read() as connection:
            version = _version_of(connection)
            rows = connection.execute(wanted).all()
        kept = rows if few or ids is None else [row for row in rows if row.id in ids]
        return {row.id: json.loads(row.document) for row in kept}, version

    def apply(
        self,
        puts: Mapping[str, Sequence[Mapping[str, Any]]],
        gone: Mapping[str, Collection[str]],
        at: datetime,
        seen: int,
    ) -> None:
        """Add or replace objects and take others out, all at once, as whoever does it has seen the inventory.

        Parameters
        ----------
        puts, gone
            By noun the documents, and the ids of what goes; of each noun no id in both.
        seen
            The version of the inventory that the change was made for.

        Raises
        ------
        Moved
            When one of them was changed after that.
        """
        with self._database.write() as connection:
            touched = {noun: {d["id"] for d in documents} | set(gone.get(noun, ())) for noun, documents in puts.items()}
            touched |= {noun: set(ids) for noun, ids in gone.items() if noun not in puts}
            for row in connection.execute(select(inventory).where(inventory.c.version > seen)):
                if row.id in touched.get(row.noun, ()):
                    raise Moved(_stored(row) if row.removed_at is None else None)
            version, moment = _next_version(connection), to_stored(at)
            for noun, documents in puts.items():
                rows = [(noun, d["id"], d.get("title") or "", _text(d), moment, version) for d in documents]
                if rows:
                    connection.exec_driver_sql(_PUTTING, rows)
            for noun, ids in gone.items():
                values = {"title": "", "document": "{}", "changed_at": moment, "removed_at": moment, "version": version}
                for id in ids:
                    connection.execute(update(inventory).where(_key(noun, id)).values(**values))

    def put_one(self, noun: str, document: Mapping[str, Any], at: datetime, seen: int | None) -> Stored:
        """Add or replace one object, as whoever does it has seen it; return it as it is then.

        Parameters
        ----------
        seen
            The version that was seen; 0 when there was none, None for whatever is there.

        Raises
        ------
        Moved
            When it has another version by now, or is there where none was seen.
        """
        with self._database.write() as connection:
            there = _seen(_row(connection, noun, document["id"]), seen)
            if there is not None and there.document == _text(document):
                return _stored(there)
            return _write(connection, noun, document, at, _next_version(connection))

    def remove(self, noun: str, id: str, at: datetime, seen: int | None) -> int | None:
        """Take out an object; return the number of the change, None where it was not there. Its id alone is kept.

        Parameters
        ----------
        seen
            The version that was seen; None for whatever is there.

        Raises
        ------
        Moved
            When it has another version by now.
        """
        with self._database.write() as connection:
            there = _row(connection, noun, id)
            if there is None or there.removed_at is not None:
                return None
            _seen(there, seen)
            moment, version = to_stored(at), _next_version(connection)
            emptied = {"title": "", "document": "{}", "changed_at": moment, "removed_at": moment, "version": version}
            connection.execute(update(inventory).where(_key(noun, id)).values(**emptied))
        return version

    def merge(self, noun: str, id: str, changed: Mapping[str, Any], at: datetime) -> Stored | None:
        """Change some fields of an object and return it as it is then; None when it is not there."""
        with self._database.write() as connection:
            there = _row(connection, noun, id)
            if there is None or there.removed_at is not None:
                return None
            merged = {**json.loads(there.document), **changed}
            return _write(connection, noun, merged, at, _next_version(connection))

    def get(self, noun: str, id: str) -> Stored | None:
        """Return one object; as this thread has written it, where it is writing just now."""
        found = self._database.own(_ONE, (noun, id))
        row = _Row(*found) if found is not None else None
        return _stored(row) if row is not None and row.removed_at is None else None

    def named(self, noun: str, text: str) -> list[str]:
        """Return the ids of those with such an id or title; the case of ASCII aside."""
        with self._database.read() as connection:
            return [str(id) for (id,) in driver(connection).execute(_NAMED, (noun, text.lower()) * 2)]

    def page(self, noun: str, search: str = "", after: str = "", limit: int = 50) -> tuple[list[Stored], int]:
        """Return objects by id after one, matching a search, and how many match in all."""
        matching = and_(inventory.c.noun == noun, inventory.c.removed_at.is_(None))
        if search:
            # SQLite's LIKE takes letters of either case by itself; folding both sides as well takes twice the time.
            found = [column.contains(search, autoescape=True) for column in (inventory.c.id, inventory.c.title)]
            matching = and_(matching, or_(*found))
        with self._database.read() as connection:
            total = connection.execute(select(func.count()).select_from(inventory).where(matching)).scalar_one()
            rows = connection.execute(
                select(inventory).where(matching, inventory.c.id > after).order_by(inventory.c.id).limit(limit)
            ).all()
        return [_stored(row) for row in rows], total

    def since(self, version: int) -> Changes:
        """Return everything that has come, changed or gone since a version.

        Parameters
        ----------
        version
            Negative for every document.
        """
        came: dict[str, list[dict[str, Any]]] = {}
        went: dict[str, list[str]] = {}
        with self._database.read() as connection:
            now = _version_of(connection)
            for row in map(_Row._make, driver(connection).execute(_SINCE, (version,))):
                if row.removed_at is None:
                    came.setdefault(row.noun, []).append(json.loads(row.document))
                else:
                    went.setdefault(row.noun, []).append(row.id)
        return Changes(now, came, went)

    def changes(self, after: tuple[int, str, str], limit: int) -> tuple[list[Stored], int]:
        """Return what has come, changed or gone after a place, in order of version, noun and id, and the version now.

        Parameters
        ----------
        after
            Version, noun and id of the last change that is known; noun and id are empty for a version as a whole.
        """
        order = (inventory.c.version, inventory.c.noun, inventory.c.id)
        # Of a version that is known as a whole nothing is told again.
        known = after if after[1] else (after[0], "\U0010ffff", "")
        wanted = select(inventory).where(tuple_(*order) > tuple_(*map(literal, known))).order_by(*order).limit(limit)
        with self._database.read() as connection:
            now = _version_of(connection)
            return [_stored(row) for row in connection.execute(wanted)], now


def _key(noun: str, id: str) -> ColumnElement[bool]:
    return and_(inventory.c.noun == noun, inventory.c.id == id)


def _version_of(connection: Connection) -> int:
    found = driver(connection).execute(_READ_VERSION).fetchone()
    return int(found[0]) if found is not None else 0


class _Row(NamedTuple):
    noun: str
    id: str
    title: str
    document: str
    version: int
    removed_at: int | None


def _row(connection: Connection, noun: str, id: str) -> _Row | None:
    found = driver(connection).execute(_ONE, (noun, id)).fetchone()
    return _Row(*found) if found is not None else None


def _stored(row: Any) -> Stored:
    document = json.loads(row.document)
    return Stored(row.noun, row.id, row.title, document, row.version, row.removed_at is not None)


def _seen(row: Any, seen: int | None) -> Any:
    """Return a row that is there, when it is as it was seen."""
    there = row if row is not None and row.removed_at is None else None
    if seen is not None and seen != (there.version if there is not None else 0):
        raise Moved(_stored(there) if there is not None else None)
    return there


def _text(document: Mapping[str, Any]) -> str:
    return json.dumps(document, ensure_ascii=False, sort_keys=True)


def _write(connection: Connection, noun: str, document: Mapping[str, Any], at: datetime, version: int) -> Stored:
    title, text = document.get("title") or "", _text(document)
    driver(connection).execute(_PUTTING, (noun, document["id"], title, text, to_stored(at), version))
    return Stored(noun, document["id"], title, json.loads(text), version)


def _next_version(connection: Connection) -> int:
    """Return the number of the change that is being made."""
    # All rows are fetched: a statement that is not at its end stands in the way of the commit.
    [(version,)] = driver(connection).execute(_COUNTING).fetchall()
    return int(version)
