"""Sessions of doors: who is in, since when, under which limits."""

from __future__ import annotations

import json
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any

import msgspec
from sqlalchemy import ColumnElement, Connection, select, true, update

from caddrel.store.bulk_insert import insert_many
from caddrel.store.engine import Database, driver
from caddrel.store.log_tables import door_sessions
from caddrel.store.marks import put_marks
from caddrel.store.moments import from_stored, to_stored
from caddrel.store.outbox import OutEvent, put_events, put_told

_C = door_sessions.c
_OPEN = _C.ended.is_(None)
_PAGE, _ASKED_AT_ONCE = 2_000, 500


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
        Who or what ended it: ``idle``, ``too old``, ``door``, ``decided again``, or an administrator's name.
    facts
        What its door reported of the sign-in that was decided last, by the names of facts, as JSON.
    asks
        What will be asked for at its next request, as it was decided again since; of one that was ended so what the
        person is told.
    because
        Why that is so, or why it was ended.
    look_again
        When it is to be decided again at the latest.
    held
        The number of the held change that would end it.
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
    facts: Mapping[str, Any] = field(default_factory=dict)
    asks: tuple[str, ...] = ()
    because: str = ""
    look_again: datetime | None = None
    held: int | None = None

    def limit_reached(self, now: datetime) -> tuple[datetime, str] | None:
        """Return when it reached a limit of its own, and which: ``idle`` or ``too old``; None while it has not."""
        idle, oldest = self.keep.get("idle_at_most"), self.keep.get("session_at_most")
        if idle is not None and now - self.seen > timedelta(seconds=idle):
            return self.seen + timedelta(seconds=idle), "idle"
        if oldest is not None and now - self.started > timedelta(seconds=oldest):
            return self.started + timedelta(seconds=oldest), "too old"
        return None


@dataclass(frozen=True, slots=True)
class Outcome:
    """What deciding a session again came to, for the session as it was seen.

    Attributes
    ----------
    ends
        Nobody is in by it any more.
    by
        Who or what ended it.
    keep
        Its limits from now on; None where they stay.
    """

    session: DoorSession
    ends: bool = False
    by: str = ""
    asks: tuple[str, ...] = ()
    because: str = ""
    look_again: datetime | None = None
    held: int | None = None
    keep: Mapping[str, int | bool] | None = None


class DoorSessionStore:
    """Reads and ends sessions; they are put with the sign-in that let them in."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def get(self, id: str) -> DoorSession | None:
        """Return a session, ended ones too."""
        row = self._database.one(_ONE, (id,))
        return _session(row) if row is not None else None

    def open(self, most: int = 500) -> list[DoorSession]:
        """Return the sessions that nobody has ended, those seen last first; some may have outlived their limits."""
        wanted = select(door_sessions).where(door_sessions.c.ended.is_(None))
        wanted = wanted.order_by(door_sessions.c.seen.desc(), door_sessions.c.id).limit(most)
        with self._database.read() as connection:
            return [_session(row) for row in connection.execute(wanted)]

    def touched(
        self,
        people: Collection[str] = (),
        devices: Collection[str] = (),
        apps: Collection[str] | None = (),
    ) -> Iterator[DoorSession]:
        """Yield the open sessions of people, devices or apps; of every app with None.

        With devices also those from one that was not listed: it may be one of these now, by its serial number.
        """
        if apps is None:
            yield from self._page_by_page(true())
            return
        parts = [(column, set(ids)) for column, ids in ((_C.person, people), (_C.device, devices), (_C.app, apps))]
        seen: set[str] = set()
        for column, ids in parts:
            wanted = sorted(ids)
            for first in range(0, len(wanted), _ASKED_AT_ONCE):
                some = wanted[first : first + _ASKED_AT_ONCE]
                for session in self._page_by_page(column.in_(some)):
                    if session.id not in seen:
                        seen.add(session.id)
                        yield session
        if devices:
            unlisted = _C.device.is_(None) & _C.facts.contains('"device.serial"')
            yield from (each for each in self._page_by_page(unlisted) if each.id not in seen)

    def seen_since(self, moment: datetime) -> Iterator[DoorSession]:
        """Yield the open sessions that were decided at the door since a moment."""
        yield from self._page_by_page(_C.seen >= to_stored(moment))

    def held_by(self, number: int) -> Iterator[DoorSession]:
        """Yield the open sessions that a held change would end."""
        yield from self._page_by_page(_C.held == number)

    def due(self, now: datetime, most: int) -> list[DoorSession]:
        """Return open sessions that are to be decided again by now; none that a held change is about."""
        wanted = select(door_sessions).where(_OPEN, _C.held.is_(None), _C.look_again <= to_stored(now))
        with self._database.read() as connection:
            return [_session(row) for row in connection.execute(wanted.order_by(_C.look_again).limit(most))]

    def _page_by_page(self, which: ColumnElement[bool]) -> Iterator[DoorSession]:
        after = ""
        while True:
            wanted = select(door_sessions).where(_OPEN, which, _C.id > after).order_by(_C.id).limit(_PAGE)
            with self._database.read() as connection:
                rows = connection.execute(wanted).all()
            yield from map(_session, rows)
            if len(rows) < _PAGE:
                return
            after = rows[-1].id

    def settle(
        self,
        outcomes: Sequence[Outcome],
        at: datetime,
        mark: Mapping[str, int],
        events: Sequence[OutEvent] = (),
        told: Mapping[tuple[str, str], Mapping[str, Any]] | None = None,
    ) -> list[Outcome]:
        """Have sessions be as they were decided again, with how far that has gone; return what was so.

        A session that was ended, or decided at the door, after it was seen stays as it is.

        Parameters
        ----------
        events, told
            What others are to be told besides, and what they know of people and devices then.
        """
        done = []
        moment = to_stored(at)
        with self._database.write() as connection:
            cursor = driver(connection).cursor()
            run = cursor.execute
            for each in outcomes:
                session, again = each.session, each.look_again
                values = (
                    json.dumps(each.asks) if each.asks else "", each.because, each.held,
                    None if again is None else to_stored(again), None if each.keep is None else _written(each.keep),
                )  # fmt: skip
                ends = (moment, each.by) if each.ends else ()
                run(_ENDS if ends else _STAYS, (*values, *ends, session.id, session.signin))
                if cursor.rowcount:
                    done.append(each)
            put_events(connection, [*events, *filter(None, (_event_of(each, at) for each in done))])
            put_told(connection, told or {})
            put_marks(connection, mark)
        return done

    def end(self, id: str, at: datetime, by: str) -> bool:
        """End a session; tell whether it was open."""
        return bool(self._end(_C.id == id, at, by))

    def end_of(self, person: str, at: datetime, by: str) -> int:
        """End all sessions of a person; return how many were open."""
        return self._end(_C.person == person, at, by)

    def _end(self, which: ColumnElement[bool], at: datetime, by: str) -> int:
        with self._database.write() as connection:
            found = [_session(row) for row in connection.execute(select(door_sessions).where(which, _OPEN))]
            connection.execute(update(door_sessions).where(which, _OPEN).values(ended=to_stored(at), ended_by=by))
            put_events(connection, [_revoked(session, at, by, "") for session in found])
        return len(found)

    def of(self, person: str, most: int = 50) -> list[DoorSession]:
        """Return the sessions of a person that nobody has ended, those seen last first."""
        wanted = select(door_sessions).where((door_sessions.c.person == person) & door_sessions.c.ended.is_(None))
        wanted = wanted.order_by(door_sessions.c.seen.desc(), door_sessions.c.id).limit(most)
        with self._database.read() as connection:
            return [_session(row) for row in connection.execute(wanted)]


def _revoked(session: DoorSession, at: datetime, by: str, because: str) -> OutEvent:
    said = {"by": by, "because": because, "app": session.app}
    return OutEvent("session-revoked", at, session.person, session.id, session.device or "", said)


def _event_of(outcome: Outcome, at: datetime) -> OutEvent | None:
    """Return what others are told of a session that was decided again; None where nothing is."""
    session = outcome.session
    if outcome.ends:
        return _revoked(session, at, outcome.by, outcome.because)
    if bool(outcome.asks) != bool(session.asks):
        said = {"asks": list(outcome.asks), "because": outcome.because}
        return OutEvent("assurance-level-change", at, session.person, session.id, session.device or "", said)
    return None


def put_sessions(connection: Connection, sessions: Iterable[DoorSession]) -> None:
    """Put sessions as they are now; one that has been ended stays ended."""
    rows = [
        (
            session.id, session.door, session.person, session.app, session.device,
            to_stored(session.started), to_stored(session.seen),
            _written({name: to_stored(at) for name, at in session.methods.items()}),
            _written(dict(session.keep)), session.signin, _written(dict(session.facts)),
            to_stored(session.look_again) if session.look_again is not None else None,
        )
        for session in sessions
    ]  # fmt: skip
    if rows:
        insert_many(connection, "door_sessions", _COLUMNS, list(zip(*rows, strict=True)), _OTHERWISE)


# Written out: it is part of every commit of live decisions.
# A session stays at its door, and its person's, from the device that it began on: their indexes are left alone.
_KEPT = ("app", "seen", "methods", "keep", "signin", "facts", "look_again")
_CHANGED = ", ".join(f"{name} = excluded.{name}" for name in _KEPT)
_COLUMNS = ("id", "door", "person", "app", "device", "started", *_KEPT[1:])
# Decided at the door, it is as that says: nothing is asked for any more, and it is not held.
_OTHERWISE = f"ON CONFLICT (id) DO UPDATE SET {_CHANGED}, asks = '', because = '', held = NULL WHERE ended IS NULL"


_encode, _read = msgspec.json.Encoder().encode, msgspec.json.Decoder().decode


def _written(document: Mapping[str, Any]) -> str:
    return _encode(document).decode()


# Written out: a change may touch very many. What ends is in no index any more.
_SETTLED = "UPDATE door_sessions SET asks = ?, because = ?, held = ?, look_again = ?, keep = coalesce(?, keep)"
_SAME = "WHERE id = ? AND ended IS NULL AND signin = ?"
_STAYS, _ENDS = f"{_SETTLED} {_SAME}", f"{_SETTLED}, ended = ?, ended_by = ? {_SAME}"

# Asked at every request of somebody who is in.
_ONE = f"SELECT {', '.join(column.name for column in door_sessions.c)} FROM door_sessions WHERE id = ?"  # noqa: S608


def _session(row: Sequence[Any]) -> DoorSession:
    """Return a session from its row: all columns of the table, in their order."""
    (
        id, door, person, app, device, started, seen, methods, keep, signin, ended, ended_by, facts, asks, because,
        look_again, held,
    ) = row  # fmt: skip
    return DoorSession(
        id, door, person, app, device, from_stored(started), from_stored(seen),
        {name: from_stored(at) for name, at in _read(methods).items()}, _read(keep), signin,
        None if ended is None else from_stored(ended), ended_by, _read(facts) if facts else {},
        tuple(json.loads(asks)) if asks else (), because, None if look_again is None else from_stored(look_again), held,
    )  # fmt: skip
