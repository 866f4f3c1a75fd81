"""Where address lists and devices are fetched from, and how that went."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Row, delete, select, update
from sqlalchemy.dialects.sqlite import insert as put

from caddrel.store.book_tables import sources
from caddrel.store.engine import Database
from caddrel.store.moments import from_stored, to_stored


@dataclass(frozen=True, slots=True)
class FetchedFrom:
    """One source.

    Attributes
    ----------
    name
        The id of the address list; of devices a name for the source.
    noun
        ``lists`` or ``devices``.
    source
        An https address, or the name of a file in the folder of incoming files.
    every
        Seconds between two looks.
    tag
        What was fetched last, as its source calls it (RFC 9110, section 8.8.3), so that the same is not fetched again.
    last
        When it was fetched last, or was the same.
    held, accepted
        The digest of what was fetched and is held back, and of what somebody has accepted.
    """

    name: str
    noun: str
    source: str
    every: int
    added: datetime
    added_by: str
    paused: bool = False
    tag: str = ""
    last: datetime | None = None
    error: str = ""
    held: str = ""
    accepted: str = ""


class SourceStore:
    """Keeps sources."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def all(self) -> list[FetchedFrom]:
        """Return the sources, by name."""
        with self._database.read() as connection:
            return [_source(row) for row in connection.execute(select(sources).order_by(sources.c.name))]

    def get(self, name: str) -> FetchedFrom | None:
        """Return a source."""
        with self._database.read() as connection:
            row = connection.execute(select(sources).where(sources.c.name == name)).first()
        return _source(row) if row is not None else None

    def put(self, source: FetchedFrom) -> None:
        """Add a source, or have the one of that name begin anew."""
        begun = {"tag": "", "error": "", "held": "", "accepted": "", "paused": 0}
        asked = {"noun": source.noun, "source": source.source, "every": source.every, **begun}
        made = {"name": source.name, "added": to_stored(source.added), "added_by": source.added_by}
        add = put(sources).values(**made, **asked)
        with self._database.write() as connection:
            connection.execute(add.on_conflict_do_update(index_elements=[sources.c.name], set_=asked))

    def remove(self, name: str) -> bool:
        """Take a source out; tell whether there was one."""
        with self._database.write() as connection:
            return bool(connection.execute(delete(sources).where(sources.c.name == name)).rowcount)

    def pause(self, name: str, paused: bool) -> bool:
        """Fetch nothing more from a source, or fetch again; tell whether there is one."""
        return self._update(name, paused=int(paused))

    def fetched(self, name: str, at: datetime, tag: str) -> None:
        """Keep that a source was fetched, or is the same still, and nothing was wrong."""
        self._update(name, last=to_stored(at), tag=tag, error="", held="", accepted="")

    def failed(self, name: str, error: str) -> None:
        """Keep what was wrong."""
        self._update(name, error=error[:1000])

    def hold(self, name: str, digest: str, why: str) -> None:
        """Keep that what was fetched is held back, and why."""
        self._update(name, held=digest, accepted="", error=why[:1000])

    def accept(self, name: str, digest: str) -> None:
        """Have what is held back be taken in when it is fetched again, and is the same."""
        self._update(name, accepted=digest, tag="")

    def _update(self, name: str, **values: Any) -> bool:
        with self._database.write() as connection:
            return bool(connection.execute(update(sources).where(sources.c.name == name).values(**values)).rowcount)


def _source(row: Row[Any]) -> FetchedFrom:
    return FetchedFrom(
        row.name, row.noun, row.source, row.every, from_stored(row.added), row.added_by, bool(row.paused), row.tag,
        None if row.last is None else from_stored(row.last), row.error, row.held, row.accepted,
    )  # fmt: skip
