"""The sign-in log: what another system recorded, and what Caddrel decides about it."""

from __future__ import annotations

import json
import threading
import uuid
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

import msgspec
from sqlalchemy import Connection, Row, Select, delete, func, select, tuple_, update

from caddrel.core.columnar.fact_groups import GROUPS, join
from caddrel.core.logs.causes import Cause
from caddrel.core.logs.references import read_reference, spelled, with_reference
from caddrel.core.signals.history import Past
from caddrel.store.bulk_insert import insert_many
from caddrel.store.dictionary import COLUMNS, Dictionary, Documents
from caddrel.store.door_sessions import DoorSession, put_sessions
from caddrel.store.engine import Database, driver
from caddrel.store.filters import bundled, fact_value
from caddrel.store.imports import came_with, some_of
from caddrel.store.log_seal import LogSeal, LogVerdict
from caddrel.store.log_tables import COLUMNS_SEALED, bundles, causes, days, decisions, due, records, signins
from caddrel.store.moments import from_stored, to_stored
from caddrel.store.new_signins import NewSignin, NewSignins
from caddrel.store.queries import SHOWN, Query, conditions_of, newest_first, of_few
from caddrel.store.signin_columns import SigninColumns
from caddrel.store.stretches import BITS, mark_stretches, walking, within

DAY = 86_400_000_000
# So that other writers need not wait for long.
FORGET_AT_ONCE = 5_000
READ_AT_ONCE = 500
PASTS_AT_ONCE = 64


@dataclass(frozen=True, slots=True)
class SigninRecord:
    """One record of the log; `facts` are the completed facts, `decision` the whole decision, both as JSON."""

    id: str
    reference: str
    at: datetime
    columns: Mapping[str, Any]
    facts: Mapping[str, Any] = field(default_factory=dict)
    decision: Mapping[str, Any] = field(default_factory=dict)
    seq: int = 0
    cause: str | None = None


class SigninStore:
    """Adds sign-ins, and lists and counts them."""

    def __init__(self, database: Database, seal: LogSeal) -> None:
        self._database = database
        # The same records, column by column.
        self.columns = SigninColumns(database)
        self._seal = seal
        self._process = uuid.uuid4().hex
        self._dictionary = Dictionary(seal.of_document)
        self._lock = threading.Lock()

    def present(self, ids: Sequence[str]) -> dict[str, bytes]:
        """Return which of the ids are there already, each with the digest of its content."""
        # All in one value: a statement with a mark for each takes longer to make than to answer.
        with self._database.read() as connection:
            return {row[0]: row[1] for row in connection.exec_driver_sql(_PRESENT, (json.dumps(ids),))}

    def add(
        self,
        new: NewSignins,
        late: Mapping[str, datetime],
        sessions: Iterable[DoorSession] = (),
        of_import: int | None = None,
    ) -> None:
        """Add records in one commit.

        Parameters
        ----------
        late
            People with the moment from which their signals are to be worked out again, kept until that is done.
        sessions
            What becomes of sessions of doors by these.
        of_import
            The number of the import that they come with, None of live ones.
        """
        moments = list(map(to_stored, new["at"]))
        with self._writing() as connection:
            last = int(driver(connection).execute(_LAST_NUMBER).fetchone()[0])
            if new:
                seqs = range(last + 1, last + 1 + len(new))
                rows = self._rows(connection, new)
                seals = self._sealed(new["id"], new["own"], moments, rows)
                own = [seqs, moments, *(new[name] for name in _RECORD[2:-1]), seals]
                insert_many(connection, "records", _RECORD, own)
                self._seal.change(connection, seals)
                insert_many(connection, "signins", _SIGNIN, [moments, seqs, *rows])
                _count(connection, Counter(zip([at // DAY for at in moments], rows[_OUTCOME], strict=True)))
                if of_import is not None:
                    came_with(connection, of_import, seqs, moments)
            mark_stretches(connection, moments)
            put_sessions(connection, sessions)
            _add_causes(connection, new["cause"])
            _add_due(connection, {person: to_stored(since) for person, since in late.items()})

    def _sealed(
        self, ids: Sequence[str], own: Sequence[str], at: Sequence[int], rows: Sequence[Sequence[Any]]
    ) -> list[bytes]:
        """Return the seals of records; `rows` are the columns of the table from the third on."""
        return self._seal.of_records(ids, own, [at, *(rows[place] for place in _SEALED)])

    def settle(self) -> None:
        """Work as `Database.settle` does."""
        self._database.settle()

    def head(self) -> tuple[int, str]:
        """Return how often the log was changed, and the seal of what it is now."""
        return self._seal.head(self._database)

    def verify(self, least: int = 0) -> LogVerdict:
        """Return whether the log is as it was written; `least` as in `LogSeal.verify`."""
        return self._seal.verify(self._database, least)

    @contextmanager
    def _writing(self) -> Iterator[Connection]:
        committed = False
        # One at a time also in this process: what the dictionary remembers goes with the transaction.
        with self._lock:
            try:
                with self._database.write() as connection:
                    yield connection
                committed = True
            finally:
                self._dictionary.settled(committed)

    def _rows(self, connection: Connection, new: NewSignins) -> list[Sequence[Any]]:
        """Return the columns of the table from the third on."""
        shared, made = [new[name] for name in _SHARED], new["decided"]
        *bundled, decisions = self._dictionary.numbered(connection, shared, made)
        return [
            new["person"], new["app"], new["device"],
            *(list(map(numbers.__getitem__, some)) for numbers, some in zip(bundled, shared, strict=True)),
            new["state_age"], new["listed_for"], new["auth_age"],
            new["let_in"], [decision.outcome for decision in made], [decision.policy for decision in made],
            [None if cause is None else cause.key for cause in new["cause"]],
            [decisions[decision.document] for decision in made],
            new["revision"],
        ]  # fmt: skip

    def older(self, before: datetime) -> int:
        """Return how many records are older than a moment."""
        old = select(func.count()).select_from(signins).where(signins.c.at < to_stored(before))
        with self._database.read() as connection:
            return int(connection.execute(old).scalar_one())

    def forget(self, before: datetime) -> Iterator[int]:
        """Take out the records older than a moment, the oldest first; yields how many are gone after each commit."""
        old = signins.c.at < to_stored(before)
        oldest = select(signins.c.at, signins.c.seq).where(old).order_by(signins.c.at, signins.c.seq)
        while True:
            with self._database.write() as connection:
                found = connection.execute(oldest.limit(FORGET_AT_ONCE)).all()
                if not found:
                    return
                self._take_out(connection, [(row.at, row.seq) for row in found])
            self.columns.forget([row.at for row in found])
            yield len(found)

    def take_back(self, number: int, signals: bool) -> Iterator[int]:
        """Take out the records of an import; yields how many are gone after each commit.

        Parameters
        ----------
        signals
            Whether signals look back: of each person who had one of them, what came later is due then.
        """
        while True:
            with self._database.write() as connection:
                found = some_of(connection, number, FORGET_AT_ONCE)
                if not found:
                    return
                gone = self._take_out(connection, found)
                if signals:
                    _add_due(connection, gone)
            self.columns.forget([at for at, _ in found])
            yield len(found)

    def _take_out(self, connection: Connection, found: Sequence[tuple[int, int]]) -> dict[str, int]:
        """Take out records by moment and number; return whose they were, each with the earliest moment."""
        # One by one: each is found by the key of the table.
        rows = [connection.exec_driver_sql(_GONE, place).one() for place in found]
        counts = Counter((row.at // DAY, row.outcome) for row in rows)
        _count(connection, {key: -count for key, count in counts.items()})
        listed = func.json_each(json.dumps([seq for _, seq in found])).table_valued("value")
        mine = records.c.seq.in_(select(listed.c.value))
        self._seal.change(connection, (), connection.execute(select(records.c.mac).where(mine)).scalars().all())
        connection.execute(delete(records).where(mine))
        connection.exec_driver_sql("DELETE FROM signins WHERE at = ? AND seq = ?", list(found))
        mark_stretches(connection, [at for at, _ in found])
        whose: dict[str, int] = {}
        for row in rows:
            if row.person is not None:
                whose[row.person] = min(row.at, whose.get(row.person, row.at))
        return whose

    def forget_unused(self) -> None:
        """Take out what no record names any more: days, causes, facts and decisions."""
        with self._writing() as connection:
            connection.execute(delete(days).where(days.c.count <= 0))
            unused = causes.c.key.not_in(select(signins.c.cause).where(signins.c.cause.is_not(None)))
            connection.execute(delete(causes).where(unused))
            self._dictionary.forget(connection)

    def due(self) -> list[tuple[str, datetime]]:
        """Return the people whose signals are to be worked out again, and from which moment on."""
        with self._database.read() as connection:
            return [(row.person, from_stored(row.since)) for row in connection.execute(select(due))]

    def replace(self, changed: Sequence[tuple[SigninRecord, NewSignin]]) -> None:
        """Store what has changed in records; those that were taken out meanwhile stay out.

        Parameters
        ----------
        changed
            Records as they are stored, and as they are to be; of the latter id, moment and digest do not count.
        """
        with self._writing() as connection:
            listed = func.json_each(json.dumps([old.seq for old, _ in changed])).table_valued("value")
            present = select(records.c.seq).where(records.c.seq.in_(select(listed.c.value)))
            there = set(connection.execute(present).scalars())
            changed = [each for each in changed if each[0].seq in there]
            _add_causes(connection, (new.cause for _, new in changed))
            columns = self._rows(connection, NewSignins(new for _, new in changed))
            moments = [to_stored(old.at) for old, _ in changed]
            seals = self._sealed([old.id for old, _ in changed], [new.own for _, new in changed], moments, columns)
            before = select(records.c.mac).where(records.c.seq.in_(select(listed.c.value)))
            self._seal.change(connection, seals, connection.execute(before).scalars().all())
            seqs = [old.seq for old, _ in changed]
            if changed:
                own = zip((new.own for _, new in changed), seals, seqs, strict=True)
                connection.exec_driver_sql("UPDATE records SET own = ?, mac = ? WHERE seq = ?", list(own))
                connection.exec_driver_sql(_CHANGE, list(zip(*columns, moments, seqs, strict=True)))
                mark_stretches(connection, moments)
            moved: Counter[tuple[int, str]] = Counter()
            for at, (old, new) in zip(moments, changed, strict=True):
                moved[at // DAY, old.columns["outcome"]] -= 1
                moved[at // DAY, new.decided.outcome] += 1
            _count(connection, moved)

    def still_due(
        self, person: str, since: datetime, seen: int, through: datetime | None, left: datetime | None
    ) -> datetime | None:
        """Say how far a person's records have been worked out again; return from which moment on they still are to be.

        Parameters
        ----------
        since
            From which moment on they were due; what is due from an earlier one stays so.
        seen
            The newest record when that began, of anybody: later ones have not been looked at.
        through
            Later ones are due when they are no later than this; None has all of them due.
        left
            What has not been looked at begins here, None when everything has.
        """
        with self._database.write() as connection:
            until = _EVER if through is None else to_stored(through)
            came = connection.exec_driver_sql(_CAME, (seen, person, until)).scalar()
            found = [moment for moment in (came, None if left is None else to_stored(left)) if moment is not None]
            mine = (due.c.person == person) & (due.c.since >= to_stored(since))
            if found:
                connection.execute(update(due).where(mine).values(since=min(found)))
            else:
                connection.execute(delete(due).where(mine))
            return from_stored(min(found)) if found else None

    def revisions_of(self, person: str, since: datetime) -> set[int]:
        """Return the revisions that a person's attempts from a moment on were decided under."""
        with self._database.read() as connection:
            return set(connection.exec_driver_sql(_UNDER, (person, at := to_stored(since), at >> BITS)).scalars())

    def pasts(self, person: str, before: datetime | None = None) -> Iterator[Past]:
        """Yield a person's attempts, newest first; with `before` only those before that moment."""
        until = to_stored(before) if before is not None else _EVER
        # Asked for everybody who comes for the first time: most have few, and many none.
        if not (newest := self._database.first(_PASTS, (person, until, until >> BITS), PASTS_AT_ONCE)):
            return
        with self._database.read() as connection:
            if len(newest) < PASTS_AT_ONCE:
                yield from self._pasts_of(connection, newest)
                return
            found = connection.exec_driver_sql(_PASTS, (person, until, until >> BITS))
            while rows := found.fetchmany(PASTS_AT_ONCE):
                yield from self._pasts_of(connection, rows)

    def _pasts_of(self, connection: Connection, rows: Sequence[Any]) -> Iterator[Past]:
        named = [("network", row[4]) for row in rows] + [("attempt", row[5]) for row in rows]
        documents = self._dictionary.load_bundles(connection, named)
        for row in rows:
            yield self._past(row, documents)

    def _past(self, row: Any, documents: Documents) -> Past:
        at, id, let_in, device, network_facts, attempt_facts = row
        network, attempt = documents["network", network_facts], documents["attempt", attempt_facts]
        coordinates = network.get("coordinates")
        return Past(
            from_stored(at), id, bool(let_in), _value(attempt, "auth.credentials"), _value(attempt, "client.name"),
            device, _value(network, "network.country"), _value(network, "network.city"), _value(network, "network.asn"),
            (coordinates[0], coordinates[1]) if coordinates else None,
        )  # fmt: skip

    def wrong(self, person: str, since: datetime, until: datetime) -> list[datetime]:
        """Return the moments of a person's attempts with wrong credentials, both ends included."""
        first, last = to_stored(since), to_stored(until)
        wanted = select(signins.c.at).where(
            within(first, last),
            signins.c.person == person,
            signins.c.at.between(first, last),
            bundled("attempt", fact_value("auth.credentials") == "wrong"),
        )
        with self._database.read() as connection:
            return [from_stored(row.at) for row in connection.execute(wanted)]

    def otherwise_in_shadow(self, since: datetime) -> Iterator[Any]:
        """Yield how often shadow policies together would have made something else of sign-ins, since a moment.

        Rows of `day` (since 1970), `decision`, `outcome`, `person` and `count`.
        """
        day = (signins.c.at // DAY).label("day")
        columns = (day, signins.c.decision, signins.c.outcome, signins.c.person)
        wanted = (
            select(*columns, func.count().label("count"))
            .join_from(signins, decisions, decisions.c.number == signins.c.decision)
            .where(signins.c.at >= to_stored(since), decisions.c.shadow != decisions.c.outcome)
            .group_by(*columns)
        )
        with self._database.read() as connection:
            yield from connection.execute(wanted)

    def documents(self, kind: str, numbers: Iterable[int]) -> dict[int, Any]:
        """Return bundles of a kind by their numbers, as JSON; of decisions the documents."""
        with self._database.read() as connection:
            if kind == "decision":
                found = self._dictionary.load_decisions(connection, numbers)
            else:
                found = self._dictionary.load_bundles(connection, ((kind, number) for number in numbers))
            return {number: document for (_, number), document in found.items()}

    def bundle_texts(self, numbers: Iterable[int]) -> dict[int, str]:
        """Return bundles of facts by their numbers, as they are written."""
        wanted = sorted(numbers)
        found: dict[int, str] = {}
        with self._database.read() as connection:
            for start in range(0, len(wanted), READ_AT_ONCE):
                some = (json.dumps(wanted[start : start + READ_AT_ONCE]),)
                found.update((row[0], row[1]) for row in connection.exec_driver_sql(_BUNDLES, some))
        return found

    def not_understood(self, after: int) -> Iterator[tuple[str, int, Mapping[str, Any]]]:
        """Yield kind and number of the bundles of facts that hold what is on no list, and what that is.

        Parameters
        ----------
        after
            Only bundles with a greater number.
        """
        wanted = select(bundles).where(bundles.c.number > after, bundles.c.document.contains('"not_understood"'))
        with self._database.read() as connection:
            for row in connection.execute(wanted.order_by(bundles.c.number)):
                said = msgspec.json.decode(row.document).get("not_understood")
                if said:
                    yield row.kind, row.number, said

    def naming(self, wanted: Iterable[tuple[str, int]]) -> dict[tuple[str, int], int]:
        """Return how many sign-ins name each of some bundles, given by kind and number."""
        found: dict[tuple[str, int], int] = {}
        by_kind: dict[str, list[int]] = {}
        for kind, number in wanted:
            by_kind.setdefault(kind, []).append(number)
        with self._database.read() as connection:
            for kind, numbers in by_kind.items():
                column = signins.c[COLUMNS[kind]]
                listed = func.json_each(json.dumps(numbers)).table_valued("value")
                mine = select(column, func.count()).where(column.in_(select(listed.c.value))).group_by(column)
                found.update({(kind, number): count for number, count in connection.execute(mine)})
        return found

    def of_person(self, person: str, since: datetime) -> Iterator[SigninRecord]:
        """Yield a person's records from a moment on, in order of time."""
        wanted = (
            select(signins, records.c.id)
            .join(records, records.c.seq == signins.c.seq)
            .where(within(to_stored(since)), signins.c.person == person, signins.c.at >= to_stored(since))
            .order_by(signins.c.at, records.c.id)
        )
        with self._database.read() as connection:
            yield from self._each(connection, wanted, whole=True)

    def get(self, id: str) -> SigninRecord | None:
        """Return a sign-in by its id, or by the reference that a person quotes."""
        reference = read_reference(id)
        with self._database.read() as connection:
            found = connection.exec_driver_sql("SELECT at, seq FROM records WHERE id = ?", (id,)).first()
            if found is None and reference is not None:
                found = connection.exec_driver_sql(_REFERENCED, (reference,)).first()
            if found is None:
                return None
            mine = select(signins).where(signins.c.at == found.at, signins.c.seq == found.seq)
            return next(self._each(connection, mine, whole=True))

    def newest(self) -> int:
        """Return the number of the record that was added last, 0 before the first."""
        with self._database.read() as connection:
            return int(connection.exec_driver_sql("SELECT coalesce(max(seq), 0) FROM records").scalar_one())

    def version(self) -> str:
        """Return a text that is another after each change of the log, and in each process."""
        return f"{self._process}-{self._database.changes()}"

    def page(self, query: Query) -> list[SigninRecord]:
        """Return sign-ins, newest first."""
        with self._database.read() as connection:
            wanted = newest_first(query).where(*conditions_of(query, connection))
            if query.before is not None:
                wanted = wanted.where(tuple_(signins.c.at, signins.c.seq) < query.before)
            return list(self._each(connection, wanted.limit(query.limit), whole=False))

    def every(self, query: Query) -> Iterator[SigninRecord]:
        """Yield every matching record with its facts, newest first."""
        with self._database.read() as connection:
            wanted = newest_first(query).where(*conditions_of(query, connection))
            yield from self._each(connection, wanted, whole=True)

    def around(self, record: SigninRecord, count: int) -> list[SigninRecord]:
        """Return the person's sign-ins before and after one, at most so many each, in order of time; itself too."""
        person = record.columns.get("person")
        if person is None:
            return [record]
        here = (to_stored(record.at), record.seq)
        place = tuple_(signins.c.at, signins.c.seq)
        mine = select(signins).where(signins.c.person == person)
        earlier = walking(mine.where(place < here), until=here[0]).limit(count)
        later = walking(mine.where(place > here), since=here[0], newest_first=False).limit(count)
        with self._database.read() as connection:
            before = list(self._each(connection, earlier, whole=False))
            return [*reversed(before), record, *self._each(connection, later, whole=False)]

    def facts_reported(self, newest: int = READ_AT_ONCE) -> set[str]:
        """Return the names of all facts that the newest sign-ins carry."""
        wanted = select(signins).order_by(signins.c.at.desc(), signins.c.seq.desc()).limit(newest)
        found: set[str] = set()
        with self._database.read() as connection:
            for record in self._each(connection, wanted, whole=True):
                found.update(record.facts["values"])
        return found

    def per_day(self, query: Query) -> list[tuple[int, str, int]]:
        """Return how many sign-ins match, by day (days since 1970) and outcome."""
        everything = not (query.equal or query.conditions or query.certain is not None)
        since = None if query.since is None else to_stored(query.since)
        until = None if query.until is None else to_stored(query.until)
        counts: Counter[tuple[int, str]] = Counter()
        with self._database.read() as connection:
            kept: dict[int, dict[str, int]] = {}
            for row in connection.execute(select(days).where(days.c.count > 0)):
                kept.setdefault(row.day, {})[row.outcome] = row[2]
            asked = conditions_of(query, connection)
            for day, found in sorted(kept.items()):
                start, end = day * DAY, (day + 1) * DAY
                if (since is not None and end <= since) or (until is not None and start >= until):
                    continue
                whole = (since is None or start >= since) and (until is None or end <= until)
                if everything and whole:
                    counts.update({(day, outcome): count for outcome, count in found.items()})
                    continue
                # A day at a time: that needs no sorting.
                mine = (signins.c.at >= start) & (signins.c.at < end)
                if of_few(query):
                    mine &= signins.c.stretch.in_(range(start >> BITS, (end >> BITS) + 1))
                one = select(signins.c.outcome, func.count()).where(mine, *asked).group_by(signins.c.outcome)
                counts.update({(day, outcome): count for outcome, count in connection.execute(one)})
        return [(day, outcome, count) for (day, outcome), count in sorted(counts.items())]

    def _each(self, connection: Connection, wanted: Select[Any], whole: bool) -> Iterator[SigninRecord]:
        """Yield the records of some rows; what they name is read for many at once."""
        for rows in connection.execute(wanted).partitions(READ_AT_ONCE):
            documents = self._dictionary.load(connection, rows)
            own = records.c.own if whole else records.c.seq
            listed = [row.seq for row in rows]
            mine = select(records.c.seq, records.c.id, records.c.reference, own).where(records.c.seq.in_(listed))
            found = {row[0]: row for row in connection.execute(mine)}
            for row in rows:
                yield self._record(row, found[row.seq], documents, whole)

    def _record(self, row: Row[Any], mine: Any, documents: Documents, whole: bool) -> SigninRecord:
        shared = {kind: documents[kind, getattr(row, column)] for kind, column in COLUMNS.items()}
        made, document = documents["decision", row.decision]
        recorded = shared["recorded"]
        columns = {
            "person": row.person,
            "app": row.app,
            "device": row.device,
            **{name: _shown(shared[group], fact) for name, (group, fact) in SHOWN.items()},
            "recorded_outcome": recorded.get("outcome"),
            "recorded_reason": recorded.get("reason"),
            "outcome": made.outcome,
            "reason": made.reason,
            "certain": made.certain,
            "policy": made.policy,
            "rule": made.rule,
            "shadow_together": made.shadow,
            "revision": row.revision,
        }
        reference = spelled(mine.reference)
        facts: dict[str, Any] = {}
        decision: dict[str, Any] = {}
        if whole:
            facts = join(msgspec.json.decode(mine.own), [shared[group] for group in GROUPS], reference)
            decision = {**with_reference(document, reference), "revision": row.revision}
        return SigninRecord(mine.id, reference, from_stored(row.at), columns, facts, decision, row.seq, row.cause)


# The earliest of a person's records that were added since: they are few, so they come first in the join.
_CAME = (
    "SELECT min(s.at) FROM records r CROSS JOIN signins s ON s.at = r.at AND s.seq = r.seq"
    " WHERE r.seq > ? AND s.person = ? AND s.at <= ?"
)
# Written out: it is asked for every person of an import.
_PASTS = (
    "SELECT s.at, r.id, s.let_in, s.device, s.network_facts, s.attempt_facts "
    "FROM stretches t CROSS JOIN signins s ON s.stretch = t.number CROSS JOIN records r ON r.seq = s.seq "
    "WHERE s.person = ? AND s.at < ? AND t.number <= ? ORDER BY t.number DESC, s.at DESC, r.id DESC"
)
_UNDER = (
    "SELECT DISTINCT s.revision FROM stretches t CROSS JOIN signins s ON s.stretch = t.number "
    "WHERE s.person = ? AND s.at >= ? AND t.number >= ?"
)
_REFERENCED = (
    "WITH blocks AS (SELECT 0 AS number UNION ALL "
    "SELECT number + 1 FROM blocks WHERE number < (SELECT max(seq) >> 16 FROM records)) "
    "SELECT at, seq FROM blocks CROSS JOIN records ON block = number WHERE reference = ? ORDER BY at DESC LIMIT 1"
)
_BUNDLES = "SELECT number, document FROM bundles WHERE number IN (SELECT value FROM json_each(?))"
_PRESENT = "SELECT id, digest FROM records WHERE id IN (SELECT value FROM json_each(?))"
# Taken back or forgotten, the number of an import's record is not given to another: it would go with the import then.
_LAST_NUMBER = (
    "SELECT max(coalesce((SELECT max(seq) FROM records), 0), coalesce((SELECT max(last) FROM import_ranges), 0))"
)
_GONE = "SELECT at, outcome, person FROM signins WHERE at = ? AND seq = ?"
_EVER = 1 << 62
_RECORD = ("seq", "at", "id", "reference", "digest", "own", "mac")
_SIGNIN = ("at", "seq", *(c.name for c in signins.c if c.name not in {"at", "seq"} and c.computed is None))
_CHANGE = f"UPDATE signins SET {', '.join(f'{name} = ?' for name in _SIGNIN[2:])} WHERE at = ? AND seq = ?"  # noqa: S608 - names of columns
_OUTCOME = _SIGNIN.index("outcome") - 2
_SEALED = [_SIGNIN.index(name) - 2 for name in COLUMNS_SEALED[1:]]
_SHARED = tuple(COLUMNS.values())
_COUNT = (
    "INSERT INTO days (day, outcome, count) VALUES (?, ?, ?) "
    "ON CONFLICT (day, outcome) DO UPDATE SET count = count + excluded.count"
)
_DUE = "INSERT INTO due VALUES (?, ?) ON CONFLICT (person) DO UPDATE SET since = min(since, excluded.since)"
_INSERT_CAUSE = "INSERT INTO causes (key, document) VALUES (?, ?) ON CONFLICT DO NOTHING"


def _add_causes(connection: Connection, found: Iterable[Cause | None]) -> None:
    fresh = {cause.key: cause for cause in found if cause is not None}
    if fresh:
        rows = [(key, msgspec.json.encode(cause.document).decode()) for key, cause in fresh.items()]
        driver(connection).executemany(_INSERT_CAUSE, rows)


def _count(connection: Connection, moved: Mapping[tuple[int, str], int]) -> None:
    """Add to the counts of days."""
    rows = [(day, outcome, count) for (day, outcome), count in moved.items()]
    if rows:
        driver(connection).executemany(_COUNT, rows)


def _add_due(connection: Connection, people: Mapping[str, int]) -> None:
    """Have what people did from a moment on worked out again; from the earliest that was asked for."""
    if people:
        driver(connection).executemany(_DUE, list(people.items()))


def _value(bundle: Mapping[str, Any], fact: str) -> Any:
    found = bundle.get("values", {}).get(fact)
    return None if found is None else found[1]


def _shown(bundle: Mapping[str, Any], fact: str) -> str | None:
    found = _value(bundle, fact)
    return None if found is None else str(found)
