"""The published states of the rulebook: numbered 1, 2, 3 …, never changed once there."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

from sqlalchemy import func, insert, select

from caddrel.core.decide.decision import MEANING
from caddrel.store.book_tables import revisions
from caddrel.store.drafts import DraftMoved, use_up
from caddrel.store.engine import Database, Kept
from caddrel.store.moments import from_stored, to_stored


@dataclass(frozen=True, slots=True)
class Revision:
    """One published state; `files` has name and text of each document it was published from.

    `override` says why it was published though somebody who must get in could be locked out. `meaning` is that of the
    decisions under it when it was published.
    """

    number: int
    published_at: datetime
    published_by: str
    why: str
    digest: str
    files: tuple[tuple[str, str], ...] = ()
    override: str = ""
    meaning: int = 1


class Conflict(Exception):
    """Somebody else published in between; `current` is the number that is current now."""

    def __init__(self, current: int) -> None:
        super().__init__(f"revision {current} is current now")
        self.current = current


_INFO = (
    revisions.c.number,
    revisions.c.published_at,
    revisions.c.published_by,
    revisions.c.why,
    revisions.c.digest,
    revisions.c.override,
    revisions.c.meaning,
)


class RevisionStore:
    """Reads and adds revisions; there is no way to change one."""

    def __init__(self, database: Database) -> None:
        self._database = database
        # Asked at every decision.
        self._current: Kept[int | None] = Kept(database, self._read_current)

    def publish(
        self,
        files: Sequence[tuple[str, str]],
        by: str,
        why: str,
        at: datetime,
        base: int | None = None,
        override: str = "",
        draft: tuple[str, int] | None = None,
    ) -> Revision:
        """Add the next revision.

        Parameters
        ----------
        base
            The number that the publisher believes is current, 0 before the first; None when it does not matter.
        draft
            Name and version of the draft that it is made of, which is done with then.

        Raises
        ------
        Conflict
            When another revision is current.
        DraftMoved
            When the draft has another version now, or is done with already. Nothing is published then.
        """
        text = json.dumps([list(file) for file in files], ensure_ascii=False)
        digest = hashlib.sha256(text.encode()).hexdigest()
        with self._database.write() as connection:
            current = connection.execute(select(func.max(revisions.c.number))).scalar() or 0
            if base is not None and base != current:
                raise Conflict(current)
            values = {
                "number": current + 1,
                "published_at": to_stored(at),
                "published_by": by,
                "why": why,
                "digest": digest,
                "files": text,
                "override": override,
                "meaning": MEANING,
            }
            connection.execute(insert(revisions).values(values))
            if draft is not None and not use_up(connection, *draft, at):
                raise DraftMoved(draft[0])
        published = tuple((name, body) for name, body in files)
        return Revision(current + 1, at, by, why, digest, published, override, MEANING)

    def current_number(self) -> int | None:
        """Return the number of the current revision, None before the first."""
        return self._current.get()

    def _read_current(self) -> int | None:
        found = self._database.one("SELECT max(number) FROM revisions", ())
        return found[0] if found is not None else None

    def get(self, number: int) -> Revision | None:
        """Return a revision with its files."""
        with self._database.read() as connection:
            row = connection.execute(select(*_INFO, revisions.c.files).where(revisions.c.number == number)).first()
        if row is None:
            return None
        files = tuple((name, text) for name, text in json.loads(row.files))
        return replace(_revision(row), files=files)

    def all(self) -> list[Revision]:
        """Return every revision without its files, newest first."""
        with self._database.read() as connection:
            rows = connection.execute(select(*_INFO).order_by(revisions.c.number.desc())).all()
        return [_revision(row) for row in rows]

    def made_of(self, base: int, digest: str, at: datetime) -> int | None:
        """Return the number of the revision that a draft became, None when it was discarded instead.

        A draft is published on its base, and is done with at the very moment of its revision, in one transaction with
        it: this is how one that was published is told from one that was discarded.
        """
        its = (revisions.c.number == base + 1) & (revisions.c.digest == digest)
        with self._database.read() as connection:
            return connection.execute(
                select(revisions.c.number).where(its, revisions.c.published_at == to_stored(at))
            ).scalar()

    def in_force(self) -> list[tuple[datetime, int]]:
        """Return since when each revision is in force, oldest first."""
        with self._database.read() as connection:
            rows = connection.execute(
                select(revisions.c.published_at, revisions.c.number).order_by(revisions.c.number)
            ).all()
        return [(from_stored(row.published_at), row.number) for row in rows]


def _revision(row: Any) -> Revision:
    at = from_stored(row.published_at)
    return Revision(row.number, at, row.published_by, row.why, row.digest, override=row.override, meaning=row.meaning)
