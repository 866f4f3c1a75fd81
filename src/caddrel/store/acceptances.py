"""Acceptances of notices: who accepted which version of what, when, and where they were asked."""

from __future__ import annotations

import json
import threading
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import ColumnElement, and_, func, select, true
from sqlalchemy.dialects.sqlite import insert

from caddrel.store.book_tables import acceptances
from caddrel.store.engine import Database, Kept
from caddrel.store.moments import from_stored, to_stored

_MOST_HELD = 100_000
_PAGE = 1_000


@dataclass(frozen=True, slots=True)
class Acceptance:
    """A person accepted a version of a notice, at a door, on the way into a sign-in; `seq` counts them from 1."""

    person: str
    notice: str
    version: int
    accepted: datetime
    door: str
    signin: str
    seq: int = 0


# Asked at the first decision on each person.
_OF = (
    "SELECT json_group_object(notice, version) FROM "
    "(SELECT notice, max(version) AS version FROM acceptances WHERE person = ? GROUP BY notice)"
)


class AcceptanceStore:
    """Keeps acceptances, each once; none is ever changed."""

    def __init__(self, database: Database) -> None:
        self._database = database
        self._last = Kept(database, self._read_last)
        # What people have accepted is asked at every decision.
        self._held: tuple[int, dict[str, Mapping[str, int]]] = (-1, {})
        self._lock = threading.Lock()

    def _read_last(self) -> int:
        found = self._database.one("SELECT max(seq) FROM acceptances", ())
        return int(found[0] or 0) if found is not None else 0

    def add(self, acceptance: Acceptance) -> bool:
        """Keep an acceptance; tell whether it is the first of this version by this person."""
        row = {
            "person": acceptance.person, "notice": acceptance.notice, "version": acceptance.version,
            "accepted": to_stored(acceptance.accepted), "door": acceptance.door, "signin": acceptance.signin,
        }  # fmt: skip
        with self._database.write() as connection:
            kept = connection.execute(insert(acceptances).values(row).on_conflict_do_nothing())
            return bool(kept.rowcount)

    def of(self, person: str) -> Mapping[str, int]:
        """Return the newest version of each notice that a person has accepted, by notice."""
        last = self._last.get()
        with self._lock:
            if self._held[0] != last or len(self._held[1]) > _MOST_HELD:
                self._held = (last, {})
            held = self._held[1]
        found = held.get(person)
        if found is None:
            row = self._database.one(_OF, (person,))
            found = held[person] = json.loads(row[0]) if row is not None else {}
        return found

    def page(self, person: str = "", notice: str = "", after: int = 0, limit: int = 50) -> tuple[list[Acceptance], int]:
        """Return acceptances in the order they came, after one, and how many there are in all."""
        matching = _matching(person, notice)
        wanted = select(acceptances).where(matching, acceptances.c.seq > after).order_by(acceptances.c.seq).limit(limit)
        with self._database.read() as connection:
            total = connection.execute(select(func.count()).select_from(acceptances).where(matching)).scalar_one()
            found = [
                Acceptance(
                    row.person, row.notice, row.version, from_stored(row.accepted), row.door, row.signin, row.seq
                )
                for row in connection.execute(wanted)
            ]
        return found, total

    def every(self, person: str = "", notice: str = "") -> Iterator[Acceptance]:
        """Yield all of them in the order they came."""
        after = 0
        while True:
            found, _ = self.page(person, notice, after, _PAGE)
            yield from found
            if len(found) < _PAGE:
                return
            after = found[-1].seq


def _matching(person: str, notice: str) -> ColumnElement[bool]:
    found: ColumnElement[bool] = true()
    if person:
        found = and_(found, acceptances.c.person == person)
    if notice:
        found = and_(found, acceptances.c.notice == notice)
    return found
