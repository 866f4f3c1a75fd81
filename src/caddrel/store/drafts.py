"""Drafts: what is being written, on top of a revision; a save that did not see the one before is refused."""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, Row, select, update
from sqlalchemy.dialects.sqlite import insert

from caddrel.store.engine import Database
from caddrel.store.moments import from_stored, to_stored
from caddrel.store.tables import drafts

Files = tuple[tuple[str, str], ...]


@dataclass(frozen=True, slots=True)
class Draft:
    """Documents on top of revision `base`; `version` grows with every save.

    Attributes
    ----------
    shadowed
        Since when live decisions are logged with its outcome, None when they are not.
    plan
        When it is to be published by itself.
    failed
        Why it was not published when it was due.
    """

    name: str
    base: int
    files: Files
    version: int
    begun: datetime
    begun_by: str
    saved: datetime
    saved_by: str
    discarded: datetime | None = None
    shadowed: datetime | None = None
    plan: Plan | None = None
    failed: str = ""


@dataclass(frozen=True, slots=True)
class Plan:
    """When a draft is to be published, by whose word and why; `risk` accepts a lock-out risk."""

    at: datetime
    by: str
    why: str
    risk: str = ""


class Stale(Exception):
    """Somebody else has saved in between; `there` is the draft as it is now."""

    def __init__(self, there: Draft) -> None:
        super().__init__(f"the draft {there.name} has version {there.version} now")
        self.there = there


class DraftStore:
    """Reads and saves drafts; one that is discarded is kept."""

    def __init__(self, database: Database) -> None:
        self._database = database
        # Another number after each change, for those who keep something that was made of drafts.
        self.turn = 0

    def begin(self, name: str, base: int, files: Sequence[tuple[str, str]], by: str, at: datetime) -> Draft | None:
        """Return a new draft, None when there is one of that name, a discarded one too."""
        made = Draft(name, base, tuple(files), 1, at, by, at, by)
        row = {
            "name": name, "base": base, "files": _text(made.files), "version": 1, "begun": to_stored(at),
            "begun_by": by, "saved": to_stored(at), "saved_by": by,
        }  # fmt: skip
        with self._writing() as connection:
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
        with self._writing() as connection:
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
        with self._writing() as connection:
            changed = update(drafts).where(drafts.c.name == name, before)
            return bool(connection.execute(changed.values(discarded=when, shadowed=None, **_NO_PLAN)).rowcount)

    def shadow(self, name: str, since: datetime | None) -> None:
        """Have live decisions logged with a draft's outcome from a moment on; None ends it."""
        when = to_stored(since) if since is not None else None
        with self._writing() as connection:
            connection.execute(update(drafts).where(drafts.c.name == name).values(shadowed=when))

    def plan(self, name: str, plan: Plan | None, failed: str = "") -> None:
        """Set or take back when a draft is to be published; `failed` says why it was not."""
        values: dict[str, Any] = {**_NO_PLAN, "planned_failed": failed}
        if plan is not None:
            values |= {"planned": to_stored(plan.at), "planned_by": plan.by}
            values |= {"planned_why": plan.why, "planned_risk": plan.risk}
        with self._writing() as connection:
            connection.execute(update(drafts).where(drafts.c.name == name).values(values))

    @contextmanager
    def _writing(self) -> Iterator[Connection]:
        with self._database.write() as connection:
            yield connection
        self.turn += 1


_NO_PLAN = {"planned": None, "planned_by": "", "planned_why": "", "planned_risk": "", "planned_failed": ""}


def _text(files: Sequence[tuple[str, str]]) -> str:
    return json.dumps([list(file) for file in files], ensure_ascii=False)


def _draft(row: Row[Any]) -> Draft:
    files = tuple((name, text) for name, text in json.loads(row.files))
    return Draft(
        row.name, row.base, files, row.version, from_stored(row.begun), row.begun_by, from_stored(row.saved),
        row.saved_by, _moment(row.discarded), _moment(row.shadowed),
        None if row.planned is None
        else Plan(from_stored(row.planned), row.planned_by, row.planned_why, row.planned_risk),
        row.planned_failed,
    )  # fmt: skip


def _moment(stored: int | None) -> datetime | None:
    return None if stored is None else from_stored(stored)
