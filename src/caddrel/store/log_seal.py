"""The seal of the sign-in log: each record has one of its own, and their sum is kept with how often it was changed.

A record that is changed, taken out or added without the key is found; so is a log that was put back to an earlier
state, by the number of changes that is kept elsewhere.
Not here: the audit trail, whose entries are sealed one after another (`audit`).
"""

from __future__ import annotations

import contextlib
import hashlib
import hmac
import sqlite3
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from sqlalchemy import Connection, Table, bindparam, literal, select, update

from caddrel.store.engine import Database, driver
from caddrel.store.log_tables import COLUMNS_SEALED, bundles, decisions, log_seal, records, signins

LENGTH = 16
_MODULUS = 1 << 8 * LENGTH
_PAGE = 2_000
_NUMBERS = {"state_age", "listed_for", "auth_age", "let_in"}


@dataclass(frozen=True, slots=True)
class LogVerdict:
    """Whether the log is as it was written: how many records have seals, and what is wrong."""

    sealed: int
    wrong: str


def is_sealed(path: Path) -> bool:
    """Tell whether a database of the log, which nobody need have opened, was sealed with some key."""
    if not path.is_file():
        return False
    try:
        with contextlib.closing(sqlite3.connect(f"{path.resolve().as_uri()}?mode=ro", uri=True)) as connection:
            return connection.execute("SELECT 1 FROM log_seal").fetchone() is not None
    except sqlite3.Error:
        # Of an earlier release, or no database at all: whoever opens it says so.
        return False


# Written out: it is part of every commit of live decisions.
_SUM = "SELECT changes, sealed, total, seal FROM log_seal"
_SUM_IS = "UPDATE log_seal SET changes = ?, sealed = ?, total = ?, seal = ?"


class LogSeal:
    """Seals records, and keeps their sum.

    Parameters
    ----------
    key
        What they are sealed with.
    """

    def __init__(self, key: bytes) -> None:
        self._key = key

    def of_records(self, ids: Sequence[str], own: Sequence[str], rows: Sequence[Sequence[Any]]) -> list[bytes]:
        """Return the seals of records.

        Parameters
        ----------
        rows
            The columns of their rows, in the order of `COLUMNS_SEALED`.
        """
        key = self._key
        # What is written as 5 or True may be read as 5.0 or 1: a seal is over numbers and not over their spelling.
        rows = [
            [None if value is None else float(value) for value in column] if name in _NUMBERS else column
            for name, column in zip(COLUMNS_SEALED, rows, strict=True)
        ]
        return [
            hashlib.blake2b(f"{id}\0{mine}\0{row}".encode(), key=key, digest_size=LENGTH).digest()
            for id, mine, row in zip(ids, own, zip(*rows, strict=True), strict=True)
        ]

    def of_document(self, kind: str, document: bytes) -> bytes:
        """Return the seal of a bundle or decision that records name by number."""
        made = hashlib.blake2b(kind.encode() + b"\0" + document, key=self._key, digest_size=LENGTH)
        return made.digest()

    def change(self, connection: Connection, added: Iterable[bytes], gone: Iterable[bytes | None] = ()) -> None:
        """Take records into the sum, and out of it, in the transaction that stores them."""
        run = driver(connection).execute
        ((changes, count, total, seal),) = run(_SUM)
        # Once wrong, it stays so: writing on must not make a sum right that somebody changed.
        right = seal == self._head(changes, count, total)
        more, less = list(added), [seal for seal in gone if seal is not None]
        added_up = int.from_bytes(total) + sum(map(int.from_bytes, more)) - sum(map(int.from_bytes, less))
        total = (added_up % _MODULUS).to_bytes(LENGTH)
        changes, count = changes + 1, count + len(more) - len(less)
        run(_SUM_IS, (changes, count, total, self._head(changes, count, total) if right else ""))

    def head(self, database: Database) -> tuple[int, str]:
        """Return how often the log was changed, and the seal of what it is now."""
        with database.read() as connection:
            row = connection.execute(select(log_seal)).one()
        return row.changes, row.seal

    def begin(self, database: Database) -> int | None:
        """Begin the sum; what an earlier release wrote is sealed as it is found.

        Returns
        -------
        How many records were found, None when there was a sum already.
        """
        with database.write() as connection:
            if connection.execute(select(log_seal)).first() is not None:
                return None
            for table, kind in ((bundles, bundles.c.kind), (decisions, literal("decision"))):
                found = connection.execute(select(table.c.number, kind.label("kind"), table.c.document)).all()
                macs = [{"of": row.number, "is": self.of_document(row.kind, row.document.encode())} for row in found]
                _put_macs(connection, table, table.c.number, macs)
            total = count = 0
            for rows in self._records(connection).partitions(_PAGE):
                macs = [{"of": row.seq, "is": self._of_row(row)} for row in rows]
                _put_macs(connection, records, records.c.seq, macs)
                total = (total + sum(int.from_bytes(each["is"]) for each in macs)) % _MODULUS
                count += len(macs)
            whole = total.to_bytes(LENGTH)
            values = {"changes": 0, "sealed": count, "total": whole, "seal": self._head(0, count, whole)}
            connection.execute(log_seal.insert().values(values))
            return count

    def _of_row(self, row: Any) -> bytes:
        return self.of_records([row.id], [row.own], [[getattr(row, name)] for name in COLUMNS_SEALED])[0]

    def _head(self, changes: int, count: int, total: Any) -> str:
        return hmac.new(self._key, f"{changes} {count} {total.hex()}".encode(), hashlib.sha256).hexdigest()

    def verify(self, database: Database, least: int = 0) -> LogVerdict:
        """Return whether the log is as it was written.

        Parameters
        ----------
        least
            How often it had been changed by a moment before, as that was kept elsewhere.
        """
        with database.read() as connection:
            head = connection.execute(select(log_seal)).first()
            if head is None or head.seal != self._head(head.changes, head.sealed, head.total):
                return LogVerdict(0, "the sum of the seals was changed")
            if head.changes < least:
                return LogVerdict(head.sealed, f"it was put back: it had been changed {least} times")
            for kind, number in self._wrong_documents(connection):
                return LogVerdict(head.sealed, f"{kind} {number} was changed")
            count = total = 0
            for row in self._records(connection):
                if self._of_row(row) != row.mac:
                    return LogVerdict(head.sealed, f"record {row.id} was changed")
                count += 1
                total = (total + int.from_bytes(row.mac)) % _MODULUS
        if count != head.sealed or total.to_bytes(LENGTH) != head.total:
            return LogVerdict(count, f"{head.sealed} records were sealed, and {count} are there")
        return LogVerdict(count, "")

    def _wrong_documents(self, connection: Connection) -> Iterator[tuple[str, int]]:
        for table, kind in ((bundles, bundles.c.kind), (decisions, None)):
            wanted = select(table.c.number, table.c.document, table.c.mac, *([kind] if kind is not None else []))
            for row in connection.execute(wanted).yield_per(_PAGE):
                named = row.kind if kind is not None else "decision"
                if self.of_document(named, row.document.encode()) != row.mac:
                    yield named, row.number

    def _records(self, connection: Connection) -> Any:
        columns = [signins.c[name] for name in COLUMNS_SEALED]
        wanted = select(records.c.seq, records.c.id, records.c.own, records.c.mac, *columns).join(
            signins, (signins.c.at == records.c.at) & (signins.c.seq == records.c.seq)
        )
        return connection.execute(wanted).yield_per(_PAGE)


def _put_macs(connection: Connection, table: Table, key: Any, macs: Sequence[dict[str, Any]]) -> None:
    if macs:
        connection.execute(update(table).where(key == bindparam("of")).values(mac=bindparam("is")), macs)
