"""Feeds of events from others: who they are, what they may say, and what was taken already."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Row, delete, insert, select, update
from sqlalchemy.dialects.sqlite import insert as put

from caddrel.store.book_tables import feeds, heard
from caddrel.store.engine import Database
from caddrel.store.moments import from_stored, to_stored


@dataclass(frozen=True, slots=True)
class Feed:
    """One feed.

    Attributes
    ----------
    document
        Its keys (a JWK set), the audience that it names, and the kinds of events that it may tell.
    last, events, error
        When it was heard last, how many events were taken, and what was wrong last.
    """

    name: str
    issuer: str
    document: Mapping[str, Any]
    added: datetime
    added_by: str
    paused: bool = False
    last: datetime | None = None
    events: int = 0
    error: str = ""


class FeedStore:
    """Keeps feeds."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def all(self) -> list[Feed]:
        """Return the feeds by name."""
        with self._database.read() as connection:
            return [_feed(row) for row in connection.execute(select(feeds).order_by(feeds.c.name))]

    def get(self, name: str) -> Feed | None:
        """Return a feed by its name."""
        return next((each for each in self.all() if each.name == name), None)

    def of(self, issuer: str) -> Feed | None:
        """Return the feed of an issuer."""
        with self._database.read() as connection:
            row = connection.execute(select(feeds).where(feeds.c.issuer == issuer)).first()
        return _feed(row) if row is not None else None

    def add(self, feed: Feed) -> None:
        """Add a feed, or change one of that name."""
        values = {"issuer": feed.issuer, "document": json.dumps(dict(feed.document)), "paused": int(feed.paused)}
        with self._database.write() as connection:
            if not connection.execute(update(feeds).where(feeds.c.name == feed.name).values(**values)).rowcount:
                made = {"name": feed.name, "added": to_stored(feed.added), "added_by": feed.added_by}
                connection.execute(insert(feeds).values(**made, **values))

    def remove(self, name: str) -> bool:
        """Take a feed out; tell whether there was one."""
        with self._database.write() as connection:
            return bool(connection.execute(delete(feeds).where(feeds.c.name == name)).rowcount)

    def pause(self, name: str, paused: bool) -> bool:
        """Take nothing more from a feed, or take it again; tell whether there is one."""
        with self._database.write() as connection:
            return bool(
                connection.execute(update(feeds).where(feeds.c.name == name).values(paused=int(paused))).rowcount
            )

    def has(self, issuer: str, jti: str) -> bool:
        """Tell whether an event was taken already."""
        wanted = select(heard.c.at).where(heard.c.issuer == issuer, heard.c.jti == jti)
        with self._database.read() as connection:
            return connection.execute(wanted).first() is not None

    def took(self, issuer: str, jti: str, at: datetime) -> None:
        """Keep that an event was taken."""
        with self._database.write() as connection:
            row = {"issuer": issuer, "jti": jti, "at": to_stored(at)}
            connection.execute(put(heard).values(**row).on_conflict_do_nothing())
            mine = update(feeds).where(feeds.c.issuer == issuer)
            connection.execute(mine.values(last=to_stored(at), events=feeds.c.events + 1, error=""))

    def reached(self, name: str, at: datetime) -> None:
        """Keep that a feed was asked and had nothing wrong to say."""
        with self._database.write() as connection:
            connection.execute(update(feeds).where(feeds.c.name == name).values(last=to_stored(at), error=""))

    def failed(self, issuer: str, error: str) -> None:
        """Keep what was wrong with what a feed said."""
        with self._database.write() as connection:
            connection.execute(update(feeds).where(feeds.c.issuer == issuer).values(error=error[:500]))

    def forget(self, before: datetime) -> None:
        """Forget which events were taken before a moment."""
        with self._database.write() as connection:
            connection.execute(delete(heard).where(heard.c.at < to_stored(before)))


def _feed(row: Row[Any]) -> Feed:
    return Feed(
        row.name, row.issuer, json.loads(row.document), from_stored(row.added), row.added_by, bool(row.paused),
        None if row.last is None else from_stored(row.last), row.events, row.error,
    )  # fmt: skip
