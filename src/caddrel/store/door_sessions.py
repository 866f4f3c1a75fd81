"""Sessions of doors: who is in, since when, under which limits."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, Row, select, update

from caddrel.store.engine import Database
from caddrel.store.moments import from_stored, to_stored
from caddrel.store.tables import door_sessions


@dataclass(frozen=True, slots=True)
class DoorSession:
    """One session.

    Attributes
    ----------
    door
        The id of the token that it belongs to; no other may ask about it.
    methods
        RFC 8176 method to the moment it was used.
    keep
        The limits it was last let in with.
    signin
        The sign-in that was decided last.
    ended_by
        Who or what ended it: ``idle``, ``too old``, ``door``, or an administrator's name.
    """

    id: str
    door: str
    person: str
    app: str
    device: str | None
    started: datetime
    seen: datetime
    methods: Mapping[str, datetime] = field(default_factory=dict)
    keep: Mapping[str, int | bool] = field(default_factory=dict)
    signin: str = ""
    ended: datetime | None = None
    ended_by: str | None = None


class DoorSessionStore:
    """Reads and ends sessions; they are put with the sign-in that let them in."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def get(self, id: str) -> DoorSession | None:
        """Return a session, ended ones too."""
        with self._database.read() as connection:
            row = connection.execute(select(door_sessions).where(door_sessions.c.id == id)).first()
        return _session(row) if row is not None else None

    def open(self, most: int = 500) -> list[DoorSession]:
        """Return the sessions that nobody has ended, those seen last first; some may have outlived their limits."""
        wanted = select(door_sessions).where(door_sessions.c.ended.is_(None))
        wanted = wanted.order_by(door_sessions.c.seen.desc(), door_sessions.c.id).limit(most)
        with self._database.read() as connection:
            return [_session(row) for row in connection.execute(wanted)]

    def end(self, id: str, at: datetime, by: str) -> bool:
        """End a session; tell whether it was open."""
        mine = (door_sessions.c.id == id) & door_sessions.c.ended.is_(None)
        with self._database.write() as connection:
            done = connection.execute(update(door_sessions).where(mine).values(ended=to_stored(at), ended_by=by))
            return bool(done.rowcount)

    def end_of(self, person: str, at: datetime, by: str) -> int:
        """End all sessions of a person; return how many were open."""
        mine = (door_sessions.c.person == person) & door_sessions.c.ended.is_(None)
        with self._database.write() as connection:
            done = connection.execute(update(door_sessions).where(mine).values(ended=to_stored(at), ended_by=by))
            return int(done.rowcount)

    def of(self, person: str, most: int = 50) -> list[DoorSession]:
        """Return the sessions of a person that nobody has ended, those seen last first."""
        wanted = select(door_sessions).where((door_sessions.c.person == person) & door_sessions.c.ended.is_(None))
        wanted = wanted.order_by(door_sessions.c.seen.desc(), door_sessions.c.id).limit(most)
        with self._database.read() as connection:
            return [_session(row) for row in connection.execute(wanted)]


def put_sessions(connection: Connection, sessions: Iterable[DoorSession]) -> None:
    """Put sessions as they are now; one that has been ended stays ended."""
    rows = [
        (
            session.id, session.door, session.person, session.app, session.device,
            to_stored(session.started), to_stored(session.seen),
            json.dumps({name: to_stored(at) for name, at in session.methods.items()}),
            json.dumps(dict(session.keep)), session.signin,
        )
        for session in sessions
    ]  # fmt: skip
    if rows:
        connection.exec_driver_sql(_PUT, rows)


# Written out: it is part of every commit of live decisions.
_KEPT = ("door", "person", "app", "device", "seen", "methods", "keep", "signin")
_CHANGED = ", ".join(f"{name} = excluded.{name}" for name in _KEPT)
_PUT = (
    "INSERT INTO door_sessions (id, door, person, app, device, started, seen, methods, keep, signin) "  # noqa: S608
    "VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?) "
    f"ON CONFLICT (id) DO UPDATE SET {_CHANGED}"
)


def _session(row: Row[Any]) -> DoorSession:
    methods = {name: from_stored(at) for name, at in json.loads(row.methods).items()}
    ended = None if row.ended is None else from_stored(row.ended)
    return DoorSession(
        row.id, row.door, row.person, row.app, row.device, from_stored(row.started), from_stored(row.seen),
        methods, json.loads(row.keep), row.signin, ended, row.ended_by,
    )  # fmt: skip
