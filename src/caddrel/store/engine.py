"""Opening the SQLite files: every connection gets the same settings here and nowhere else."""

from __future__ import annotations

import contextlib
import sqlite3
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import closing, contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any, Generic, TypeVar

from sqlalchemy import Connection, Engine, create_engine, event
from sqlalchemy.engine.interfaces import DBAPIConnection
from sqlalchemy.exc import DatabaseError, OperationalError
from sqlalchemy.pool import ConnectionPoolEntry, QueuePool

if TYPE_CHECKING:
    from alembic.config import Config

__all__ = ["Database", "DatabaseError", "Kept", "NewerForm", "NoRoom", "newest_form"]

# Seconds between looks at what other processes have committed: each look is several calls of the system.
POLL = 0.02
_COUNTED = "SELECT value FROM counters WHERE name = ?"
_NO_ROOM = ("SQLITE_FULL", "SQLITE_IOERR")
_WRITING = ("journal_mode=WAL", "synchronous=FULL")
_MIGRATIONS = Path(__file__).parent / "migrations"


def _engine(path: Path, begin: str, pragmas: tuple[str, ...]) -> Engine:
    engine = create_engine(
        f"sqlite:///{path}",
        poolclass=QueuePool,
        pool_size=8,
        max_overflow=24,
        # The one that was used last, so that few fill their caches, each of up to 32 megabytes.
        pool_use_lifo=True,
        connect_args={"check_same_thread": False, "timeout": 15},
        # What is in a statement is people's data: it has no place in an error.
        hide_parameters=True,
    )

    @event.listens_for(engine, "connect")
    def settle(connection: DBAPIConnection, _record: ConnectionPoolEntry) -> None:
        # Transactions are begun below, not by the driver's guess.
        connection.isolation_level = None
        cursor = connection.cursor()
        for pragma in ("foreign_keys=ON", "busy_timeout=15000", *pragmas):
            cursor.execute(f"PRAGMA {pragma}")
        cursor.close()

    if begin:
        event.listen(engine, "begin", lambda connection: connection.exec_driver_sql(begin))

    return engine


def driver(connection: Connection) -> sqlite3.Connection:
    """Return the driver's own connection, within the same transaction.

    For the few statements that every live decision costs: SQLAlchemy's own way takes several times as long as SQLite.
    What fails is an error of the driver then.
    """
    found = connection.connection.driver_connection
    assert isinstance(found, sqlite3.Connection)
    return found


def _still(own: sqlite3.Connection) -> None:
    """Refuse to write what would be committed together with something that SQLite has undone by itself."""
    if not own.in_transaction:
        raise RuntimeError("what this would be committed with has failed")


T = TypeVar("T")


class NewerForm(Exception):
    """A file that a newer release has written: this one would not know what it holds."""


def newest_form(migrations: str) -> str:
    """Return the newest form of a database that this release knows; each migration's file begins with its own."""
    return max(path.name for path in (_MIGRATIONS / migrations / "versions").glob("*.py")).partition("_")[0]


class NoRoom(Exception):
    """The file could not be written: the disk is full, or does not take what is written. Nothing was half-written."""


class Database:
    """One SQLite file: a writing engine and a reading one that cannot write.

    Parameters
    ----------
    poll
        Seconds for which what other processes commit may stay unseen.
    """

    def __init__(self, path: Path, migrations: str, poll: float = POLL) -> None:
        self.path = path
        self._poll = poll
        self._migrations = migrations
        self._watch: sqlite3.Connection | None = None
        self._watching = threading.Lock()
        # A connection for each thread that asks for single rows.
        self._mine = threading.local()
        self._own: list[sqlite3.Connection] = []
        self._commits = self._others = 0
        self._looked = 0.0
        self._writing = _engine(path, "", _WRITING)
        # Those that nobody writes through just now.
        self._writers: list[Connection] = []
        self._reading = _engine(path, "BEGIN", ("query_only=ON", "cache_size=-32000"))

    @contextmanager
    def read(self) -> Iterator[Connection]:
        """Give a connection that sees one state of the file and cannot change it."""
        with self._reading.connect() as connection:
            yield connection

    @contextmanager
    def write(self) -> Iterator[Connection]:
        """Give a connection whose changes are committed together at the end, or not at all.

        What the same thread writes within it is committed with it. An error of that is to end it, or the `part` that it
        is in: were it caught, some of what was to be done together would be committed.
        """
        within: Connection | None = getattr(self._mine, "writing", None)
        if within is not None:
            _still(driver(within))
            try:
                yield within
            except BaseException:
                self._mine.failed = True
                raise
            return
        try:
            with self._transaction() as connection:
                self._mine.writing, self._mine.failed = connection, False
                try:
                    yield connection
                finally:
                    self._mine.writing = None
                if self._mine.failed:
                    raise RuntimeError("part of what is committed together has failed")
            self._commits += 1
        except (OperationalError, sqlite3.OperationalError) as error:
            said = error.orig if isinstance(error, OperationalError) else error
            if getattr(said, "sqlite_errorname", "").startswith(_NO_ROOM):
                raise NoRoom(self.path.name) from error
            raise

    @contextmanager
    def part(self) -> Iterator[None]:
        """Have what this thread writes meanwhile be undone when it fails; what else is in its commit stays."""
        own, failed = driver(self._mine.writing), self._mine.failed
        # With no transaction around it, it would be one of its own.
        _still(own)
        own.execute("SAVEPOINT part")
        try:
            yield
        except BaseException:
            # Some errors of SQLite have ended all of it already, and nothing more is written then.
            if own.in_transaction:
                own.execute("ROLLBACK TO part")
                own.execute("RELEASE part")
                self._mine.failed = failed
            raise
        own.execute("RELEASE part")

    @contextmanager
    def _transaction(self) -> Iterator[Connection]:
        """Give a connection that writes, in a transaction that is begun and ended by the driver.

        Both take SQLAlchemy, with its pool, several times as long as SQLite takes for a small commit.
        """
        try:
            connection = self._writers.pop()
        except IndexError:
            connection = self._writing.connect()
        own = driver(connection)
        try:
            own.execute("BEGIN IMMEDIATE")
            yield connection
            own.execute("COMMIT")
        except BaseException:
            # Some errors of SQLite have ended it already. One that cannot be ended ends with its connection.
            with contextlib.suppress(sqlite3.Error):
                if own.in_transaction:
                    own.execute("ROLLBACK")
            raise
        finally:
            if own.in_transaction:
                connection.invalidate()
                connection.close()
            else:
                self._writers.append(connection)

    def one(self, statement: str, values: Sequence[Any]) -> tuple[Any, ...] | None:
        """Return the first row that a statement finds in what is committed by now, by the driver alone.

        For what every live decision asks: a connection of SQLAlchemy's takes several times as long to begin and end as
        SQLite takes to answer.
        """
        found = self.first(statement, values, 1)
        return found[0] if found else None

    def own(self, statement: str, values: Sequence[Any]) -> tuple[Any, ...] | None:
        """Return what `one` does; of what this thread is writing just now also what is not committed yet."""
        within: Connection | None = getattr(self._mine, "writing", None)
        if within is None:
            return self.one(statement, values)
        with closing(driver(within).execute(statement, values)) as cursor:
            found: tuple[Any, ...] | None = cursor.fetchone()
            return found

    def first(self, statement: str, values: Sequence[Any], most: int) -> list[tuple[Any, ...]]:
        """Return the first rows that a statement finds, at most so many; as `one` does."""
        connection: sqlite3.Connection | None = getattr(self._mine, "connection", None)
        if connection is None:
            connection = sqlite3.connect(self.path, check_same_thread=False, isolation_level=None)
            connection.execute("PRAGMA query_only=ON")
            with self._watching:
                self._own.append(connection)
            self._mine.connection = connection
        # Closed at once: one that is left open holds the state of the file that it saw.
        with closing(connection.execute(statement, values)) as cursor:
            return cursor.fetchmany(most)

    def changes(self) -> tuple[int, int]:
        """Return numbers that are others after each commit to the file.

        A commit of this process counts at once; one of another process at the latest after `poll` seconds.
        """
        # One looks for all: whoever comes meanwhile is not to wait.
        if time.monotonic() - self._looked > self._poll and self._watching.acquire(blocking=False):
            try:
                self._looked = time.monotonic()
                self._others = self._look()
            finally:
                self._watching.release()
        return self._commits, self._others

    def _look(self) -> int:
        if self._watch is None:
            self._watch = sqlite3.connect(self.path, check_same_thread=False, isolation_level=None)
        row = self._watch.execute("PRAGMA data_version").fetchone()
        return int(row[0])

    def settle(self) -> None:
        """Bring what is committed from the write-ahead log into the file, as far as nobody is reading it just now.

        The file is whole without it. But who copies only the file, as one should not, has an empty one in the first
        days of a service that writes little.
        """
        # Outside any transaction, in which every connection of an engine is.
        connection = sqlite3.connect(self.path, isolation_level=None)
        try:
            # Without room it is done another time.
            with contextlib.suppress(sqlite3.OperationalError):
                connection.execute("PRAGMA wal_checkpoint(PASSIVE)").close()
        finally:
            connection.close()

    def migrate(self, form: str = "head") -> None:
        """Bring the file to the newest form; makes it when it is not there.

        Parameters
        ----------
        form
            An older one, as earlier releases made it.

        Raises
        ------
        NewerForm
            When it is of a newer release; it is left as it is.
        """
        self.path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        # Alembic leaves it to SQLAlchemy when a transaction begins and ends.
        with closing(_engine(self.path, "BEGIN IMMEDIATE", _WRITING).connect()) as connection:
            # Closed with it, and not kept for others.
            connection.detach()
            there, newest = self._form(connection), newest_form(self._migrations)
            if there > newest:
                raise NewerForm(f"{self.path} was written by a newer release (form {there}, this one knows {newest})")
            if there != newest:
                # Alembic takes longer to load than all the rest of the store, and most starts find nothing to do.
                from alembic import command

                command.upgrade(self.config(connection), form)
        self.path.chmod(0o600)

    def _form(self, connection: Connection) -> str:
        """Return the revision that Alembic noted in the file; empty when there is none."""
        there = connection.exec_driver_sql("SELECT 1 FROM sqlite_master WHERE name = 'alembic_version'").first()
        row = connection.exec_driver_sql("SELECT version_num FROM alembic_version").first() if there else None
        connection.rollback()
        return str(row[0]) if row else ""

    def config(self, connection: Connection) -> Config:
        """Return Alembic's configuration for this file."""
        from alembic.config import Config

        config = Config()
        config.set_main_option("script_location", str(_MIGRATIONS / self._migrations).replace("%", "%%"))
        attributes: dict[str, Any] = config.attributes
        attributes["connection"] = connection
        return config

    def close(self) -> None:
        """Close every connection."""
        with self._watching:
            if self._watch is not None:
                self._watch.close()
                self._watch = None
            for connection in self._own:
                connection.close()
            self._own, self._mine = [], threading.local()
        while self._writers:
            self._writers.pop().close()
        self._writing.dispose()
        self._reading.dispose()


class Kept(Generic[T]):
    """Something read from a file, read anew only after the file has changed.

    Parameters
    ----------
    counter
        The name under which changes of what is read are counted in the file (by its triggers), so that other changes
        of the file cost next to nothing; empty when they are not.
    """

    def __init__(self, database: Database, read: Callable[[], T], counter: str = "") -> None:
        self._database = database
        self._read = read
        self._counter = counter
        self._held: tuple[tuple[int, int], int | None, T] | None = None

    def get(self) -> T:
        """Return what the file holds now."""
        changes = self._database.changes()
        held = self._held
        if held is None or held[0] != changes:
            # Read after the numbers were: what is committed in between is read again next time.
            count = self._count()
            same = held is not None and count is not None and held[1] == count
            held = self._held = (changes, count, held[2] if held is not None and same else self._read())
        return held[2]

    def _count(self) -> int | None:
        """Return how often what is read was changed; None where nobody counts."""
        found = self._database.one(_COUNTED, (self._counter,)) if self._counter else None
        return int(found[0]) if found is not None else None
