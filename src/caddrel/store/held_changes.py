"""Changes that would end more sessions than may end unasked: held back until somebody has looked at who they are."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Row, insert, select, update

from caddrel.store.engine import Database
from caddrel.store.log_tables import held_changes
from caddrel.store.moments import from_stored, to_stored


@dataclass(frozen=True, slots=True)
class HeldChange:
    """One change that is held, or was.

    Attributes
    ----------
    because
        What changed, and who changed it.
    why
        Why it is held.
    verdict
        ``carried out``, ``spared`` or ``over`` where nothing was left to end; empty while nobody has decided.
    """

    number: int
    at: datetime
    because: str
    why: str
    decided: datetime | None = None
    decided_by: str = ""
    verdict: str = ""


class HeldChangeStore:
    """Keeps held changes; which sessions they are about stands with those."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def add(self, at: datetime, because: str, why: str) -> int:
        """Add a held change and return its number."""
        values = {"at": to_stored(at), "because": because, "why": why}
        with self._database.write() as connection:
            return int(connection.execute(insert(held_changes).values(**values)).lastrowid)

    def get(self, number: int) -> HeldChange | None:
        """Return a held change."""
        with self._database.read() as connection:
            row = connection.execute(select(held_changes).where(held_changes.c.number == number)).first()
        return _held(row) if row is not None else None

    def open(self) -> list[HeldChange]:
        """Return those about which nobody has decided, the latest first."""
        wanted = select(held_changes).where(held_changes.c.verdict == "").order_by(held_changes.c.number.desc())
        with self._database.read() as connection:
            return [_held(row) for row in connection.execute(wanted)]

    def decide(self, number: int, verdict: str, by: str, at: datetime) -> bool:
        """Decide about one; tell whether nobody had."""
        mine = (held_changes.c.number == number) & (held_changes.c.verdict == "")
        values = {"verdict": verdict, "decided_by": by, "decided": to_stored(at)}
        with self._database.write() as connection:
            return bool(connection.execute(update(held_changes).where(mine).values(**values)).rowcount)


def _held(row: Row[Any]) -> HeldChange:
    decided = None if row.decided is None else from_stored(row.decided)
    return HeldChange(row.number, from_stored(row.at), row.because, row.why, decided, row.decided_by, row.verdict)
