"""Storing many rows at once, so that other threads can go on meanwhile."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from itertools import chain, islice
from typing import Any

from sqlalchemy import Connection

from caddrel.store.engine import driver

# SQLite takes 32,766 values in one statement.
MOST_VALUES = 32_000


def insert_many(
    connection: Connection, table: str, columns: Sequence[str], values: Sequence[Sequence[Any]], otherwise: str = ""
) -> None:
    """Insert rows, given column by column.

    Many rows go in one statement: SQLite is then left to itself for as long as that takes, and the interpreter to other
    threads. Row by row, each would have to wait for the interpreter again. There are statements of a few sizes only,
    since each is kept ready.

    Parameters
    ----------
    otherwise
        What is done with a row that is there already, as SQL; an error when it is empty.
    """
    # By the driver: SQLAlchemy's own way binds every row anew, which takes longer than storing it.
    run, width = driver(connection).execute, len(columns)
    left = len(values[0])
    each = chain.from_iterable(zip(*values, strict=True))
    for size in _sizes(MOST_VALUES // width):
        statement = _inserting(table, tuple(columns), size, otherwise) if left >= size else ""
        while left >= size:
            run(statement, tuple(islice(each, size * width)))
            left -= size


@lru_cache(maxsize=64)
def _sizes(most: int) -> tuple[int, ...]:
    """Return how many rows there are in a statement: a few large sizes, and powers of two below them."""
    small = most // 100
    powers = [1 << power for power in range(small.bit_length() + 1) if 1 << power < max(small, 2)]
    return tuple(sorted({most, most // 10, *([small] if small else []), *powers}, reverse=True))


@lru_cache(maxsize=256)
def _inserting(table: str, columns: tuple[str, ...], rows: int, otherwise: str) -> str:
    row = f"({', '.join('?' * len(columns))})"
    # Of our own names alone.
    return f"INSERT INTO {table} ({', '.join(columns)}) VALUES {', '.join([row] * rows)} {otherwise}"  # noqa: S608
