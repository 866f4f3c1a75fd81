"""`caddrel signins`: the sign-in log."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import click
from rich.text import Text

from caddrel.cli.failures import AnswerIsNo
from caddrel.cli.files import growing, lines_of
from caddrel.cli.jobs import finished
from caddrel.cli.log_imports import confirmed, imports
from caddrel.cli.log_mappings import mapping, print_broken
from caddrel.cli.output import (
    console,
    heading,
    json_option,
    mark,
    plain,
    remark,
    say,
    table,
    write_json,
    write_line,
    write_pieces,
)
from caddrel.cli.profile import connect
from caddrel.core.words.pieces import counted
from caddrel.wire.decoding import convert
from caddrel.wire.signins import Forgotten, ImportResult, SigninSummary

_FILTERS = {
    "where": "A condition over facts, outcome, reason, certain, policy, rule, recorded, shadow and at.",
    "person": "Only this person.",
    "app": "Only this app.",
    "device": "Only this device.",
    "outcome": "allowed, challenged or blocked; several, joined by commas.",
    "reason": "credentials, locked-out, effect, closed or unmeetable.",
    "policy": "Only where this policy decided.",
    "rule": "Only where this rule decided.",
    "country": "Only from this country.",
    "operation": "Only this operation.",
    "flow": "Only this flow.",
    "client": "browser, native or legacy.",
    "credentials": "right or wrong.",
    "recorded-outcome": "What the other system recorded.",
    "shadow-together": "The outcome with all shadow policies enforced.",
    "certain": "yes or no.",
    "cause": "Only of this cause; see caddrel signins causes.",
    "since": "From this moment or date on, or back from now: 7d.",
    "until": "Before this moment or date.",
}


def filter_options(command: Callable[..., Any]) -> Callable[..., Any]:
    """Add the filters of the log to a command."""
    for name, doc in reversed(_FILTERS.items()):
        command = click.option(f"--{name}", default="", help=doc)(command)
    return command


@click.group()
def signins() -> None:
    """The sign-in log: take it in, list it."""


_FORMAT = click.Choice(["auto", "ndjson", "csv", "ocsf"])


@signins.command("import")
@click.argument("file", type=click.Path(path_type=Path, exists=True, allow_dash=True, dir_okay=False))
@click.option("--format", type=_FORMAT, default="auto", show_default=True, help="auto: CSV by the name, else NDJSON.")
@click.option("--mapping", default="", help="The mapping to read it by; see caddrel signins mapping.")
@click.option("--instead-of", type=int, metavar="IMPORT", help="Take this import back first: the file was corrected.")
@json_option
def import_(file: Path, format: str, mapping: str, instead_of: int | None, as_json: bool) -> None:
    """Take in a log: NDJSON, CSV or OCSF Authentication events; also compressed with gzip.

    Good lines are kept, broken ones counted and listed.

    \b
    Examples: caddrel signins import signins.ndjson
              caddrel signins import door.csv --mapping door
              caddrel signins import events.ndjson.gz --format ocsf
              caddrel signins import door-corrected.csv --mapping door --instead-of 3
    """
    if format == "auto":
        format = "csv" if file.name.removesuffix(".gz").endswith(".csv") else "ndjson"
    with connect() as service:
        name = "" if str(file) == "-" else file.name
        job = finished(service, service.jobs.import_(lines_of(file), format, mapping, name, instead_of))
    result = convert(job.result, ImportResult)
    if as_json:
        write_json(result)
    else:
        _tell_import(result)
    if job.state == "cancelled":
        remark("cancelled: what was added stays; import the file again to go on")
    if result.broken or result.conflicting or job.state == "cancelled":
        raise AnswerIsNo


MOST_WORDS = 20


def _tell_import(result: ImportResult) -> None:
    print_broken(result.broken_alike)
    for line in result.listed:
        if line.code == "conflicting":
            remark(f"line {line.line}: {line.message} — {line.hint}")
    for each in result.respelled[:MOST_WORDS]:
        remark(f"{each.fact}: `{each.said}` is taken for {each.taken}, in {counted(each.count, 'row')}")
    if result.skipped:
        remark(f"{counted(result.skipped, 'row was', 'rows were')} passed over, as the mapping says")
    for word in result.not_understood[:MOST_WORDS]:
        remark(
            f"{word.fact}: “{word.word}” is on no list, in {counted(word.count, 'sign-in')}: the fact is unknown there"
        )
    if len(result.not_understood) > MOST_WORDS:
        remark(f"… and {len(result.not_understood) - MOST_WORDS} more such words")
    say(
        f"{result.added} added, {result.already_there} there already, "
        f"{result.conflicting} with other content, {result.broken} broken"
    )
    if result.added and result.number:
        remark(f"This was import {result.number}; to take it back: caddrel signins imports take-back {result.number}")


@signins.command("follow")
@click.argument("file", type=click.Path(path_type=Path, exists=True, dir_okay=False))
@click.option(
    "--format", type=click.Choice(["ndjson", "ocsf"]), default="ndjson", show_default=True, help="What the lines are."
)
@click.option(
    "--every", type=click.FloatRange(0.1, 3600), default=2.0, show_default=True, help="Seconds between looks."
)
@click.option("--once", is_flag=True, help="Stop at the end of the file.")
@json_option
def follow(file: Path, format: str, every: float, once: bool, as_json: bool) -> None:
    """Take in a growing file, line by line as they are written; begins at its start, and notices when it is rotated.

    What is there already is passed over, so that it may be stopped and started at any time.

    \b
    Example: caddrel signins follow /var/log/door.ndjson
    """
    with connect() as service:
        number = None
        for piece in growing(file, every, once):
            result = service.signins.import_([piece], format, name=file.name, goes_on=number)
            number = result.number
            if as_json:
                write_line(result)
            elif result.added or result.broken or result.conflicting:
                _tell_import(result)


@signins.command("export")
@filter_options
@click.option(
    "--format",
    type=click.Choice(["ndjson", "csv", "ocsf", "parquet"]),
    default="ndjson",
    show_default=True,
    help="What to write.",
)
@click.option("--out", type=click.Path(path_type=Path, dir_okay=False), help="A file; else standard output.")
@click.option("--json", "as_json", is_flag=True, help="Accepted for the sake of habit: see --format.")
def export(format: str, out: Path | None, as_json: bool, **filters: str) -> None:
    """Write every sign-in that matches.

    NDJSON that an import reads, CSV of the rows, OCSF events, or Parquet with a column for each fact.

    \b
    Example: caddrel signins export --outcome blocked --format csv --out blocked.csv
    """
    with connect() as service:
        write_pieces(service.signins.export(format, **filters), out)


signins.add_command(mapping)
signins.add_command(imports)


@signins.command("forget")
@click.option("--older-than", required=True, help="A duration such as 400d.")
@click.option("--dry-run", is_flag=True, help="Only tell how many.")
@click.option("--yes", is_flag=True, help="Do not ask.")
@json_option
def forget(older_than: str, dry_run: bool, yes: bool, as_json: bool) -> None:
    """Take out old sign-ins for good; how many is told and asked before.

    \b
    Example: caddrel signins forget --older-than 400d --dry-run
    """
    with connect() as service:
        found = service.signins.old(older_than)
        if not dry_run and found.count:
            confirmed(f"{_many(found.count, 'sign-in')} from before {found.before[:16]} will be gone for good.", yes)
        if not dry_run:
            found = convert(finished(service, service.jobs.forget(older_than)).result, Forgotten)
    if as_json:
        write_json(found)
        return
    done = "were taken out" if found.done else "would be taken out"
    say(f"{_many(found.count, 'sign-in')} from before {found.before[:16]} {done}.")


@signins.command("list")
@filter_options
@click.option("--limit", type=click.IntRange(1, 100_000), default=25, show_default=True, help="At most so many.")
@json_option
def list_signins(limit: int, as_json: bool, **filters: str) -> None:
    """List sign-ins, newest first; with --json one a line.

    \b
    Examples: caddrel signins list --outcome blocked
              caddrel signins list --person ines.faro --app manifest
              caddrel signins list --where 'outcome is blocked and person.groups has crew'
    """
    shown: list[SigninSummary] = []
    counts: dict[str, int] = {}
    after = None
    with connect() as service:
        while len(shown) < limit:
            page = service.signins.list(after=after, limit=min(500, limit - len(shown)), **filters)
            counts = page.counts
            shown.extend(page.items)
            after = page.next
            if after is None:
                break
    if as_json:
        for item in shown:
            write_line(item)
        return
    total = sum(counts.values())
    parts = ", ".join(f"{counts[name]} {name}" for name in counts)
    say(f"{counted(total, 'sign-in')}: {parts}" if total else "No sign-in matches.")
    if shown:
        _print_table(shown)
    if total > len(shown):
        remark(f"{total - len(shown)} more: see --limit and the filters.")


_NO_POLICY = {"credentials": "Wrong credentials", "locked-out": "Locked out"}


@signins.command("causes")
@filter_options
@json_option
def causes(as_json: bool, **filters: str) -> None:
    """Tell what blocks and challenges have in common, how many they are, and what would help.

    \b
    Examples: caddrel signins causes --since 7d
              caddrel signins causes --where 'outcome is blocked and not from shipyard'
    """
    with connect() as service:
        found = service.signins.causes(**filters)
    if as_json:
        write_json(found)
        return
    if not found.causes:
        say("Nothing was blocked or challenged.")
        return
    say(f"{_many(len(found.causes), 'cause')}: {_many(found.count, 'sign-in')} of {_people(found.people)}.")
    for cause in found.causes:
        heading(cause.policy_title or _NO_POLICY.get(cause.reason or "", "Closed app"))
        decided = f"  {cause.policy} / {cause.rule}" if cause.policy else ""
        say(mark(cause.outcome) + Text(f" {_many(cause.count, 'sign-in')}, {_people(cause.people)}{decided}"), indent=2)
        say(plain(cause.because), indent=2)
        fresh = f"; new since revision {cause.since.number}: {cause.since.why}" if cause.new else ""
        if cause.new and cause.changed:
            fresh += f" (it changed {', '.join(piece.text for piece in cause.changed[:5])})"
        say(Text(f"first {cause.first[:16]}, last {cause.last[:16]}{fresh}", style="dim"), indent=2)
        for sentence in cause.help:
            say(f"→ {plain(sentence)}", indent=2)
        if cause.change is not None:
            say(Text(f"suggested: set {cause.change.path} to {cause.change.value}", style="italic"), indent=2)
        say(Text(f"caddrel signins list --cause {cause.key}", style="dim"), indent=2)


def _many(count: int, noun: str) -> str:
    return f"{count} {noun}{'s' if count != 1 else ''}"


def _people(count: int) -> str:
    return f"{count} {'people' if count != 1 else 'person'}"


def _print_table(shown: list[SigninSummary]) -> None:
    narrow = console().width < 120
    columns = ["at (UTC)", "outcome", "person", "app", "decided by", "id"]
    if not narrow:
        columns[4:4] = ["from", "device"]
    rows = []
    for item in shown:
        decided: Text | str = f"{item.policy} / {item.rule}" if item.policy else (item.reason or "")
        row: list[Any] = [item.at[5:16].replace("T", " "), mark(item.outcome), item.person, item.app, decided, item.id]
        if not narrow:
            row[4:4] = [" ".join(p for p in (item.address, item.country) if p), item.device or item.owner]
        rows.append(row)
    table(columns, rows)
