"""A replay of many Parquet files on many machines, with Dask: each part by itself, and only counts put together.

The evaluator is the same as on one machine. Where signals are worked out over the log, all that one person did is in
one part, whichever files it is in: a signal looks at that person's attempts and at nobody else's.
"""

from __future__ import annotations

import zlib
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from functools import lru_cache
from importlib import import_module
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from caddrel.cli.output import remark
from caddrel.cli.parquet_log import has_tables, parquet_lines, parquet_tables
from caddrel.core.garbage import between
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source

if TYPE_CHECKING:
    import pyarrow as pa

    from caddrel.core.replay.tally import Tally

# Parts for each file where persons are brought together: so many that one is small, and no more than is worth asking.
MOST_PARTS = 512
MOST_REFUSED = 20
WAITS_FOR = "5s"
# The documents of a rulebook: they travel, and each worker reads them once.
Documents = tuple[tuple[str, str], ...]


@dataclass(slots=True)
class Part:
    """What a part of a log came to.

    Attributes
    ----------
    refused
        How many rows cannot be read, with the first of them and what is wrong.
    unrecorded
        How many rows have no outcome recorded, where that is needed.
    """

    tally: Tally
    refused: int = 0
    told: list[str] = field(default_factory=list)
    unrecorded: int = 0


def replay_on(where: str, pattern: Path, before: Sequence[Source] | None, after: Sequence[Source]) -> Part:
    """Return what all files of a pattern come to together.

    Parameters
    ----------
    where
        The address of a scheduler, or ``local`` for workers here.
    """
    from caddrel.core.replay.tally import Tally

    paths = sorted(Path(pattern.anchor or ".").glob(str(pattern.relative_to(pattern.anchor))))
    if not paths:
        raise click.UsageError(f"{pattern}: there is no such file")
    whole = Part(Tally())
    with _client(where) as client:
        # Files are read where the workers are: what they see must be the same there.
        for done, part in enumerate(_parts(client, [str(path.resolve()) for path in paths], before, after), 1):
            whole.tally.merge(part.tally)
            whole.refused += part.refused
            whole.told = (whole.told + part.told)[:MOST_REFUSED]
            whole.unrecorded += part.unrecorded
            remark(f"{done} {'part' if done == 1 else 'parts'} done, {whole.tally.attempts.count:,} attempts.")
    return whole


@contextmanager
def _client(where: str) -> Iterator[Any]:
    try:
        dask = import_module("distributed")
    except ImportError:
        raise click.UsageError("--on needs Dask: pip install 'caddrel[cluster]'") from None
    if where == "local":
        with dask.LocalCluster(threads_per_worker=1, dashboard_address=None) as cluster, dask.Client(cluster) as client:
            yield client
        return
    try:
        client = dask.Client(where, timeout=WAITS_FOR)
    except (OSError, ValueError) as error:
        raise click.ClickException(f"no scheduler answers at {where}: {str(error)[:120]}") from None
    with client:
        try:
            client.wait_for_workers(1, timeout=WAITS_FOR)
        except TimeoutError:
            raise click.ClickException(f"the scheduler at {where} has no workers") from None
        yield client


def _parts(client: Any, paths: list[str], old: Sequence[Source] | None, new: Sequence[Source]) -> Iterator[Part]:
    before, after = (None if old is None else _documents(old)), _documents(new)
    # The log does not change while it is read, and a worker that is lost is made up for: each part is decided again.
    apart = client.gather(client.map(_has_tables, paths, before=before, after=after, pure=False))
    if all(apart):
        parts = client.map(_of_file, paths, before=before, after=after, pure=False)
    else:
        count = min(MOST_PARTS, max(len(paths), len(client.nthreads())))
        split = [client.submit(_by_person, path, count, pure=False) for path in paths]
        parts = [
            client.submit(_of_people, [client.submit(_one, each, part, pure=False) for each in split], before, after,
                          pure=False)
            for part in range(count)
        ]  # fmt: skip
        del split
    for future, found in import_module("distributed").as_completed(parts, with_results=True):
        future.release()
        yield found


def _documents(sources: Sequence[Source]) -> Documents:
    return tuple((source.name, source.text) for source in sources)


@lru_cache(maxsize=4)
def _rulebook(documents: Documents) -> Rulebook:
    return read_rulebook([Source(*each) for each in documents]).or_raise()


def _sides(before: Documents | None, after: Documents) -> tuple[Rulebook | None, Rulebook]:
    return None if before is None else _rulebook(before), _rulebook(after)


def _has_tables(path: str, before: Documents | None, after: Documents) -> bool:
    return has_tables(Path(path), *[each for each in _sides(before, after) if each is not None])


def _of_file(path: str, before: Documents | None, after: Documents) -> Part:
    """Return what one file comes to, where nothing hangs on any other row."""
    from caddrel.core.replay.table import TableReplay

    replay = TableReplay(*_sides(before, after))
    unrecorded = 0
    for table in between(parquet_tables(Path(path), named=False)):
        unrecorded += table.unrecorded() if before is None else 0
        replay.count(table)
    return _part(replay.tally, replay.refused, unrecorded)


def _by_person(path: str, count: int) -> list[pa.Table]:
    """Return a file taken apart, so that all that one person did is in one part."""
    import numpy as np
    import pyarrow.parquet as pq

    from caddrel.cli.parquet_log import encoded

    table = pq.read_table(path)
    if "person.id" not in table.column_names:
        return [table, *(table.slice(0, 0) for _ in range(count - 1))]
    people = encoded(table.column("person.id").combine_chunks())
    # The same for a person in every file and process, unlike Python's own hash. Whoever is unknown has no history.
    of = np.array([zlib.crc32(str(name).encode()) % count for name in people.values] + [0], np.int64)[people.codes]
    return [table.filter(of == part) for part in range(count)]


def _one(parts: list[pa.Table], place: int) -> pa.Table:
    return parts[place]


def _of_people(tables: list[pa.Table], before: Documents | None, after: Documents) -> Part:
    """Return what the attempts of some people come to, in all files."""
    import tempfile

    import pyarrow as pa
    import pyarrow.parquet as pq

    from caddrel.core.diagnostics import Diagnostic
    from caddrel.core.facts.attempts import AttemptRefused
    from caddrel.core.replay.file_log import FileReplay, read_line

    replay = FileReplay(*_sides(before, after))
    lines, broken = [], list[tuple[str, Diagnostic]]()
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "part.parquet"
        pq.write_table(pa.concat_tables(tables, promote_options="default"), path)
        for number, document in enumerate(parquet_lines(path), 1):
            try:
                lines.append(read_line(document, number))
            except AttemptRefused as refused:
                broken.append((str(document.get("id", number)), refused.problems[0]))
    unrecorded = sum(not line.recorded for line in lines) if before is None else 0
    if not unrecorded:
        for _ in replay.run(lines):
            pass
    return _part(replay.tally, [*broken, *replay.refused], unrecorded)


def _part(tally: Tally, refused: Sequence[tuple[str, Any]], unrecorded: int) -> Part:
    told = [f"{id}: {problem.path}: {problem.message}" for id, problem in refused[:MOST_REFUSED]]
    return Part(tally, len(refused), told, unrecorded)
