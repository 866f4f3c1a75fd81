"""What others are to be told: put in the commit of what it is about, and kept until all who want it have it."""

from __future__ import annotations

import json
import secrets
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from sqlalchemy import Connection, Row, delete, func, insert, select
from sqlalchemy.dialects.sqlite import insert as put

from caddrel.store.engine import Database
from caddrel.store.log_tables import acknowledged, last_told, marks, outbox
from caddrel.store.marks import put_marks
from caddrel.store.moments import from_stored, to_stored

# So many are kept for receivers that do not take them; older ones are lost to these, which are told.
MOST_KEPT = 100_000
_ASKED_AT_ONCE = 500
# What hooks are told: something new on the watch page, and that they were added.
WATCH, ADDED = "watch", "hook-added"


@dataclass(frozen=True, slots=True)
class OutEvent:
    """Something that happened to a person, a session or a device.

    Attributes
    ----------
    said
        What there is to say of it, as JSON.
    stream
        The one stream that it is for; all where it is empty.
    """

    kind: str
    at: datetime
    person: str = ""
    session: str = ""
    device: str = ""
    said: Mapping[str, Any] = field(default_factory=dict)
    stream: str = ""
    jti: str = field(default_factory=lambda: secrets.token_hex(12))
    seq: int = 0


class OutboxStore:
    """Reads events, and keeps how far each stream has them."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def add(self, events: Sequence[OutEvent]) -> None:
        """Add events by themselves."""
        with self._database.write() as connection:
            put_events(connection, events)

    def head(self) -> int:
        """Return the number of the newest event; 0 before the first."""
        with self._database.read() as connection:
            return connection.execute(select(func.max(outbox.c.seq))).scalar() or 0

    def oldest(self) -> int:
        """Return the number of the oldest event that is kept; 1 before the first, as the newest is never taken out."""
        # Asked once: between two questions the first event may come, and would seem to be lost.
        with self._database.read() as connection:
            return connection.execute(select(func.min(outbox.c.seq))).scalar() or 1

    def after(self, seq: int, stream: str, kinds: Collection[str], most: int) -> list[OutEvent]:
        """Return the next events for a stream after a number, of some kinds, in order."""
        mine = outbox.c.stream.in_(["", stream]), outbox.c.kind.in_(list(kinds))
        wanted = select(outbox).where(outbox.c.seq > seq, *mine).order_by(outbox.c.seq).limit(most)
        with self._database.read() as connection:
            return [_event(row) for row in connection.execute(wanted)]

    def has(self, stream: str) -> int:
        """Return the number up to which a stream has all that it wants."""
        with self._database.read() as connection:
            found = connection.execute(select(marks.c.value).where(marks.c.name == f"stream:{stream}")).scalar()
        return found or 0

    def acknowledged(self, stream: str) -> set[int]:
        """Return the numbers beyond that which it has said it has."""
        with self._database.read() as connection:
            return set(connection.execute(select(acknowledged.c.seq).where(acknowledged.c.stream == stream)).scalars())

    def numbers(self, jtis: Iterable[str]) -> set[int]:
        """Return the numbers of events by their ids."""
        wanted, found = list(jtis), set()
        with self._database.read() as connection:
            for first in range(0, len(wanted), _ASKED_AT_ONCE):
                some = outbox.c.jti.in_(wanted[first : first + _ASKED_AT_ONCE])
                found |= set(connection.execute(select(outbox.c.seq).where(some)).scalars())
        return found

    def delivered(self, stream: str, through: int, beyond: Iterable[int] = ()) -> None:
        """Record that a stream has every event up to a number, and single ones beyond; the number only grows."""
        mine, name = acknowledged.c.stream == stream, f"stream:{stream}"
        with self._database.write() as connection:
            before = connection.execute(select(marks.c.value).where(marks.c.name == name)).scalar()
            through = max(through, before or 0)
            put_marks(connection, {name: through})
            connection.execute(delete(acknowledged).where(mine, acknowledged.c.seq <= through))
            rows = [{"stream": stream, "seq": seq} for seq in beyond if seq > through]
            if rows:
                connection.execute(put(acknowledged).on_conflict_do_nothing(), rows)

    def forget(self, stream: str) -> None:
        """Forget how far a stream was."""
        with self._database.write() as connection:
            connection.execute(delete(acknowledged).where(acknowledged.c.stream == stream))
            connection.execute(delete(marks).where(marks.c.name == f"stream:{stream}"))

    def trim(self, needed: int) -> None:
        """Take out what every stream has, that is everything before a number, and what is more than may be kept."""
        with self._database.read() as connection:
            oldest, newest = connection.execute(select(func.min(outbox.c.seq), func.max(outbox.c.seq))).one()
        # The newest stays: numbers are not given twice.
        gone = min(max(needed, (newest or 0) - MOST_KEPT), newest or 0)
        # Mostly there is nothing: a transaction that writes would have sign-ins wait for it.
        if oldest is not None and oldest < gone:
            with self._database.write() as connection:
                connection.execute(delete(outbox).where(outbox.c.seq < gone))

    def changes(self) -> tuple[int, int]:
        """Return a number that differs after each commit to the file, as `Database.changes` does."""
        return self._database.changes()

    def last_told(self, noun: str, ids: Collection[str]) -> dict[str, Any]:
        """Return what was told last of some people or devices, by id."""
        found, wanted = {}, list(ids)
        with self._database.read() as connection:
            for first in range(0, len(wanted), _ASKED_AT_ONCE):
                some = last_told.c.id.in_(wanted[first : first + _ASKED_AT_ONCE])
                rows = connection.execute(
                    select(last_told.c.id, last_told.c.state).where(last_told.c.noun == noun, some)
                )
                found.update({row.id: json.loads(row.state) for row in rows})
        return found

    def all_told(self, noun: str) -> dict[str, Any]:
        """Return what was told last of everything of a kind, by its key."""
        wanted = select(last_told.c.id, last_told.c.state).where(last_told.c.noun == noun)
        with self._database.read() as connection:
            return {row.id: json.loads(row.state) for row in connection.execute(wanted)}


def put_events(connection: Connection, events: Sequence[OutEvent]) -> None:
    """Put events in the commit of what they are about."""
    rows = [
        {
            "jti": each.jti, "at": to_stored(each.at), "kind": each.kind, "person": each.person,
            "session": each.session, "device": each.device, "said": json.dumps(dict(each.said)), "stream": each.stream,
        }
        for each in events
    ]  # fmt: skip
    if rows:
        connection.execute(insert(outbox), rows)


def put_told(connection: Connection, told: Mapping[tuple[str, str], Mapping[str, Any]]) -> None:
    """Put what is told of people and devices, by noun and id, in the commit of the events that tell it."""
    rows = [{"noun": noun, "id": id, "state": json.dumps(dict(state))} for (noun, id), state in told.items()]
    if rows:
        add = put(last_told)
        changed = add.on_conflict_do_update(
            index_elements=[last_told.c.noun, last_told.c.id], set_={"state": add.excluded.state}
        )
        connection.execute(changed, rows)


def _event(row: Row[Any]) -> OutEvent:
    return OutEvent(
        row.kind, from_stored(row.at), row.person, row.session, row.device, json.loads(row.said), row.stream,
        row.jti, row.seq,
    )  # fmt: skip
