"""What records have in common, kept once: bundles of facts and decisions, each with a number that records name."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from typing import Any, NamedTuple

import msgspec
from sqlalchemy import Connection, Table, delete, select

from caddrel.core.facts.bundles import GROUPS
from caddrel.store.tables import bundles, decisions, signins

MOST_REMEMBERED = 100_000
# The columns of a sign-in's row that name bundles, by kind.
COLUMNS: Mapping[str, str] = {**{group: f"{group}_facts" for group in GROUPS}, "recorded": "recorded"}


# By kind and number.
Documents = dict[tuple[str, int], Any]


class Decided(NamedTuple):
    """A decision as it is kept: the document without its record's reference, and what of it is asked for by itself."""

    outcome: str
    reason: str | None
    certain: bool
    policy: str | None
    rule: str | None
    shadow: str
    document: bytes


class Dictionary:
    """Numbers for documents and documents for numbers; what was used lately is remembered."""

    def __init__(self) -> None:
        self._numbers: dict[str, dict[bytes, int]] = {kind: {} for kind in (*COLUMNS, "decision")}
        self._fresh: list[tuple[str, bytes]] = []
        self._documents: Documents = {}

    def numbering(self, kind: str, connection: Connection) -> Callable[[Any], int]:
        """Return a function that gives the number of a document of one kind, adding it when it is not there yet.

        After the commit `settled` is to be called.
        """
        known = self._numbers[kind]

        def number(content: Any) -> int:
            document = content.document if kind == "decision" else content
            found = known.get(document)
            if found is None:
                found = known[document] = _add(connection, kind, content)
                self._fresh.append((kind, document))
            return found

        return number

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


# Written out, like the log's own inserts: a live decision names several, and each is asked for by itself.
_DECIDED = (*Decided._fields, "digest")
_FIND = {True: "SELECT number FROM decisions WHERE digest = ?", False: "SELECT number FROM bundles WHERE digest = ?"}
_INSERT_BUNDLE = "INSERT INTO bundles (kind, document, digest) VALUES (?, ?, ?)"
_INSERT_DECISION = f"INSERT INTO decisions ({', '.join(_DECIDED)}) VALUES ({', '.join('?' * len(_DECIDED))})"  # noqa: S608


def _add(connection: Connection, kind: str, content: bytes | Decided) -> int:
    decided = isinstance(content, Decided)
    document = content.document if isinstance(content, Decided) else content
    digest = hashlib.blake2b(document, digest_size=16, person=kind.encode()).digest()
    found = connection.exec_driver_sql(_FIND[decided], (digest,)).scalar()
    if found is not None:
        return int(found)
    if isinstance(content, Decided):
        row = (*content[:-1], document.decode(), digest)
        return int(connection.exec_driver_sql(_INSERT_DECISION, row).lastrowid)
    return int(connection.exec_driver_sql(_INSERT_BUNDLE, (kind, document.decode(), digest)).lastrowid)
