"""The sign-in log: what another system recorded, and what Caddrel decides about it."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from itertools import islice
from typing import Any

import msgspec
from sqlalchemy import ColumnElement, Connection, Row, delete, func, or_, select, tuple_, update
from sqlalchemy.dialects.sqlite import insert

from caddrel.core.language.nodes import Condition
from caddrel.core.logs.causes import Cause
from caddrel.core.signals.history import Past
from caddrel.store.engine import Database
from caddrel.store.filters import to_sql
from caddrel.store.moments import from_stored, to_stored
from caddrel.store.tables import causes, due, signins

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
    "cause",
)
_COLUMNS = tuple(column.name for column in signins.c if column.name != "seq")
_INSERT = f"INSERT INTO signins ({', '.join(_COLUMNS)}) VALUES ({', '.join('?' * len(_COLUMNS))})"  # noqa: S608 - names of our own table
# So that other writers need not wait for long.
FORGET_AT_ONCE = 5_000
_PAST = (
    *("at", "id", "let_in", "credentials", "device", "country", "city", "asn", "client_name"),
    *("latitude", "longitude"),
)
# What a list does not carry.
_INNER = {"facts", "decision", "digest", "city", "asn", "client_name", "latitude", "longitude", "let_in", "cause"}
_SUMMARY = tuple(column for column in signins.c if column.name not in _INNER)


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
    cause: Cause | None = None
    cause_key: str | None = None


@dataclass(frozen=True, slots=True)
class Query:
    """What to list: one value a column, a time window, and where to go on.

    `conditions` are such as SQL can ask; `matches` tells the rest of a whole record.
    """

    equal: Mapping[str, str] = field(default_factory=dict)
    certain: bool | None = None
    since: datetime | None = None
    until: datetime | None = None
    before: tuple[int, int] | None = None
    limit: int = 50
    conditions: tuple[Condition, ...] = ()
    matches: Callable[[SigninRecord], bool] | None = None


class SigninStore:
    """Adds sign-ins, and lists and counts them."""

    def __init__(self, database: Database) -> None:
        self._database = database

    def present(self, ids: Sequence[str]) -> dict[str, str]:
        """Return which of the ids are there already, each with the digest of its content."""
        found: dict[str, str] = {}
        with self._database.read() as connection:
            for start in range(0, len(ids), 500):
                batch = ids[start : start + 500]
                rows = connection.execute(select(signins.c.id, signins.c.digest).where(signins.c.id.in_(batch)))
                found.update((row.id, row.digest) for row in rows)
        return found

    def add(self, records: Sequence[SigninRecord], late: Mapping[str, datetime]) -> None:
        """Add records in one commit.

        Parameters
        ----------
        late
            People with the moment from which their signals are to be worked out again, kept until that is done.
        """
        with self._database.write() as connection:
            if records:
                _add_causes(connection, records)
                # Written out: SQLAlchemy's own way binds every row anew, which takes longer than storing it.
                connection.exec_driver_sql(_INSERT, [tuple(map(_row(r).get, _COLUMNS)) for r in records])
            for person, since in late.items():
                adding = insert(due).values(person=person, since=to_stored(since))
                earliest = func.min(due.c.since, adding.excluded.since)
                connection.execute(adding.on_conflict_do_update(index_elements=["person"], set_={"since": earliest}))

    def forget(self, before: datetime, dry_run: bool) -> int:
        """Return how many records are older than a moment; takes them out, in pieces, unless it is a dry run."""
        old = signins.c.at < to_stored(before)
        with self._database.read() as connection:
            count = int(connection.execute(select(func.count()).where(old).select_from(signins)).scalar_one())
        while not dry_run:
            piece = select(signins.c.seq).where(old).limit(FORGET_AT_ONCE)
            with self._database.write() as connection:
                if not connection.execute(delete(signins).where(signins.c.seq.in_(piece))).rowcount:
                    unused = causes.c.key.not_in(select(signins.c.cause).where(signins.c.cause.is_not(None)))
                    connection.execute(delete(causes).where(unused))
                    break
        return count

    def due(self) -> list[tuple[str, datetime]]:
        """Return the people whose signals are to be worked out again, and from which moment on."""
        with self._database.read() as connection:
            return [(row.person, from_stored(row.since)) for row in connection.execute(select(due))]

    def settle(self, person: str, since: datetime, changed: Sequence[SigninRecord]) -> None:
        """Store what has changed in a person's records; nothing is due for them any more, unless from earlier on."""
        with self._database.write() as connection:
            _add_causes(connection, changed)
            for record in changed:
                row = _row(record)
                connection.execute(update(signins).where(signins.c.id == row["id"]).values(row))
            done = (due.c.person == person) & (due.c.since >= to_stored(since))
            connection.execute(delete(due).where(done))

    def pasts(self, person: str, before: datetime | None = None) -> Iterator[Past]:
        """Yield a person's attempts, newest first; with `before` only those before that moment."""
        columns = signins.c
        wanted = select(*(columns[name] for name in _PAST)).where(columns.person == person)
        if before is not None:
            wanted = wanted.where(columns.at < to_stored(before))
        wanted = wanted.order_by(columns.at.desc(), columns.id.desc())
        with self._database.read() as connection:
            for row in connection.execute(wanted):
                coordinates = None if row[9] is None or row[10] is None else (row[9], row[10])
                yield Past._make((from_stored(row[0]), *row[1:9], coordinates))

    def wrong(self, person: str, since: datetime, until: datetime) -> list[datetime]:
        """Return the moments of a person's attempts with wrong credentials, both ends included."""
        wanted = select(signins.c.at).where(
            signins.c.person == person,
            signins.c.credentials == "wrong",
            signins.c.at.between(to_stored(since), to_stored(until)),
        )
        with self._database.read() as connection:
            return [from_stored(row.at) for row in connection.execute(wanted)]

    def of_person(self, person: str, since: datetime) -> Iterator[SigninRecord]:
        """Yield a person's records from a moment on, in order of time."""
        wanted = (
            select(signins)
            .where(signins.c.person == person, signins.c.at >= to_stored(since))
            .order_by(signins.c.at, signins.c.id)
        )
        with self._database.read() as connection:
            for row in connection.execute(wanted):
                yield record_of(row)

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
        return record_of(row) if row is not None else None

    def page(self, query: Query) -> list[SigninRecord]:
        """Return sign-ins, newest first."""
        columns = _SUMMARY if query.matches is None else tuple(signins.c)
        wanted = select(*columns).where(*conditions_of(query))
        if query.before is not None:
            wanted = wanted.where(tuple_(signins.c.at, signins.c.seq) < query.before)
        wanted = wanted.order_by(signins.c.at.desc(), signins.c.seq.desc())
        with self._database.read() as connection:
            if query.matches is None:
                return [record_of(row) for row in connection.execute(wanted.limit(query.limit))]
            # Read as they come, so that a full page ends the reading.
            streaming = connection.execution_options(yield_per=200)
            matching = filter(query.matches, (record_of(row) for row in streaming.execute(wanted)))
            return list(islice(matching, query.limit))

    def every(self, query: Query) -> Iterator[SigninRecord]:
        """Yield every matching record with its facts, newest first."""
        wanted = select(signins).where(*conditions_of(query)).order_by(signins.c.at.desc(), signins.c.seq.desc())
        with self._database.read() as connection:
            streaming = connection.execution_options(yield_per=500)
            for row in streaming.execute(wanted):
                record = record_of(row)
                if query.matches is None or query.matches(record):
                    yield record

    def around(self, record: SigninRecord, count: int) -> list[SigninRecord]:
        """Return the person's sign-ins before and after one, at most so many each, in order of time; itself too."""
        person = record.columns.get("person")
        if person is None:
            return [record]
        at = to_stored(record.at)
        columns = signins.c
        mine = select(*_SUMMARY).where(columns.person == person)
        earlier = mine.where(columns.at <= at, columns.id != record.id).order_by(columns.at.desc()).limit(count)
        later = mine.where(columns.at > at).order_by(columns.at).limit(count)
        with self._database.read() as connection:
            before = [record_of(row) for row in connection.execute(earlier)]
            return [*reversed(before), record, *(record_of(row) for row in connection.execute(later))]

    def facts_reported(self, newest: int = 500) -> set[str]:
        """Return the names of all facts that the newest sign-ins carry."""
        wanted = select(signins.c.facts).order_by(signins.c.at.desc()).limit(newest)
        found: set[str] = set()
        with self._database.read() as connection:
            for (facts,) in connection.execute(wanted):
                found.update(msgspec.json.decode(facts)["values"])
        return found

    def per_day(self, query: Query) -> list[tuple[int, str, int]]:
        """Return how many sign-ins match, by day (days since 1970) and outcome."""
        if query.matches is not None:
            return self._judged_per_day(query)
        day = signins.c.at // 86_400_000_000
        wanted = (
            select(day, signins.c.outcome, func.count())
            .where(*conditions_of(query))
            .group_by(day, signins.c.outcome)
            .order_by(day)
        )
        with self._database.read() as connection:
            return [(row[0], row[1], row[2]) for row in connection.execute(wanted)]

    def _judged_per_day(self, query: Query) -> list[tuple[int, str, int]]:
        found: Counter[tuple[int, str]] = Counter()
        assert query.matches is not None
        with self._database.read() as connection:
            streaming = connection.execution_options(yield_per=1000)
            for row in streaming.execute(select(signins).where(*conditions_of(query))):
                if query.matches(record_of(row)):
                    found[row.at // 86_400_000_000, row.outcome] += 1
        return [(day, outcome, count) for (day, outcome), count in sorted(found.items())]


def _add_causes(connection: Connection, records: Sequence[SigninRecord]) -> None:
    fresh = {r.cause.key: r.cause for r in records if r.cause is not None}
    if fresh:
        rows = [
            {"key": key, "document": json.dumps(cause.document, ensure_ascii=False)} for key, cause in fresh.items()
        ]
        connection.execute(insert(causes).on_conflict_do_nothing(), rows)


def conditions_of(query: Query) -> list[ColumnElement[bool]]:
    """Return what a query asks, as SQL; what `matches` tells is not among it."""
    found: list[ColumnElement[bool]] = []
    for name, value in query.equal.items():
        column = signins.c[name]
        # Several values of one column are alternatives: outcome=blocked,challenged.
        values = value.split(",")
        found.append(or_(*(column == v for v in values)))
    for condition in query.conditions:
        asked = to_sql(condition)
        if asked is not None:
            found.append(asked)
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
        "facts": msgspec.json.encode(record.facts).decode(),
        "decision": msgspec.json.encode(record.decision).decode(),
        **record.columns,
    }


def record_of(row: Row[Any]) -> SigninRecord:
    """Return a row of the log as a record."""
    values = dict(row._mapping)  # noqa: SLF001 - SQLAlchemy's public name for it
    facts, decision = values.pop("facts", None), values.pop("decision", None)
    return SigninRecord(
        values.pop("id"),
        values.pop("reference"),
        from_stored(values.pop("at")),
        {name: values[name] for name in values if name != "seq" and name not in _INNER},
        values.get("digest", ""),
        msgspec.json.decode(facts) if facts else {},
        msgspec.json.decode(decision) if decision else {},
        values["seq"],
        cause_key=values.get("cause"),
    )
