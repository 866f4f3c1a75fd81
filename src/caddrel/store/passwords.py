"""Digests of the passwords that people have used, the newest first; never a password."""

from __future__ import annotations

from datetime import datetime

from sqlalchemy import delete, insert, select

from caddrel.store.book_tables import used_passwords as used
from caddrel.store.engine import Database
from caddrel.store.moments import to_stored


class PasswordStore:
    """Remembers digests, one salt a person."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def salt(self, person: str) -> bytes | None:
        """Return the person's salt, None before the first digest."""
        wanted = select(used.c.salt).where(used.c.person == person).limit(1)
        with self._database.read() as connection:
            row = connection.execute(wanted).first()
        return bytes.fromhex(row.salt) if row is not None else None

    def latest(self, person: str, count: int) -> set[bytes]:
        """Return the digests of the last so many passwords."""
        wanted = select(used.c.digest).where(used.c.person == person).order_by(used.c.seq.desc()).limit(count)
        with self._database.read() as connection:
            return {bytes.fromhex(row.digest) for row in connection.execute(wanted)}

    def remember(self, person: str, salt: bytes, digest: bytes, at: datetime, most: int) -> None:
        """Add a digest, and forget those beyond the newest `most`."""
        with self._database.write() as connection:
            row = {"person": person, "salt": salt.hex(), "digest": digest.hex(), "set_at": to_stored(at)}
            connection.execute(insert(used).values(row))
            kept = select(used.c.seq).where(used.c.person == person).order_by(used.c.seq.desc()).limit(most)
            connection.execute(delete(used).where(used.c.person == person, used.c.seq.not_in(kept)))
