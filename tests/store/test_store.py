"""The store: migrations, and connections that can and cannot write."""

from __future__ import annotations

from pathlib import Path

import pytest
from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import MetaData, insert
from sqlalchemy.exc import OperationalError

from caddrel.store.engine import Database
from caddrel.store.tables import BOOK, LOG, counters


@pytest.mark.parametrize(("name", "declared"), [("book", BOOK), ("log", LOG)])
def test_a_migrated_file_is_as_declared_and_migrating_again_changes_nothing(
    tmp_path: Path, name: str, declared: MetaData
) -> None:
    database = Database(tmp_path / "folder" / "x.sqlite", name)
    database.migrate()
    database.migrate()
    with database.read() as connection:
        assert compare_metadata(MigrationContext.configure(connection), declared) == []
    database.close()
    assert (tmp_path / "folder" / "x.sqlite").stat().st_mode & 0o077 == 0


def test_reading_connections_cannot_write_and_failed_writes_leave_nothing(tmp_path: Path) -> None:
    database = Database(tmp_path / "x.sqlite", "book")
    database.migrate()
    with database.read() as connection, pytest.raises(OperationalError):
        connection.execute(insert(counters).values(name="x", value=1))

    def fail() -> None:
        with database.write() as connection:
            connection.execute(insert(counters).values(name="x", value=1))
            raise ZeroDivisionError

    with pytest.raises(ZeroDivisionError):
        fail()
    with database.read() as connection:
        assert connection.exec_driver_sql("SELECT count(*) FROM counters").scalar() == 0
    database.close()
