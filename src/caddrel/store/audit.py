"""The audit trail: every change and refusal, one after another, each sealed with a key and the seal of the one before.

Whoever changes the file without the key breaks the chain; `verify` tells where. What is cut off at the end leaves a
chain that is whole: that is found by the seal of a later entry, kept elsewhere.
"""

from __future__ import annotations

import hashlib
import hmac
import json
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Row, or_, select, true, update

from caddrel.store.book_tables import audit
from caddrel.store.engine import Database, driver
from caddrel.store.moments import from_stored, to_stored

BEGINNING = "0" * 64
_TEXTS = ("who", "did", "target", "outcome", "note")
_PAGE = 2_000
# Written out: building a statement takes longer than what it does.
_LAST = "SELECT seq, hash FROM audit ORDER BY seq DESC LIMIT 1"
_ADDING = (
    "INSERT INTO audit (seq, at, who, did, target, outcome, note, request_id, address, hash)"
    " VALUES (:seq, :at, :who, :did, :target, :outcome, :note, :request_id, :address, :hash)"
)


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
    address: str = ""


class AuditStore:
    """Adds entries and reads them; there is no way to change one.

    Parameters
    ----------
    key
        What entries are sealed with.
    """

    def __init__(self, database: Database, key: bytes) -> None:
        self._database = database
        self._key = key

    def seal_again(self) -> None:
        """Seal every entry anew, with a key that was made just now: those of an earlier release have hashes alone."""
        with self._database.write() as connection:
            connection.exec_driver_sql("DROP TRIGGER audit_no_update")
            previous = BEGINNING
            for row in connection.execute(select(audit).order_by(audit.c.seq)).all():
                previous = self._sealed(previous, _kept(row))
                connection.execute(update(audit).where(audit.c.seq == row.seq).values(hash=previous))
            connection.exec_driver_sql(
                "CREATE TRIGGER audit_no_update BEFORE UPDATE ON audit "
                "BEGIN SELECT RAISE(ABORT, 'the audit trail is only added to'); END"
            )

    def settle(self) -> None:
        """Work as `Database.settle` does."""
        self._database.settle()

    def head(self) -> tuple[int, str]:
        """Return number and seal of the newest entry; 0 before the first."""
        with self._database.read() as connection:
            last = connection.execute(select(audit.c.seq, audit.c.hash).order_by(audit.c.seq.desc()).limit(1)).first()
        return (last.seq, last.hash) if last is not None else (0, BEGINNING)

    def _sealed(self, previous: str, row: Mapping[str, Any]) -> str:
        text = json.dumps([previous, dict(row)], ensure_ascii=False, sort_keys=True)
        return hmac.new(self._key, text.encode(), hashlib.sha256).hexdigest()

    def add(
        self, at: datetime, who: str, did: str, target: str, outcome: str, note: str = "", request_id: str = "",
        address: str = "",
    ) -> AuditEntry:  # fmt: skip
        """Add an entry; `address` is where the request came from."""
        with self._database.write() as connection:
            last = driver(connection).execute(_LAST).fetchone()
            seq, seal = last if last is not None else (0, BEGINNING)
            row: dict[str, Any] = {
                "seq": seq + 1, "at": to_stored(at), "who": who, "did": did,
                "target": target, "outcome": outcome, "note": note, "request_id": request_id,
                "address": address,
            }  # fmt: skip
            row["hash"] = self._sealed(seal, row)
            driver(connection).execute(_ADDING, row)
        return AuditEntry(**{**row, "at": at})

    def page(self, search: str = "", before: int = 0, limit: int = 50) -> list[AuditEntry]:
        """Return entries, newest first, that have a text anywhere; only those before a number, when one is given."""
        matching = or_(*(audit.c[name].icontains(search, autoescape=True) for name in _TEXTS)) if search else true()
        wanted = select(audit).where(matching)
        if before:
            wanted = wanted.where(audit.c.seq < before)
        with self._database.read() as connection:
            return [_entry(row) for row in connection.execute(wanted.order_by(audit.c.seq.desc()).limit(limit))]

    def done(self, since: datetime, until: datetime, targets: Sequence[str], most: int = 20) -> list[AuditEntry]:
        """Return what was done between two moments to anything under some paths, newest first; not what was refused."""
        under = or_(*(audit.c.target.startswith(target, autoescape=True) for target in targets))
        mine = audit.c.at.between(to_stored(since), to_stored(until)), audit.c.outcome == "done", under
        wanted = select(audit).where(*mine).order_by(audit.c.seq.desc()).limit(most)
        with self._database.read() as connection:
            return [_entry(row) for row in connection.execute(wanted)]

    def verify(self, expect: Iterable[tuple[int, str]] = ()) -> tuple[int, int | None, str]:
        """Return how many entries there are, the first that is not as it was written, and how; None when all are.

        Parameters
        ----------
        expect
            Numbers and seals of entries that were there, kept elsewhere: so that what was cut off is found.
        """
        wanted = {seq: seal for seq, seal in expect if seq}
        previous, count = BEGINNING, 0
        for row in self._rows():
            count += 1
            if row.seq != count or self._sealed(previous, _kept(row)) != row.hash:
                return count, count, "does not follow from the one before"
            if wanted.pop(count, row.hash) != row.hash:
                return count, count, "has another seal than the one that was kept"
            previous = row.hash
        if wanted:
            return count, count + 1, f"is missing: entry {max(wanted)} was there"
        return count, None, ""

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


def _kept(row: Row[Any]) -> dict[str, Any]:
    return {name: value for name, value in row._mapping.items() if name != "hash"}  # noqa: SLF001


def _entry(row: Row[Any]) -> AuditEntry:
    return AuditEntry(
        row.seq,
        from_stored(row.at),
        row.who,
        row.did,
        row.target,
        row.outcome,
        row.note,
        row.request_id,
        row.hash,
        row.address,
    )
