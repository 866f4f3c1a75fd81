"""What was last proven of the rulebook in force: of each guarantee and safeguard the answer, and since when."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import delete, insert, select, update

from caddrel.store.book_tables import proven
from caddrel.store.engine import Database
from caddrel.store.moments import from_stored, to_stored


@dataclass(frozen=True, slots=True)
class LastProven:
    """The last answer about one guarantee or safeguard.

    Attributes
    ----------
    definition
        What it said when it was proven.
    since
        Since when the answer is this one.
    before
        The answer before; empty where there was none.
    """

    name: str
    definition: str
    answer: str
    since: datetime
    before: str


class ProvenStore:
    """Keeps the last answers of each kind: ``guarantee`` or ``safeguard``."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def all(self, kind: str) -> dict[str, LastProven]:
        """Return the last answers of a kind, by name."""
        with self._database.read() as connection:
            rows = connection.execute(select(proven).where(proven.c.kind == kind).order_by(proven.c.name)).all()
        return {row.name: _last(row) for row in rows}

    def keep(self, kind: str, answers: Mapping[str, tuple[str, str]], at: datetime, whole: bool = True) -> None:
        """Keep answers, and since when each is so; one that says something else than before begins anew.

        Parameters
        ----------
        answers
            Definition and answer, by name.
        whole
            These are all that there are: others are forgotten.
        """
        with self._database.write() as connection:
            rows = connection.execute(select(proven).where(proven.c.kind == kind)).all()
            known = {row.name: _last(row) for row in rows}
            for name, (definition, answer) in answers.items():
                last = known.get(name)
                key = {"kind": kind, "name": name}
                if last is None:
                    values = {"definition": definition, "answer": answer, "since": to_stored(at), "before": ""}
                    connection.execute(insert(proven).values(**key, **values))
                elif (last.definition, last.answer) != (definition, answer):
                    before = last.answer if last.definition == definition else ""
                    changed = update(proven).where(proven.c.kind == kind, proven.c.name == name)
                    values = {"definition": definition, "answer": answer, "since": to_stored(at), "before": before}
                    connection.execute(changed.values(**values))
            gone = [name for name in known if name not in answers] if whole else []
            if gone:
                connection.execute(delete(proven).where(proven.c.kind == kind, proven.c.name.in_(gone)))


def _last(row: Any) -> LastProven:
    return LastProven(row.name, row.definition, row.answer, from_stored(row.since), row.before)
