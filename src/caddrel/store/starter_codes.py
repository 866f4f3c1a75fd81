"""Starter codes: what lets a person enrol who has nothing to prove themselves with; one use, known by a hash only."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import ColumnElement, and_, select, update
from sqlalchemy.dialects.sqlite import insert

from caddrel.store.book_tables import starter_codes
from caddrel.store.engine import Database
from caddrel.store.moments import from_stored, to_stored


@dataclass(frozen=True, slots=True)
class StarterCode:
    """A code without its text; `used_for` is the sign-in that used it."""

    id: str
    person: str
    starts: datetime
    ends: datetime
    issued: datetime
    issued_by: str
    used: datetime | None = None
    used_for: str | None = None
    revoked: datetime | None = None


class StarterCodeStore:
    """Keeps codes, and uses each once."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def add(self, code: StarterCode, digest: str) -> None:
        """Keep a code by the hash of its text."""
        row = {
            "id": code.id, "digest": digest, "person": code.person, "starts": to_stored(code.starts),
            "ends": to_stored(code.ends), "issued": to_stored(code.issued), "issued_by": code.issued_by,
        }  # fmt: skip
        with self._database.write() as connection:
            connection.execute(insert(starter_codes).values(row))

    def good(self, digest: str, person: str, at: datetime) -> bool:
        """Tell whether a code of a person may be used at a moment."""
        with self._database.read() as connection:
            return connection.execute(select(starter_codes.c.id).where(_good(digest, person, at))).first() is not None

    def use(self, digest: str, person: str, at: datetime, signin: str) -> bool:
        """Use a code up; of several who try at once, in whichever processes, one is told that it did."""
        used = update(starter_codes).where(_good(digest, person, at)).values(used=to_stored(at), used_for=signin)
        with self._database.write() as connection:
            return bool(connection.execute(used).rowcount)

    def revoke(self, id: str, at: datetime) -> bool:
        """Revoke a code; tell whether it was there, neither used nor revoked."""
        mine = (starter_codes.c.id == id) & starter_codes.c.used.is_(None) & starter_codes.c.revoked.is_(None)
        with self._database.write() as connection:
            done = connection.execute(update(starter_codes).where(mine).values(revoked=to_stored(at)))
        return bool(done.rowcount)

    def revoke_of(self, person: str, at: datetime) -> int:
        """Revoke the codes of a person that could still be used; return how many."""
        mine = starter_codes.c.used.is_(None) & starter_codes.c.revoked.is_(None)
        mine &= (starter_codes.c.person == person) & (starter_codes.c.ends > to_stored(at))
        with self._database.write() as connection:
            done = connection.execute(update(starter_codes).where(mine).values(revoked=to_stored(at)))
        return int(done.rowcount)

    def of(self, person: str, most: int = 20) -> list[StarterCode]:
        """Return the codes of a person, the latest first."""
        return [code for code in self.all(10_000) if code.person == person][:most]

    def all(self, most: int = 200) -> list[StarterCode]:
        """Return the codes, those issued last first."""
        wanted = select(starter_codes).order_by(starter_codes.c.issued.desc(), starter_codes.c.id).limit(most)
        with self._database.read() as connection:
            return [
                StarterCode(
                    row.id, row.person, from_stored(row.starts), from_stored(row.ends), from_stored(row.issued),
                    row.issued_by, None if row.used is None else from_stored(row.used), row.used_for,
                    None if row.revoked is None else from_stored(row.revoked),
                )
                for row in connection.execute(wanted)
            ]  # fmt: skip


def _good(digest: str, person: str, at: datetime) -> ColumnElement[bool]:
    return and_(
        starter_codes.c.digest == digest,
        starter_codes.c.person == person,
        starter_codes.c.used.is_(None),
        starter_codes.c.revoked.is_(None),
        starter_codes.c.starts <= to_stored(at),
        starter_codes.c.ends > to_stored(at),
    )
