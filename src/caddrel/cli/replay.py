"""`caddrel replay`: logged sign-ins under another rulebook: what changes, for whom, and because of which rules."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from caddrel.cli.failures import AnswerIsNo
from caddrel.cli.files import open_bytes, read_inventory_file, read_text
from caddrel.cli.given import FORMS, read_documents, read_given, side, sources
from caddrel.cli.jobs import finished
from caddrel.cli.letters import write_letters
from caddrel.cli.output import json_option, plain, remark, say, write_json, write_line, write_pieces
from caddrel.cli.parquet_log import has_tables, parquet_lines, parquet_tables
from caddrel.cli.profile import connect
from caddrel.cli.replay_text import print_replay
from caddrel.core.facts.attempts import AttemptRefused
from caddrel.core.garbage import between
from caddrel.core.words.pieces import counted
from caddrel.wire.decoding import convert
from caddrel.wire.replays import ReplayRequest, ReplayResult

if TYPE_CHECKING:
    from caddrel.core.replay.file_log import Line
    from caddrel.core.replay.table import TableReplay
    from caddrel.core.replay.tally import Changed, Tally

MOST_BROKEN = 20


@click.command()
@click.option("--under", required=True, metavar="FILE", help=f"The rulebook under which they are decided: {FORMS}.")
@click.option("--rulebook", "against", metavar="FILE", help="Hold it against this one instead of what was recorded.")
@click.option("--since", metavar="WHEN", help="From then on: 7d, a date or a moment. [default: 7d]")
@click.option("--until", default="", metavar="WHEN", help="Up to then.")
@click.option("--where", default="", metavar="COND", help="Only sign-ins of which this holds, as of signins list.")
@click.option(
    "--inventory",
    default="then",
    metavar="then|now|FILE",
    help="Facts as recorded, or as the inventory has them now; with --attempts a file with people, devices, apps.",
)
@click.option(
    "--attempts",
    type=click.Path(path_type=Path, allow_dash=True),
    metavar="FILE",
    help="Replay this log (NDJSON or Parquet) instead of the stored one; needs no service.",
)
@click.option(
    "--out",
    type=click.Path(path_type=Path, file_okay=False),
    metavar="DIR",
    help="Write whom to tell: people.csv, and a text for each of them. Nothing is sent.",
)
@click.option(
    "--template",
    type=click.Path(path_type=Path, exists=True, dir_okay=False),
    help="What the texts say: with {name}, {person}, {count}, {last}, {devices}, {needs}, {policies}, {contact}.",
)
@click.option(
    "--on",
    metavar="local|ADDRESS",
    help="Replay --attempts 'LOG/*.parquet' with Dask: on workers here, or at this scheduler.",
)
@click.option("--changed", is_flag=True, help="Write the sign-ins that come out otherwise, one a line as JSON.")
@json_option
def replay(
    under: str,
    against: str | None,
    since: str | None,
    until: str,
    where: str,
    inventory: str,
    attempts: Path | None,
    out: Path | None,
    template: Path | None,
    on: str | None,
    changed: bool,
    as_json: bool,
) -> None:
    """Decide logged sign-ins again under another rulebook, and tell what would come out otherwise.

    \b
    Examples: caddrel replay --under draft:tablets-need-may --since 7d
              caddrel replay --under draft:tablets-need-may --inventory now --where "app.id is manifest"
              caddrel replay --under draft:tablets-need-may --out whom-to-tell/
              caddrel replay --rulebook 6 --under 7 --json
              caddrel replay --attempts log.ndjson --rulebook old.yaml --under new.yaml --changed
              caddrel replay --attempts 'log/*.parquet' --under new.yaml --on tcp://10.0.0.5:8786
    """
    text = _template(template)
    if attempts is not None:
        if out is not None:
            raise click.UsageError("whom to tell is known for the stored log only")
        if since or until or where:
            raise click.UsageError("--since, --until and --where are for the stored log")
        if on is not None:
            _cluster(on, attempts, under, against, inventory != "then" or changed, as_json)
        else:
            _file(attempts, under, against, inventory, changed, as_json)
        return
    if on is not None:
        raise click.UsageError("--on is for --attempts")
    if inventory not in {"then", "now"}:
        raise click.UsageError("--inventory is then or now for the stored log")
    asked = ReplayRequest(
        side(under), side(against) if against is not None else None, since or "7d", until, where, inventory
    )
    with connect() as service:
        job = finished(service, service.replays.start(asked))
        if job.state == "cancelled":
            remark("Cancelled; nothing is told of a part.")
            raise AnswerIsNo
        if changed:
            write_pieces(service.replays.changed(job.id), None)
            return
        found = service.replays.result(job.id)
        letters = service.replays.letters(job.id, text) if out is not None else None
    if out is not None and letters is not None:
        count = write_letters(out, found, letters)
        say(f"{counted(count, 'person', 'people')} to tell: {out}/people.csv, and a text for each. Nothing was sent.")
        return
    if as_json:
        write_json(found)
    else:
        print_replay(found)


def _template(path: Path | None) -> str:
    """Return a template, empty for the one to begin with; looked at before anything is replayed."""
    if path is None:
        return ""
    from caddrel.core.words.replays import PLACEHOLDERS, unknown_placeholders

    text = read_text(path)
    wrong = unknown_placeholders(text)
    if wrong:
        raise click.UsageError(f"a template has no {{{wrong[0]}}}; there are {', '.join(PLACEHOLDERS)}")
    return text


def _file(path: Path, under: str, against: str | None, inventory: str, changed: bool, as_json: bool) -> None:
    # Loaded when it is asked for: most commands compute nothing with columns.
    from caddrel.core.replay.file_log import FileReplay
    from caddrel.core.replay.table import TableReplay
    from caddrel.core.replay.tally import changed_json

    if inventory == "now":
        raise click.UsageError("a file has no inventory of its own: give --inventory FILE, or leave it out")
    index = read_inventory_file(Path(inventory)) if inventory != "then" else None
    before, after = read_given(against) if against is not None else None, read_given(under)
    books = [book for book in (before, after) if book is not None]
    if path.suffix == ".parquet" and index is None and has_tables(path, *books):
        tables = TableReplay(before, after)
        hits, broken = _tables(tables, path, against is None, changed), 0
        replayed: FileReplay | TableReplay = tables
    else:
        lines, broken = _lines(path)
        if against is None:
            _all_recorded(sum(not line.recorded for line in lines))
        replayed = FileReplay(before, after, index)
        hits = list(replayed.run(lines))
    for id, problem in replayed.refused[: max(0, MOST_BROKEN - broken)]:
        remark(f"{id}: {problem.path}: {problem.message}")
    broken += len(replayed.refused)
    if changed:
        for hit in hits:
            write_line(changed_json(hit))
    else:
        _print_tally(replayed.tally, under, against, as_json)
    if broken:
        remark(f"{counted(broken, 'line')} could not be read, and left out.")
        raise AnswerIsNo


def _cluster(on: str, pattern: Path, under: str, against: str | None, more: bool, as_json: bool) -> None:
    from caddrel.cli.cluster import replay_on

    if more:
        raise click.UsageError("on many machines only counts are put together: no --inventory, no --changed")
    before, after = sources(against) if against is not None else None, sources(under)
    for documents in (before, after):
        # What is wrong with a rulebook is told here, and not by each of many workers.
        if documents is not None:
            read_documents(documents)
    whole = replay_on(on, pattern, before, after)
    _all_recorded(whole.unrecorded)
    for line in whole.told:
        remark(line)
    _print_tally(whole.tally, under, against, as_json)
    if whole.refused:
        remark(f"{counted(whole.refused, 'line')} could not be read, and left out.")
        raise AnswerIsNo


def _print_tally(tally: Tally, under: str, against: str | None, as_json: bool) -> None:
    from caddrel.core.replay.tally import tally_json
    from caddrel.core.words.replays import replay_words

    told = tally_json(tally)
    if as_json:
        write_json(told)
        return
    more = {
        "sentence": [{"text": plain(replay_words(tally))}], "hit": [], "lacking": [], "by": {}, "since": "",
        "until": "", "under": under, "rulebook": against or "what was recorded",
    }  # fmt: skip
    print_replay(convert({**told, **more}, ReplayResult))


def _tables(replayed: TableReplay, path: Path, recorded: bool, changed: bool) -> list[Changed]:
    """Replay a file as tables; returns the attempts that change where they are to be told one by one."""
    found: list[Changed] = []
    for table in between(parquet_tables(path, named=changed)):
        if recorded:
            _all_recorded(table.unrecorded())
        if changed:
            found += replayed.run(table)
        else:
            replayed.count(table)
    return found


def _all_recorded(missing: int) -> None:
    if missing:
        raise click.UsageError(f"{missing} attempts have no recorded outcome: give --rulebook too")


def _lines(path: Path) -> tuple[list[Line], int]:
    """Return the attempts of a file, and how many lines are none; the first of those are told."""
    from caddrel.core.replay.file_log import read_line

    found: list[Line] = []
    broken = 0
    for number, document in _documents(path):
        try:
            found.append(read_line(document, number))
        except AttemptRefused as refused:
            broken += 1
            if broken <= MOST_BROKEN:
                remark(f"line {number}: {refused.problems[0].message}")
    return found, broken


def _documents(path: Path) -> Iterator[tuple[int, Any]]:
    """Yield the documents of a file, one for each line or row; None for a line that is not JSON."""
    if path.suffix == ".parquet":
        yield from enumerate(parquet_lines(path), 1)
        return
    for number, text in _numbered(path):
        try:
            yield number, json.loads(text)
        except (ValueError, RecursionError):
            yield number, None


def _numbered(path: Path) -> Iterator[tuple[int, bytes]]:
    with open_bytes(path) as file:
        yield from ((number, line) for number, line in enumerate(file, 1) if line.strip())
