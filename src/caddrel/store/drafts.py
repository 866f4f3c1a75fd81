"""Drafts: what is being written, on top of a revision; a save that did not see the one before is refused."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Row, select, update
from sqlalchemy.dialects.sqlite import insert

from caddrel.store.engine import Database
from caddrel.store.moments import from_stored, to_stored
from caddrel.store.tables import drafts

Files = tuple[tuple[str, str], ...]


@dataclass(frozen=True, slots=True)
class Draft:
    """Documents on top of revision `base`; `version` grows with every save."""

    name: str
    base: int
    files: Files
    version: int
    begun: datetime
    begun_by: str
    saved: datetime
    saved_by: str
    discarded: datetime | None = None


class Stale(Exception):
    """Somebody else has saved in between; `there` is the draft as it is now."""

    def __init__(self, there: Draft) -> None:
        super().__init__(f"the draft {there.name} has version {there.version} now")
        self.there = there


class DraftStore:
    """Reads and saves drafts; one that is discarded is kept."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def begin(self, name: str, base: int, files: Sequence[tuple[str, str]], by: str, at: datetime) -> Draft | None:
        """Return a new draft, None when there is one of that name, a discarded one too."""
        made = Draft(name, base, tuple(files), 1, at, by, at, by)
        row = {
            "name": name, "base": base, "files": _text(made.files), "version": 1, "begun": to_stored(at),
            "begun_by": by, "saved": to_stored(at), "saved_by": by,
        }  # fmt: skip
        with self._database.write() as connection:
            added = connection.execute(insert(drafts).values(row).on_conflict_do_nothing())
            return made if added.rowcount else None

    def get(self, name: str) -> Draft | None:
        """Return a draft, a discarded one too."""
        with self._database.read() as connection:
            row = connection.execute(select(drafts).where(drafts.c.name == name)).first()
        return _draft(row) if row is not None else None

    def all(self) -> list[Draft]:
        """Return every draft, those saved last first."""
        wanted = select(drafts).order_by(drafts.c.saved.desc(), drafts.c.name)
        with self._database.read() as connection:
            return [_draft(row) for row in connection.execute(wanted)]

    def save(
        self, name: str, seen: int, files: Sequence[tuple[str, str]], base: int, by: str, at: datetime
    ) -> Draft | None:
        """Save a draft; None when there is none of that name.

        Parameters
        ----------
        seen
            The version that the writer started from.

        Raises
        ------
        Stale
            When it has another version now; nothing is saved then.
        """
        changed = {
            "files": _text(files), "base": base, "version": seen + 1, "saved": to_stored(at), "saved_by": by,
        }  # fmt: skip
        mine = (drafts.c.name == name) & (drafts.c.version == seen) & drafts.c.discarded.is_(None)
        with self._database.write() as connection:
            done = connection.execute(update(drafts).where(mine).values(changed))
            row = connection.execute(select(drafts).where(drafts.c.name == name)).first()
        if row is None:
            return None
        if not done.rowcount:
            raise Stale(_draft(row))
        return _draft(row)

    def discard(self, name: str, at: datetime | None) -> bool:
        """Discard a draft, or with None take it up again; tell whether that changed anything."""
        before = drafts.c.discarded.is_(None) if at is not None else drafts.c.discarded.is_not(None)
        when = to_stored(at) if at is not None else None
        with self._database.write() as connection:
            changed = update(drafts).where(drafts.c.name == name, before).values(discarded=when)
            return bool(connection.execute(changed).rowcount)


def _text(files: Sequence[tuple[str, str]]) -> str:
    return json.dumps([list(file) for file in files], ensure_ascii=False)


def _draft(row: Row[Any]) -> Draft:
    files = tuple((name, text) for name, text in json.loads(row.files))
    return Draft(
        row.name, row.base, files, row.version, from_stored(row.begun), row.begun_by, from_stored(row.saved),
        row.saved_by, None if row.discarded is None else from_stored(row.discarded),
    )  # fmt: skip
