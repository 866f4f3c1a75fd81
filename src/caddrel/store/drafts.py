"""Drafts: what is being written, on top of a revision; a save that did not see the one before is refused."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, Row, select, update
from sqlalchemy.dialects.sqlite import insert

from caddrel.store.book_tables import drafts
from caddrel.store.engine import Database, Kept
from caddrel.store.moments import from_stored, to_stored

Files = tuple[tuple[str, str], ...]


@dataclass(frozen=True, slots=True)
class Draft:
    """Documents on top of revision `base`; `version` grows with every save.

    Attributes
    ----------
    shadowed
        Since when live decisions are logged with its outcome, None when they are not.
    shadow_version, shadow_files
        What is in shadow: what a publisher put there, not what has been saved since.
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
    shadow_version: int | None = None
    shadow_files: Files = ()

    @property
    def digest(self) -> str:
        """The SHA-256 of its documents, as a revision of them would have it."""
        return hashlib.sha256(_text(self.files).encode()).hexdigest()


@dataclass(frozen=True, slots=True)
class Plan:
    """When a draft is to be published, by whose word and why.

    Attributes
    ----------
    version
        The version of the draft that was reviewed: no other is published.
    risk, rehearsals
        Why a lock-out risk, and rehearsals that fail, are accepted.
    token
        The id of the token that planned it; empty for an account.
    """

    at: datetime
    by: str
    why: str
    version: int
    risk: str = ""
    rehearsals: str = ""
    token: str = ""


class Stale(Exception):
    """Somebody else has saved in between; `there` is the draft as it is now."""

    def __init__(self, there: Draft) -> None:
        super().__init__(f"the draft {there.name} has version {there.version} now")
        self.there = there


class DraftMoved(Exception):
    """A draft has another version than the one that was looked at, or is done with."""

    def __init__(self, name: str) -> None:
        super().__init__(f"the draft {name} is not as it was any more")
        self.name = name


def use_up(connection: Connection, name: str, version: int, at: datetime) -> bool:
    """Discard a draft that is being published, in the same transaction; tell whether it was there in that version."""
    mine = (drafts.c.name == name) & (drafts.c.version == version) & drafts.c.discarded.is_(None)
    done = update(drafts).where(mine).values(discarded=to_stored(at), shadowed=None, **_NO_SHADOW, **_NO_PLAN)
    return bool(connection.execute(done).rowcount)


class DraftStore:
    """Reads and saves drafts; one that is discarded is kept."""

    def __init__(self, database: Database) -> None:
        self._database = database
        # Asked at every decision.
        self._in_shadow = Kept(database, self._read_in_shadow, "drafts")

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
            values = {"discarded": when, "shadowed": None, **_NO_SHADOW, **_NO_PLAN}
            return bool(connection.execute(changed.values(values)).rowcount)

    def shadow(self, name: str, version: int, since: datetime) -> bool:
        """Have live decisions logged with the outcome of a draft as it is now; tell whether it has that version."""
        mine = (drafts.c.name == name) & (drafts.c.version == version) & drafts.c.discarded.is_(None)
        values = {"shadowed": to_stored(since), "shadow_version": version, "shadow_files": drafts.c.files}
        with self._writing() as connection:
            return bool(connection.execute(update(drafts).where(mine).values(values)).rowcount)

    def end_shadow(self, name: str) -> None:
        """Log live decisions with a draft's outcome no more."""
        with self._writing() as connection:
            connection.execute(update(drafts).where(drafts.c.name == name).values(shadowed=None, **_NO_SHADOW))

    def in_shadow(self) -> tuple[tuple[str, int], ...]:
        """Return name and version of each draft that is in shadow."""
        return self._in_shadow.get()

    def _read_in_shadow(self) -> tuple[tuple[str, int], ...]:
        wanted = select(drafts.c.name, drafts.c.shadow_version).where(
            drafts.c.shadowed.is_not(None), drafts.c.discarded.is_(None)
        )
        with self._database.read() as connection:
            return tuple((row.name, row.shadow_version or 0) for row in connection.execute(wanted))

    def shadowed(self) -> list[Draft]:
        """Return the drafts that are in shadow."""
        wanted = select(drafts).where(drafts.c.shadowed.is_not(None), drafts.c.discarded.is_(None))
        with self._database.read() as connection:
            return [_draft(row) for row in connection.execute(wanted.order_by(drafts.c.name))]

    def plan(self, name: str, plan: Plan) -> bool:
        """Set when a draft is to be published; tell whether it has the version that the plan speaks of."""
        values = {
            **_NO_PLAN, "planned": to_stored(plan.at), "planned_by": plan.by, "planned_why": plan.why,
            "planned_version": plan.version, "planned_risk": plan.risk, "planned_rehearsals": plan.rehearsals,
            "planned_token": plan.token,
        }  # fmt: skip
        mine = (drafts.c.name == name) & (drafts.c.version == plan.version) & drafts.c.discarded.is_(None)
        with self._writing() as connection:
            return bool(connection.execute(update(drafts).where(mine).values(values)).rowcount)

    def unplan(self, name: str, failed: str = "") -> None:
        """Take back when a draft was to be published; `failed` says why it was not."""
        with self._writing() as connection:
            values = {**_NO_PLAN, "planned_failed": failed}
            connection.execute(update(drafts).where(drafts.c.name == name).values(values))

    @contextmanager
    def _writing(self) -> Iterator[Connection]:
        with self._database.write() as connection:
            yield connection


_NO_PLAN = {
    "planned": None, "planned_by": "", "planned_why": "", "planned_risk": "", "planned_failed": "",
    "planned_version": None, "planned_token": "", "planned_rehearsals": "",
}  # fmt: skip
_NO_SHADOW = {"shadow_version": None, "shadow_files": None}


def _text(files: Sequence[tuple[str, str]]) -> str:
    return json.dumps([list(file) for file in files], ensure_ascii=False)


def _draft(row: Row[Any]) -> Draft:
    files = _files(row.files)
    shadowed = () if row.shadow_files is None else files if row.shadow_files == row.files else _files(row.shadow_files)
    plan = None
    if row.planned is not None:
        plan = Plan(
            from_stored(row.planned), row.planned_by, row.planned_why, row.planned_version, row.planned_risk,
            row.planned_rehearsals, row.planned_token,
        )  # fmt: skip
    return Draft(
        row.name, row.base, files, row.version, from_stored(row.begun), row.begun_by, from_stored(row.saved),
        row.saved_by, _moment(row.discarded), _moment(row.shadowed), plan, row.planned_failed, row.shadow_version,
        shadowed,
    )  # fmt: skip


def _files(text: str) -> Files:
    return tuple((name, body) for name, body in json.loads(text))


def _moment(stored: int | None) -> datetime | None:
    return None if stored is None else from_stored(stored)
