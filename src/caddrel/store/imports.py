"""Imports of the log: what each brought, so that it can be taken back.

Not here: the records themselves (`signins`).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, and_, func, select, update
from sqlalchemy.dialects.sqlite import insert

from caddrel.store.engine import Database
from caddrel.store.log_tables import import_ranges, imports, records
from caddrel.store.moments import from_stored, to_stored


@dataclass(frozen=True, slots=True)
class LogImport:
    """One import.

    Attributes
    ----------
    ended
        None while it goes on, and when it was cut short.
    first, last
        The moments of its earliest and its latest record; None while there are none.
    """

    number: int
    name: str
    format: str
    mapping: str
    by: str
    began: datetime
    ended: datetime | None
    added: int
    already_there: int
    conflicting: int
    broken: int
    first: datetime | None
    last: datetime | None
    taken_back: datetime | None
    taken_back_by: str | None


class ImportStore:
    """Reads and writes imports; which records came with one is written where they are stored (`came_with`)."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def begin(self, name: str, format: str, mapping: str, by: str, at: datetime) -> int:
        """Return the number of a new import."""
        values = {"name": name, "format": format, "mapping": mapping, "by": by, "began": to_stored(at)}
        with self._database.write() as connection:
            made = connection.execute(imports.insert().values(values).returning(imports.c.number))
            return int(made.scalar_one())

    def end(self, number: int, at: datetime, already_there: int, conflicting: int, broken: int) -> None:
        """Note what else an import came to, beside what was stored; one that is gone on with adds to it."""
        table = imports.c
        values = {
            "ended": to_stored(at),
            "already_there": table.already_there + already_there,
            "conflicting": table.conflicting + conflicting,
            "broken": table.broken + broken,
        }
        with self._database.write() as connection:
            connection.execute(update(imports).where(table.number == number).values(values))

    def taken_back(self, number: int, at: datetime, by: str) -> None:
        """Note that an import was taken back."""
        values = {"taken_back": to_stored(at), "taken_back_by": by}
        with self._database.write() as connection:
            connection.execute(update(imports).where(imports.c.number == number).values(values))

    def get(self, number: int) -> LogImport | None:
        """Return an import, None when there is none of that number."""
        with self._database.read() as connection:
            row = connection.execute(select(imports).where(imports.c.number == number)).first()
        return None if row is None else _read(row)

    def newest(self, limit: int, before: int | None = None) -> list[LogImport]:
        """Return the newest imports, those with a smaller number than `before`."""
        wanted = select(imports).order_by(imports.c.number.desc()).limit(limit)
        if before is not None:
            wanted = wanted.where(imports.c.number < before)
        with self._database.read() as connection:
            return [_read(row) for row in connection.execute(wanted)]

    def there(self, number: int) -> int:
        """Return how many records of an import are in the log still."""
        with self._database.read() as connection:
            return int(connection.execute(select(func.count()).select_from(_of(number))).scalar_one())


def came_with(connection: Connection, number: int, seqs: range, moments: Sequence[int]) -> None:
    """Note in the commit that stores records which import they came with.

    Parameters
    ----------
    seqs
        Their numbers, one after another.
    moments
        As they are stored.
    """
    if not seqs:
        return
    # A range that goes on where the last one ended makes that one longer: a quiet log's import is one range.
    longer = update(import_ranges).where(import_ranges.c["import"] == number, import_ranges.c.last == seqs[0] - 1)
    if not connection.execute(longer.values(last=seqs[-1])).rowcount:
        connection.execute(insert(import_ranges).values({"import": number, "first": seqs[0], "last": seqs[-1]}))
    first, last = min(moments), max(moments)
    table = imports.c
    values = {
        "added": table.added + len(seqs),
        "first": func.min(func.coalesce(table.first, first), first),
        "last": func.max(func.coalesce(table.last, last), last),
    }
    connection.execute(update(imports).where(table.number == number).values(values))


def some_of(connection: Connection, number: int, limit: int) -> list[tuple[int, int]]:
    """Return moment and number of some records of an import that are there still."""
    wanted = select(records.c.at, records.c.seq).select_from(_of(number)).order_by(records.c.seq).limit(limit)
    return [(row[0], row[1]) for row in connection.execute(wanted)]


def _of(number: int) -> Any:
    """Return the records of an import, joined from its ranges."""
    within = records.c.seq.between(import_ranges.c.first, import_ranges.c.last)
    return import_ranges.join(records, and_(import_ranges.c["import"] == number, within))


def _read(row: Any) -> LogImport:
    moments = {name: from_stored(value) for name in _MOMENTS if (value := getattr(row, name)) is not None}
    return LogImport(**{**row._asdict(), **moments})


_MOMENTS = ("began", "ended", "first", "last", "taken_back")
