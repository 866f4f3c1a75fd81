"""The sign-in log: what another system recorded, and what Caddrel decides about it."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from sqlalchemy import ColumnElement, Row, func, or_, select, tuple_
from sqlalchemy.dialects.sqlite import insert

from caddrel.store.engine import Database
from caddrel.store.moments import from_stored, to_stored
from caddrel.store.tables import signins

# Columns that a list may be filtered by, one value each.
FILTERS = (
    "person",
    "app",
    "device",
    "operation",
    "flow",
    "country",
    "owner",
    "platform",
    "client",
    "credentials",
    "outcome",
    "reason",
    "policy",
    "rule",
    "recorded_outcome",
    "shadow_together",
)
_SUMMARY = tuple(column for column in signins.c if column.name not in {"facts", "decision", "digest"})


@dataclass(frozen=True, slots=True)
class SigninRecord:
    """One row; `facts` are the completed facts, `decision` the whole decision, both as JSON."""

    id: str
    reference: str
    at: datetime
    columns: Mapping[str, Any]
    digest: str = ""
    facts: Mapping[str, Any] = field(default_factory=dict)
    decision: Mapping[str, Any] = field(default_factory=dict)
    seq: int = 0


@dataclass(frozen=True, slots=True)
class Query:
    """What to list: one value a column, a time window, and where to go on."""

    equal: Mapping[str, str] = field(default_factory=dict)
    certain: bool | None = None
    since: datetime | None = None
    until: datetime | None = None
    before: tuple[int, int] | None = None
    limit: int = 50


class SigninStore:
    """Adds sign-ins, and lists and counts them."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def add(self, records: Sequence[SigninRecord]) -> tuple[int, int, list[str]]:
        """Add records in one commit.

        Returns
        -------
        tuple
            How many were added, how many were there already, and the ids that were there with other content.
        """
        with self._database.write() as connection:
            ids = [record.id for record in records]
            present: dict[str, str] = {}
            for start in range(0, len(ids), 500):
                batch = ids[start : start + 500]
                rows = connection.execute(select(signins.c.id, signins.c.digest).where(signins.c.id.in_(batch)))
                present.update((row.id, row.digest) for row in rows)
            fresh: dict[str, SigninRecord] = {}
            conflicting: list[str] = []
            for record in records:
                known = present.get(record.id) or (fresh[record.id].digest if record.id in fresh else None)
                if known is None:
                    fresh[record.id] = record
                elif known != record.digest:
                    conflicting.append(record.id)
            if fresh:
                connection.execute(insert(signins), [_row(record) for record in fresh.values()])
        return len(fresh), len(records) - len(fresh) - len(conflicting), conflicting

    def get(self, id: str) -> SigninRecord | None:
        """Return a sign-in by its id, or by the reference that a person quotes."""
        quoted = id.strip().upper().replace("-", "").replace("O", "0").replace("I", "1").replace("L", "1")
        spelled = f"{quoted[:5]}-{quoted[5:]}"
        with self._database.read() as connection:
            row = connection.execute(select(signins).where(signins.c.id == id)).first()
            if row is None:
                row = connection.execute(
                    select(signins).where(signins.c.reference == spelled).order_by(signins.c.at.desc())
                ).first()
        return _record(row) if row is not None else None

    def page(self, query: Query) -> list[SigninRecord]:
        """Return sign-ins, newest first."""
        wanted = select(*_SUMMARY).where(*_conditions(query))
        if query.before is not None:
            wanted = wanted.where(tuple_(signins.c.at, signins.c.seq) < query.before)
        wanted = wanted.order_by(signins.c.at.desc(), signins.c.seq.desc()).limit(query.limit)
        with self._database.read() as connection:
            return [_record(row) for row in connection.execute(wanted)]

    def facts_reported(self, newest: int = 500) -> set[str]:
        """Return the names of all facts that the newest sign-ins carry."""
        wanted = select(signins.c.facts).order_by(signins.c.at.desc()).limit(newest)
        found: set[str] = set()
        with self._database.read() as connection:
            for (facts,) in connection.execute(wanted):
                found.update(json.loads(facts)["values"])
        return found

    def per_day(self, query: Query) -> list[tuple[int, str, int]]:
        """Return how many sign-ins match, by day (days since 1970) and outcome."""
        day = signins.c.at // 86_400_000_000
        wanted = (
            select(day, signins.c.outcome, func.count())
            .where(*_conditions(query))
            .group_by(day, signins.c.outcome)
            .order_by(day)
        )
        with self._database.read() as connection:
            return [(row[0], row[1], row[2]) for row in connection.execute(wanted)]


def _conditions(query: Query) -> list[ColumnElement[bool]]:
    found: list[ColumnElement[bool]] = []
    for name, value in query.equal.items():
        column = signins.c[name]
        # Several values of one column are alternatives: outcome=blocked,challenged.
        values = value.split(",")
        found.append(or_(*(column == v for v in values)))
    if query.certain is not None:
        found.append(signins.c.certain == query.certain)
    if query.since is not None:
        found.append(signins.c.at >= to_stored(query.since))
    if query.until is not None:
        found.append(signins.c.at < to_stored(query.until))
    return found


def _row(record: SigninRecord) -> dict[str, Any]:
    return {
        "id": record.id,
        "reference": record.reference,
        "digest": record.digest,
        "at": to_stored(record.at),
        "facts": json.dumps(record.facts, ensure_ascii=False, separators=(",", ":")),
        "decision": json.dumps(record.decision, ensure_ascii=False, separators=(",", ":")),
        **record.columns,
    }


def _record(row: Row[Any]) -> SigninRecord:
    values = dict(row._mapping)  # noqa: SLF001 - SQLAlchemy's public name for it
    facts, decision = values.pop("facts", None), values.pop("decision", None)
    return SigninRecord(
        values.pop("id"),
        values.pop("reference"),
        from_stored(values.pop("at")),
        {name: values[name] for name in values if name not in {"seq", "digest"}},
        values.get("digest", ""),
        json.loads(facts) if facts else {},
        json.loads(decision) if decision else {},
        values["seq"],
    )
