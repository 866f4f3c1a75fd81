"""Opening the SQLite files: every connection gets the same settings here and nowhere else."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from alembic import command
from alembic.config import Config
from sqlalchemy import Connection, Engine, create_engine, event
from sqlalchemy.engine.interfaces import DBAPIConnection
from sqlalchemy.exc import OperationalError
from sqlalchemy.pool import ConnectionPoolEntry, QueuePool

_NO_ROOM = ("SQLITE_FULL", "SQLITE_IOERR")
_MIGRATIONS = Path(__file__).parent / "migrations"


def _engine(path: Path, begin: str, pragmas: tuple[str, ...]) -> Engine:
    engine = create_engine(
        f"sqlite:///{path}",
        poolclass=QueuePool,
        pool_size=8,
        max_overflow=24,
        connect_args={"check_same_thread": False, "timeout": 15},
    )

    @event.listens_for(engine, "connect")
    def settle(connection: DBAPIConnection, _record: ConnectionPoolEntry) -> None:
        # Transactions are begun below, not by the driver's guess.
        connection.isolation_level = None
        cursor = connection.cursor()
        for pragma in ("foreign_keys=ON", "busy_timeout=15000", *pragmas):
            cursor.execute(f"PRAGMA {pragma}")
        cursor.close()

    @event.listens_for(engine, "begin")
    def begin_now(connection: Connection) -> None:
        connection.exec_driver_sql(begin)

    return engine


class NoRoom(Exception):
    """The file could not be written: the disk is full, or does not take what is written. Nothing was half-written."""


class Database:
    """One SQLite file: a writing engine and a reading one that cannot write."""

    def __init__(self, path: Path, migrations: str) -> None:
        self.path = path
        self._migrations = migrations
        self._writing = _engine(path, "BEGIN IMMEDIATE", ("journal_mode=WAL", "synchronous=FULL"))
        self._reading = _engine(path, "BEGIN", ("query_only=ON", "cache_size=-32000"))

    @contextmanager
    def read(self) -> Iterator[Connection]:
        """Give a connection that sees one state of the file and cannot change it."""
        with self._reading.connect() as connection:
            yield connection

    @contextmanager
    def write(self) -> Iterator[Connection]:
        """Give a connection whose changes are committed together at the end, or not at all."""
        try:
            with self._writing.begin() as connection:
                yield connection
        except OperationalError as error:
            if getattr(error.orig, "sqlite_errorname", "").startswith(_NO_ROOM):
                raise NoRoom(self.path.name) from error
            raise

    def migrate(self) -> None:
        """Bring the file to the newest form; makes it when it is not there."""
        self.path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        with self._writing.connect() as connection:
            command.upgrade(self.config(connection), "head")
        self.path.chmod(0o600)

    def config(self, connection: Connection) -> Config:
        """Return Alembic's configuration for this file."""
        config = Config()
        config.set_main_option("script_location", str(_MIGRATIONS / self._migrations).replace("%", "%%"))
        attributes: dict[str, Any] = config.attributes
        attributes["connection"] = connection
        return config

    def close(self) -> None:
        """Close every connection."""
        self._writing.dispose()
        self._reading.dispose()
