"""The log as columns, beside the log: a file for each stretch of time, made when it is first read.

Reading a record from its rows costs many times what deciding it costs, and a replay reads the same ones again and
again. A file is a cache, and nothing but: it holds what the rows held when the stretch had its present *mark*, which is
drawn anew, by chance, in the same commit as each change of any of its records. A file of another mark is never read,
also when a backup was put back; so it may be taken away at any time. What it names (bundles of facts, decisions) is
looked up in the log itself, where numbers are never used again for something else.
Not here: what is read of it (`core.replay`).
"""

from __future__ import annotations

import contextlib
import json
import logging
import os
import tempfile
from collections.abc import Iterable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

import msgspec
import numpy as np
from sqlalchemy import ColumnElement, Connection, select, tuple_

from caddrel.core.columnar.batch import BIT
from caddrel.core.columnar.fact_groups import GROUPS
from caddrel.core.columnar.own_facts import AGES
from caddrel.core.replay.recorded import Coded, Names, Numbers, Own, Recorded, joined, own_columns
from caddrel.core.rulebook.model import OUTCOMES
from caddrel.store.engine import Database
from caddrel.store.log_tables import records, signins, stretches
from caddrel.store.moments import to_stored
from caddrel.store.queries import Query, conditions_of, of_few
from caddrel.store.stretches import BITS

if TYPE_CHECKING:
    import pyarrow as pa

# Records that are given at once, at most: enough that what is done once for all of them is little, and few enough that
# their columns are no more than some hundred MB.
AT_ONCE = 400_000
# Rows that are fetched at once while a file is made.
_FETCHED = 20_000
# Of the layout of a file: files of another are made anew.
_LAYOUT = 1
_ROW = (
    "seq", "at", "outcome", "decision", "revision", "person", "device", *(f"{group}_facts" for group in GROUPS),
    "state_age", "listed_for", "auth_age",
)  # fmt: skip
_AGES = dict(zip(AGES, ("state_age", "listed_for", "auth_age"), strict=True))
_own = msgspec.json.Decoder(Own)
_log = logging.getLogger(__name__)


class SigninColumns:
    """Reads the log as columns.

    Parameters
    ----------
    database
        Of the log; the files are in a folder beside its file.
    """

    def __init__(self, database: Database) -> None:
        self._database = database
        self._folder = database.path.with_name("columns")

    def read(self, query: Query, at_once: int = AT_ONCE) -> Iterator[Recorded]:
        """Yield what a query finds, the earliest first, in parts of so many records at most.

        What comes in meanwhile is left out: only what was there when it was first asked for is read.
        """
        with self._database.read() as connection:
            newest = int(connection.exec_driver_sql("SELECT coalesce(max(seq), 0) FROM records").scalar_one())
            numbers = _stretches(connection, query)
        waiting: list[Recorded] = []
        count, people, devices = 0, Names(), Names()
        for number in numbers:
            part = self._few(query, number, newest) if of_few(query) else self._found(query, number, newest)
            if waiting and count + len(part) > at_once:
                whole, waiting, count = joined(waiting, people, devices), [], 0
                yield from _parts(whole, at_once)
            if len(part):
                waiting.append(part)
                count += len(part)
        if waiting:
            yield from _parts(joined(waiting, people, devices), at_once)

    def ids(self, seqs: Numbers) -> list[str]:
        """Return the ids of records by their numbers, in the same order; empty for one that was taken out since."""
        found: dict[int, str] = {}
        with self._database.read() as connection:
            for start in range(0, len(seqs), _FETCHED):
                some = json.dumps([int(seq) for seq in seqs[start : start + _FETCHED]])
                found.update((row[0], row[1]) for row in connection.exec_driver_sql(_IDS, (some,)))
        return [found.get(int(seq), "") for seq in seqs]

    def forget(self, moments: Iterable[int]) -> None:
        """Take away the files of the stretches of moments: records that are taken out are not kept here."""
        for number in {at >> BITS for at in moments}:
            for path in self._folder.glob(f"{number}.*"):
                path.unlink(missing_ok=True)

    def _few(self, query: Query, number: int, newest: int) -> Recorded:
        """Return what a query finds in a stretch from its rows: there are few, and an index leads to them."""
        with self._database.read() as connection:
            mine = signins.c.stretch == number, signins.c.seq <= newest
            return _from_rows(connection, [*mine, *conditions_of(query, connection)])

    def _found(self, query: Query, number: int, newest: int) -> Recorded:
        whole = self._stretch(number)
        wanted = whole.seqs <= newest
        if query.since is not None:
            wanted &= whole.moments >= to_stored(query.since)
        if query.until is not None:
            wanted &= whole.moments < to_stored(query.until)
        if query.equal or query.conditions or query.certain is not None:
            with self._database.read() as connection:
                asked = select(signins.c.seq).where(_within(number), *conditions_of(query, connection))
                seqs = np.fromiter(connection.execute(asked).scalars(), np.int64)
            wanted &= np.isin(whole.seqs, seqs)
        return whole if wanted.all() else whole.taken(np.flatnonzero(wanted))

    def _stretch(self, number: int) -> Recorded:
        """Return all records of a stretch, from its file if that holds what the log holds now."""
        with self._database.read() as connection:
            # Mark and rows are of one moment: both are read in one transaction.
            mark = connection.execute(select(stretches.c.mark).where(stretches.c.number == number)).scalar_one()
            path = self._folder / f"{number}.{mark}.{_LAYOUT}.arrow"
            kept = _load(path)
            if kept is not None:
                return kept
            made = _from_rows(connection, [_within(number)])
        self._keep(path, number, made)
        return made

    def _keep(self, path: Path, number: int, made: Recorded) -> None:
        """Write a file, whole or not at all, and take older ones of its stretch away."""
        try:
            self._folder.mkdir(mode=0o700, exist_ok=True)
            old = list(self._folder.glob(f"{number}.*"))
            # Nobody sees a part of it; two who make the same one at once make the same.
            handle, part = tempfile.mkstemp(dir=self._folder, prefix=f"{number}.part-")
            try:
                with os.fdopen(handle, "wb") as file:
                    _save(file, made)
                    # The name must not be there before what it stands for, also after a loss of power.
                    file.flush()
                    os.fsync(file.fileno())
                Path(part).replace(path)
            except BaseException:
                Path(part).unlink(missing_ok=True)
                raise
            for each in old:
                if each != path:
                    each.unlink(missing_ok=True)
        except OSError as error:
            # A full disk costs time at the next replay, and nothing else.
            _log.warning("columns of the log are not kept: %s", error.strerror)


def _stretches(connection: Connection, query: Query) -> list[int]:
    wanted = select(stretches.c.number).order_by(stretches.c.number)
    if query.since is not None:
        wanted = wanted.where(stretches.c.number >= to_stored(query.since) >> BITS)
    if query.until is not None:
        wanted = wanted.where(stretches.c.number <= to_stored(query.until) >> BITS)
    return list(connection.execute(wanted).scalars())


def _within(number: int) -> ColumnElement[bool]:
    return signins.c.at.between(number << BITS, ((number + 1) << BITS) - 1)


def _parts(found: Recorded, at_once: int) -> Iterator[Recorded]:
    for start in range(0, len(found), at_once):
        yield found if len(found) <= at_once else found.taken(slice(start, start + at_once))


def _from_rows(connection: Connection, conditions: Sequence[ColumnElement[bool]]) -> Recorded:
    wanted = select(*(signins.c[name] for name in _ROW), records.c.own)
    wanted = wanted.join_from(signins, records, records.c.seq == signins.c.seq).where(*conditions)
    order = (signins.c.at, signins.c.seq)
    parts, after = [], (-(1 << 62), 0)
    while True:
        # A part at a time: of all rows at once the objects alone would take more room than their columns.
        rows = connection.execute(wanted.where(tuple_(*order) > after).order_by(*order).limit(_FETCHED)).all()
        if rows:
            parts.append(_of_rows(list(zip(*rows, strict=True))))
            after = (rows[-1][1], rows[-1][0])
        if len(rows) < _FETCHED:
            return joined(parts) if parts else _of_rows([[] for _ in (*_ROW, "own")])


def _of_rows(columns: Sequence[Sequence[Any]]) -> Recorded:
    of = dict(zip((*_ROW, "own"), columns, strict=True))
    places = {word: place for place, word in enumerate(OUTCOMES)}
    numbers = {
        name: np.array(of[name], np.int64)
        for name in ("seq", "at", "decision", "revision", *(f"{g}_facts" for g in GROUPS))
    }
    return Recorded(
        numbers["seq"], numbers["at"], np.array([places[word] for word in of["outcome"]], np.uint8),
        numbers["decision"], numbers["revision"], Coded.of(of["person"]), Coded.of(of["device"]),
        {group: numbers[f"{group}_facts"] for group in GROUPS},
        # None becomes what is not a number.
        {name: np.array(of[column], np.float64) for name, column in _AGES.items()},
        *own_columns(list(map(_own.decode, of["own"]))),
        timed=np.ones(len(of["own"]), np.bool_),
    )  # fmt: skip


def _save(file: Any, found: Recorded) -> None:
    # Arrow is read where it is used: most processes never do, and as soon as it is read it has a thread of its own.
    import pyarrow as pa

    columns: dict[str, Any] = {
        "seq": found.seqs, "at": found.moments, "outcome": found.outcomes, "decision": found.decisions,
        "revision": found.revisions, "live": found.live.astype(np.uint8),
        **{f"facts {group}": numbers for group, numbers in found.numbers.items()},
        **{f"origin {name}": origins for name, origins in found.origins.items()},
    }  # fmt: skip
    columns = {name: _narrow(numbers) for name, numbers in columns.items()}
    aged = {f"age {name}": ages for name, ages in found.ages.items()}
    aged |= {f"methods {name}": ages for name, ages in found.methods_ages.items()}
    aged["default age"] = found.default_age
    # Of most ages there is none: a column that says nothing is left out, and read as such.
    columns |= {name: ages for name, ages in aged.items() if not np.isnan(ages).all()}
    arrays = {name: pa.array(column) for name, column in columns.items()}
    for name, coded in (("person", found.people), ("device", found.devices)):
        arrays[name] = pa.array(_narrow(coded.codes))
    names = {
        "people": json.dumps(found.people.names),
        "devices": json.dumps(found.devices.names),
        "count": str(len(found)),
    }
    table = pa.table(arrays).replace_schema_metadata(names)
    with pa.ipc.new_file(file, table.schema) as writer:
        writer.write_table(table)


def _load(path: Path) -> Recorded | None:
    """Return what a file holds, None when there is none or it cannot be read."""
    import pyarrow as pa

    try:
        with contextlib.closing(pa.memory_map(str(path))) as file:
            table = pa.ipc.open_file(file).read_all()
        return _recorded(table)
    except (OSError, KeyError, ValueError):
        # Arrow's own errors are among these: whatever is wrong with a file, the log is read instead.
        return None


def _recorded(table: pa.Table) -> Recorded:
    said: Mapping[bytes, bytes] = table.schema.metadata or {}
    count = table.num_rows
    there = set(table.column_names)

    # What is written at once is one piece: it is looked at where it lies in the file, and not copied.
    def column(name: str) -> Any:
        held = table.column(name)
        piece = held.chunk(0) if held.num_chunks == 1 else held.combine_chunks()
        return piece.to_numpy(zero_copy_only=False)

    # Several have it in common, so nobody may write in it, as nobody can in what lies in a file.
    nothing = np.full(count, np.nan)
    nothing.flags.writeable = False

    def ages(name: str) -> Any:
        return column(name) if name in there else nothing

    return Recorded(
        column("seq"), column("at").astype(np.int64), column("outcome"), column("decision"), column("revision"),
        Coded(column("person"), json.loads(said[b"people"])), Coded(column("device"), json.loads(said[b"devices"])),
        {group: column(f"facts {group}") for group in GROUPS},
        {name: ages(f"age {name}") for name in AGES},
        {name: column(f"origin {name}") for name in AGES},
        {name: column(f"methods {name}") for name in BIT if f"methods {name}" in there},
        ages("default age"),
        column("live").astype(np.bool_),
        np.ones(count, np.bool_),
    )  # fmt: skip


def _narrow(numbers: Numbers) -> Numbers:
    """Return whole numbers in as few bytes as they need."""
    if not len(numbers):
        return numbers
    least, most = int(numbers.min()), int(numbers.max())
    for kind in (np.uint8, np.int8, np.int16, np.int32):
        if np.iinfo(kind).min <= least and most <= np.iinfo(kind).max:
            return numbers.astype(kind)
    return numbers


_IDS = "SELECT seq, id FROM records WHERE seq IN (SELECT value FROM json_each(?))"
