"""Stretches of time, about a day and a half each, by which the log's indexes of people and devices are laid out.

A query for a person or a device walks from stretch to stretch, in order of time. All others do without them.
"""

from __future__ import annotations

import secrets
from collections.abc import Iterable
from typing import Any

from sqlalchemy import ColumnElement, Connection, Select, select
from sqlalchemy.ext.compiler import compiles
from sqlalchemy.sql.compiler import SQLCompiler
from sqlalchemy.sql.selectable import Join

from caddrel.store.engine import driver
from caddrel.store.log_tables import signins, stretches

# As the column of the table has it: a power of two of microseconds.
BITS = 37
_FIRST, _LAST = -(1 << 62), (1 << 62) - 1


class _Outer(Join):
    """A join that SQLite walks in the order written: what `CROSS JOIN` means to its planner."""

    inherit_cache = True


@compiles(_Outer)
def _written(join: _Outer, compiler: SQLCompiler, **how: Any) -> str:
    assert join.onclause is not None
    left, right = (compiler.process(side, **{**how, "asfrom": True}) for side in (join.left, join.right))
    on = compiler.process(join.onclause, from_linter=how.get("from_linter"))
    return f"{left} CROSS JOIN {right} ON {on}"


def mark_stretches(connection: Connection, moments: Iterable[int]) -> None:
    """Give the stretches of moments another mark, and see to it that they are there.

    Wherever a record is added, changed or taken out, in the same commit: what was kept of a stretch under its mark
    counts no more. A mark is drawn by chance, so that none comes again, also after a backup was put back.
    """
    rows = [(number, secrets.randbits(62)) for number in {at >> BITS for at in moments}]
    if rows:
        driver(connection).executemany(_MARK, rows)


_MARK = "INSERT INTO stretches (number, mark) VALUES (?, ?) ON CONFLICT (number) DO UPDATE SET mark = excluded.mark"


def within(since: int | None = None, until: int | None = None) -> ColumnElement[bool]:
    """Return the condition that a sign-in is in one of the stretches between two moments, both included."""
    first, last = _FIRST if since is None else since >> BITS, _LAST if until is None else until >> BITS
    number = stretches.c.number
    return signins.c.stretch.in_(select(number).where(number.between(first, last)))


def walking(
    wanted: Select[Any], since: int | None = None, until: int | None = None, newest_first: bool = True
) -> Select[Any]:
    """Return a query for sign-ins of a person or a device, walking from stretch to stretch, in order of time.

    Parameters
    ----------
    since, until
        Only the stretches between these moments are walked through; sign-ins of both may be outside.
    """
    number, at, seq = stretches.c.number, signins.c.at, signins.c.seq
    wanted = wanted.select_from(_Outer(stretches, signins, signins.c.stretch == number))
    if since is not None:
        wanted = wanted.where(number >= since >> BITS)
    if until is not None:
        wanted = wanted.where(number <= until >> BITS)
    order = (number, at, seq)
    return wanted.order_by(*(column.desc() for column in order) if newest_first else order)
