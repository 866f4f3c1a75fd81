"""Streams of events to receivers, and the keys that events are signed with."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from sqlalchemy import Row, delete, insert, select, update

from caddrel.store.book_tables import event_streams, signing_keys
from caddrel.store.engine import Database
from caddrel.store.moments import from_stored, to_stored


@dataclass(frozen=True, slots=True)
class EventStream:
    """One stream.

    Attributes
    ----------
    receiver
        The id of the token that it belongs to; no other may ask about it.
    document
        What it was asked for: method, address, kinds of events, whom not.
    locked
        What is sent as ``Authorization`` with each event, locked; empty for nothing.
    status, reason
        ``enabled``, ``paused`` or ``disabled``, and why.
    """

    id: str
    receiver: str
    document: Mapping[str, Any]
    created: datetime
    locked: str = ""
    status: str = "enabled"
    reason: str = ""


@dataclass(frozen=True, slots=True)
class SigningKey:
    """A key that events are signed with, locked; one that is retired is still published for a while."""

    kid: str
    locked: str
    created: datetime
    retired: datetime | None = field(default=None)


class EventStreamStore:
    """Keeps streams and keys."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def changes(self) -> tuple[int, int]:
        """Return a number that differs after each commit to the file, as `Database.changes` does."""
        return self._database.changes()

    def all(self) -> list[EventStream]:
        """Return the streams, in the order in which they were made."""
        with self._database.read() as connection:
            wanted = select(event_streams).order_by(event_streams.c.created, event_streams.c.id)
            return [_stream(row) for row in connection.execute(wanted)]

    def get(self, id: str) -> EventStream | None:
        """Return a stream."""
        with self._database.read() as connection:
            row = connection.execute(select(event_streams).where(event_streams.c.id == id)).first()
        return _stream(row) if row is not None else None

    def put(self, stream: EventStream) -> None:
        """Add a stream, or change what it was asked for."""
        values = {"document": json.dumps(dict(stream.document)), "locked": stream.locked}
        with self._database.write() as connection:
            done = connection.execute(update(event_streams).where(event_streams.c.id == stream.id).values(**values))
            if not done.rowcount:
                made = {"id": stream.id, "receiver": stream.receiver, "created": to_stored(stream.created)}
                how = {"status": stream.status, "reason": stream.reason}
                connection.execute(insert(event_streams).values(**made, **values, **how))

    def turn(self, id: str, status: str, reason: str, unless: str = "") -> None:
        """Change how a stream is, unless it is in a given way by now."""
        this = (event_streams.c.id == id) & (event_streams.c.status != unless)
        with self._database.write() as connection:
            connection.execute(update(event_streams).where(this).values(status=status, reason=reason))

    def remove(self, id: str) -> None:
        """Take a stream out."""
        with self._database.write() as connection:
            connection.execute(delete(event_streams).where(event_streams.c.id == id))

    def all_keys(self) -> list[SigningKey]:
        """Return the keys, the newest first."""
        with self._database.read() as connection:
            rows = connection.execute(select(signing_keys).order_by(signing_keys.c.created.desc())).all()
        return [
            SigningKey(
                row.kid, row.locked, from_stored(row.created),
                None if row.retired is None else from_stored(row.retired),
            )
            for row in rows
        ]  # fmt: skip

    def add_key(self, key: SigningKey) -> None:
        """Add a key; those before it are retired at the same moment."""
        with self._database.write() as connection:
            open_ = signing_keys.c.retired.is_(None)
            connection.execute(update(signing_keys).where(open_).values(retired=to_stored(key.created)))
            connection.execute(
                insert(signing_keys).values(kid=key.kid, locked=key.locked, created=to_stored(key.created))
            )

    def forget_keys(self, before: datetime) -> None:
        """Take out keys that were retired before a moment."""
        with self._database.write() as connection:
            connection.execute(delete(signing_keys).where(signing_keys.c.retired < to_stored(before)))


def _stream(row: Row[Any]) -> EventStream:
    return EventStream(
        row.id, row.receiver, json.loads(row.document), from_stored(row.created), row.locked, row.status, row.reason
    )
