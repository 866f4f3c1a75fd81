"""The seal of the sign-in log: each record has one of its own, and their sum is kept with how often it was changed.

A record that is changed, taken out or added without the key is found; so is a log that was put back to an earlier
state, by the number of changes that is kept elsewhere.
Not here: the audit trail, whose entries are sealed one after another (`audit`).
"""

from __future__ import annotations

import hashlib
import hmac
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Connection, select, update

from caddrel.store.engine import Database
from caddrel.store.tables import COLUMNS_SEALED, bundles, decisions, log_seal, records, signins

LENGTH = 16
_MODULUS = 1 << 8 * LENGTH
_PAGE = 2_000


@dataclass(frozen=True, slots=True)
class LogVerdict:
    """Whether the log is as it was written: how many records have seals, how many are older, what is wrong."""

    sealed: int
    older: int
    wrong: str


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
        row = connection.execute(select(log_seal)).one()
        more, less = list(added), [seal for seal in gone if seal is not None]
        total = (int.from_bytes(row.total) + sum(map(int.from_bytes, more)) - sum(map(int.from_bytes, less))) % _MODULUS
        changes, count = row.changes + 1, row.sealed + len(more) - len(less)
        values = {"changes": changes, "sealed": count, "total": total.to_bytes(LENGTH)}
        connection.execute(update(log_seal).values(**values, seal=self._head(changes, count, values["total"])))

    def head(self, database: Database) -> tuple[int, str]:
        """Return how often the log was changed, and the seal of what it is now."""
        with database.read() as connection:
            row = connection.execute(select(log_seal)).one()
        return row.changes, row.seal

    def begin(self, database: Database) -> None:
        """Begin with an empty sum, where nothing was sealed yet."""
        with database.write() as connection:
            if connection.execute(select(log_seal)).first() is None:
                total = bytes(LENGTH)
                values = {"changes": 0, "sealed": 0, "total": total, "seal": self._head(0, 0, total)}
                connection.execute(log_seal.insert().values(values))

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
                return LogVerdict(0, 0, "the sum of the seals was changed")
            if head.changes < least:
                return LogVerdict(head.sealed, 0, f"it was put back: it had been changed {least} times")
            for kind, number in self._wrong_documents(connection):
                return LogVerdict(head.sealed, 0, f"{kind} {number} was changed")
            count = older = total = 0
            for row in self._records(connection):
                if row.mac is None:
                    older += 1
                    continue
                mine = [[row[3 + place]] for place in range(len(COLUMNS_SEALED))]
                if self.of_records([row.id], [row.own], mine)[0] != row.mac:
                    return LogVerdict(head.sealed, older, f"record {row.id} was changed")
                count += 1
                total = (total + int.from_bytes(row.mac)) % _MODULUS
        if count != head.sealed or total.to_bytes(LENGTH) != head.total:
            return LogVerdict(count, older, f"{head.sealed} records were sealed, and {count} are there")
        return LogVerdict(count, older, "")

    def _wrong_documents(self, connection: Connection) -> Iterator[tuple[str, int]]:
        for table, kind in ((bundles, bundles.c.kind), (decisions, None)):
            wanted = select(table.c.number, table.c.document, table.c.mac, *([kind] if kind is not None else []))
            for row in connection.execute(wanted.where(table.c.mac.is_not(None))).yield_per(_PAGE):
                named = row.kind if kind is not None else "decision"
                if self.of_document(named, row.document.encode()) != row.mac:
                    yield named, row.number

    def _records(self, connection: Connection) -> Iterator[Any]:
        columns = [signins.c[name] for name in COLUMNS_SEALED]
        wanted = select(records.c.id, records.c.own, records.c.mac, *columns).join(
            signins, (signins.c.at == records.c.at) & (signins.c.seq == records.c.seq)
        )
        yield from connection.execute(wanted).yield_per(_PAGE)
