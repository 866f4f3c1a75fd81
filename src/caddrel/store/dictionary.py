"""What records have in common, kept once: bundles of facts and decisions, each with a number that records name."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from typing import Any, NamedTuple

import msgspec
from sqlalchemy import Connection, Table, delete, select

from caddrel.core.columnar.fact_groups import GROUPS
from caddrel.store.engine import driver
from caddrel.store.log_tables import bundles, decisions, signins

MOST_REMEMBERED = 100_000
# The columns of a sign-in's row that name bundles, by kind.
COLUMNS: Mapping[str, str] = {**{group: f"{group}_facts" for group in GROUPS}, "recorded": "recorded"}

KINDS = (*COLUMNS, "decision")

# By kind and number.
Documents = dict[tuple[str, int], Any]


class Decided(NamedTuple):
    """A decision as it is stored: its document without the reference, and the values that have columns."""

    outcome: str
    reason: str | None
    certain: bool
    policy: str | None
    rule: str | None
    shadow: str
    document: bytes


class Dictionary:
    """Numbers for documents and documents for numbers; what was used lately is remembered.

    Parameters
    ----------
    seal
        Gives the seal of a document, by its kind.
    """

    def __init__(self, seal: Callable[[str, bytes], bytes]) -> None:
        self._seal = seal
        self._numbers: dict[str, dict[bytes, int]] = {kind: {} for kind in KINDS}
        self._fresh: list[tuple[str, bytes]] = []
        self._documents: Documents = {}

    def numbered(
        self, connection: Connection, documents: Sequence[Iterable[bytes]], decided: Iterable[Decided]
    ) -> Sequence[Mapping[bytes, int]]:
        """Return the numbers of documents by kind, in the order of `KINDS`; what is not there yet is added.

        After the commit `settled` is to be called.

        Parameters
        ----------
        documents
            The bundles of each kind, in the order of `COLUMNS`.
        """
        known = [self._numbers[kind] for kind in KINDS]
        fresh = {kind: set(some).difference(self._numbers[kind]) for kind, some in zip(COLUMNS, documents, strict=True)}
        bundled = {_digest(kind, key): (kind, key) for kind, keys in fresh.items() for key in sorted(keys)}
        self._add(connection, bundled, bundles, lambda digest, name: (name[0], name[1].decode(), digest))
        numbers = self._numbers["decision"]
        made = {decision.document: decision for decision in decided if decision.document not in numbers}
        self._add(
            connection, {_digest("decision", key): ("decision", key) for key in made}, decisions,
            lambda digest, name: (*made[name[1]][:-1], name[1].decode(), digest),
        )  # fmt: skip
        return known

    def _add(self, connection: Connection, wanted: Mapping[bytes, _Name], table: Table, row: _MakeRow) -> None:
        """Find the numbers of documents by their digests, and store those that are not there."""
        if not wanted:
            return
        digests = list(wanted)
        for start in range(0, len(digests), _AT_ONCE):
            some = tuple(digests[start : start + _AT_ONCE])
            asked = f"SELECT digest, number FROM {table.name} WHERE digest IN ({', '.join('?' * len(some))})"  # noqa: S608
            for digest, number in driver(connection).execute(asked, some):
                kind, key = wanted[digest]
                self._learn(kind, key, number)
        missing = [(digest, name) for digest, name in wanted.items() if name[1] not in self._numbers[name[0]]]
        if not missing:
            return
        # The number last used, also by what was taken out since.
        found = driver(connection).execute("SELECT seq FROM sqlite_sequence WHERE name = ?", (table.name,)).fetchone()
        last = found[0] if found is not None else 0
        rows = [
            (number, *row(digest, name), self._seal(*name)) for number, (digest, name) in enumerate(missing, last + 1)
        ]
        driver(connection).executemany(_INSERT[table.name], rows)
        for values, (_, (kind, key)) in zip(rows, missing, strict=True):
            self._learn(kind, key, values[0])

    def _learn(self, kind: str, key: bytes, number: int) -> None:
        self._numbers[kind][key] = number
        self._fresh.append((kind, key))

    def settled(self, committed: bool) -> None:
        """Keep in mind what was added, or forget it when it was not committed."""
        if not committed:
            for kind, document in self._fresh:
                self._numbers[kind].pop(document, None)
        self._fresh = []
        for known in self._numbers.values():
            if len(known) > MOST_REMEMBERED:
                known.clear()

    def forget(self, connection: Connection) -> None:
        """Take out what no record names any more."""
        for kind, column in COLUMNS.items():
            used = select(signins.c[column]).distinct()
            connection.execute(delete(bundles).where(bundles.c.kind == kind, bundles.c.number.not_in(used)))
        used = select(signins.c.decision).distinct()
        connection.execute(delete(decisions).where(decisions.c.number.not_in(used)))
        for known in self._numbers.values():
            known.clear()
        self._documents.clear()

    def load(self, connection: Connection, rows: Sequence[Any]) -> Documents:
        """Return what rows of the log name: bundles, and of decisions their rows too."""
        named = ((kind, getattr(row, name)) for row in rows for kind, name in COLUMNS.items())
        found = self.load_bundles(connection, named)
        missing = self._known({("decision", row.decision) for row in rows}, found)
        for row in _by_number(connection, decisions, missing):
            found["decision", row.number] = self._documents["decision", row.number] = (
                row, msgspec.json.decode(row.document)
            )  # fmt: skip
        return found

    def load_decisions(self, connection: Connection, numbers: Iterable[int]) -> Documents:
        """Return the documents of decisions by kind and number."""
        found: Documents = {}
        missing = self._known({("decision", number) for number in numbers}, found)
        for row in _by_number(connection, decisions, missing):
            made = self._documents["decision", row.number] = row, msgspec.json.decode(row.document)
            found["decision", row.number] = made
        return {key: made[1] for key, made in found.items()}

    def load_bundles(self, connection: Connection, wanted: Iterable[tuple[str, int]]) -> Documents:
        """Return bundles by kind and number."""
        found: Documents = {}
        missing = self._known(set(wanted), found)
        for row in _by_number(connection, bundles, missing):
            found[row.kind, row.number] = self._documents[row.kind, row.number] = msgspec.json.decode(row.document)
        return found

    def _known(self, wanted: set[tuple[str, int]], found: Documents) -> list[int]:
        """Add what is remembered, and return the numbers of what is not.

        Callers get what they asked for by itself: other threads may let go of what is remembered at any moment.
        """
        if len(self._documents) > MOST_REMEMBERED // 10:
            self._documents.clear()
        missing = []
        for key in wanted:
            document = self._documents.get(key)
            if document is None:
                missing.append(key[1])
            else:
                found[key] = document
        return missing


def _by_number(connection: Connection, table: Table, numbers: Iterable[int]) -> Iterator[Any]:
    wanted = sorted(numbers)
    for start in range(0, len(wanted), 500):
        yield from connection.execute(select(table).where(table.c.number.in_(wanted[start : start + 500])))


# Written out, like the log's own inserts.
_DECIDED = ("number", *Decided._fields, "digest", "mac")
_INSERT = {
    "bundles": "INSERT INTO bundles (number, kind, document, digest, mac) VALUES (?, ?, ?, ?, ?)",
    "decisions": f"INSERT INTO decisions ({', '.join(_DECIDED)}) VALUES ({', '.join('?' * len(_DECIDED))})",  # noqa: S608
}
_AT_ONCE = 500
_Name = tuple[str, bytes]
_MakeRow = Callable[[bytes, _Name], tuple[Any, ...]]


def _digest(kind: str, document: bytes) -> bytes:
    return hashlib.blake2b(document, digest_size=16, person=kind.encode()).digest()
