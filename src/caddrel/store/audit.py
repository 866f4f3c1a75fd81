"""The audit trail: every change and refusal, one after another, each holding the hash of the one before.

Whoever changes the file by hand breaks the chain; `verify` tells where.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Row, insert, or_, select, true

from caddrel.store.engine import Database
from caddrel.store.moments import from_stored, to_stored
from caddrel.store.tables import audit

BEGINNING = "0" * 64
_TEXTS = ("who", "did", "target", "outcome", "note")
_PAGE = 2_000


@dataclass(frozen=True, slots=True)
class AuditEntry:
    """Who did what to what, and how it went: done, or the code of the refusal."""

    seq: int
    at: datetime
    who: str
    did: str
    target: str
    outcome: str
    note: str
    request_id: str
    hash: str


class AuditStore:
    """Adds entries and reads them; there is no way to change one."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def add(
        self, at: datetime, who: str, did: str, target: str, outcome: str, note: str = "", request_id: str = ""
    ) -> AuditEntry:
        """Add an entry."""
        with self._database.write() as connection:
            last = connection.execute(select(audit.c.seq, audit.c.hash).order_by(audit.c.seq.desc()).limit(1)).first()
            row: dict[str, Any] = {
                "seq": last.seq + 1 if last is not None else 1, "at": to_stored(at), "who": who, "did": did,
                "target": target, "outcome": outcome, "note": note, "request_id": request_id,
            }  # fmt: skip
            row["hash"] = _chained(last.hash if last is not None else BEGINNING, row)
            connection.execute(insert(audit).values(row))
        return AuditEntry(**{**row, "at": at})

    def page(self, search: str = "", before: int = 0, limit: int = 50) -> list[AuditEntry]:
        """Return entries, newest first, that have a text anywhere; only those before a number, when one is given."""
        matching = or_(*(audit.c[name].icontains(search, autoescape=True) for name in _TEXTS)) if search else true()
        wanted = select(audit).where(matching)
        if before:
            wanted = wanted.where(audit.c.seq < before)
        with self._database.read() as connection:
            return [_entry(row) for row in connection.execute(wanted.order_by(audit.c.seq.desc()).limit(limit))]

    def verify(self) -> tuple[int, int | None]:
        """Return how many entries there are, and the first that does not follow from the one before; None when all do.

        Taking out the newest entries leaves a chain that is whole: keep the count, or the newest hash, elsewhere.
        """
        previous, count = BEGINNING, 0
        for row in self._rows():
            count += 1
            kept = {name: value for name, value in row._mapping.items() if name != "hash"}  # noqa: SLF001
            if row.seq != count or _chained(previous, kept) != row.hash:
                return count, int(row.seq)
            previous = row.hash
        return count, None

    def _rows(self) -> Iterator[Row[Any]]:
        after = 0
        while True:
            wanted = select(audit).where(audit.c.seq > after).order_by(audit.c.seq).limit(_PAGE)
            with self._database.read() as connection:
                rows = connection.execute(wanted).all()
            yield from rows
            if len(rows) < _PAGE:
                return
            after = rows[-1].seq


def _chained(previous: str, row: dict[str, Any]) -> str:
    text = json.dumps([previous, row], ensure_ascii=False, sort_keys=True)
    return hashlib.sha256(text.encode()).hexdigest()


def _entry(row: Row[Any]) -> AuditEntry:
    return AuditEntry(
        row.seq, from_stored(row.at), row.who, row.did, row.target, row.outcome, row.note, row.request_id, row.hash
    )
