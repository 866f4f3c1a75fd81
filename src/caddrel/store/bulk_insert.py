"""Inserting many rows at once, so that other threads can go on meanwhile."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from itertools import chain, islice
from typing import Any

from sqlalchemy import Connection

# SQLite takes 32,766 values in one statement.
MOST_VALUES = 32_000


def insert_many(connection: Connection, table: str, columns: Sequence[str], values: Sequence[Sequence[Any]]) -> None:
    """Insert rows, given column by column.

    Many rows go in one statement: SQLite is then left to itself for as long as that takes, and the interpreter to other
    threads. Row by row, each would have to wait for the interpreter again. There are statements of a few sizes only,
    since each is kept ready.
    """
    # Written out: SQLAlchemy's own way binds every row anew, which takes longer than storing it.
    width = len(columns)
    most = MOST_VALUES // width
    left = len(values[0])
    rows = zip(*values, strict=True)
    each = chain.from_iterable(rows)
    for size in (most, most // 10, most // 100):
        statement = _inserting(table, tuple(columns), size)
        while left >= size:
            connection.exec_driver_sql(statement, tuple(islice(each, size * width)))
            left -= size
    if left:
        connection.exec_driver_sql(_inserting(table, tuple(columns), 1), list(rows))


@lru_cache(maxsize=64)
def _inserting(table: str, columns: tuple[str, ...], rows: int) -> str:
    row = f"({', '.join('?' * len(columns))})"
    return f"INSERT INTO {table} ({', '.join(columns)}) VALUES {', '.join([row] * rows)}"  # noqa: S608 - our own names
