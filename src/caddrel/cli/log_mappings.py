"""`caddrel signins mapping`: how the log of another system is read, tried before it is used."""

from __future__ import annotations

import gzip
from pathlib import Path
from typing import Any

import click
import msgspec
import yaml
from rich.text import Text

from caddrel.cli.failures import AnswerIsNo
from caddrel.cli.files import read_text, read_value
from caddrel.cli.output import heading, json_option, remark, say, table, write_json
from caddrel.cli.profile import connect
from caddrel.client import Caddrel
from caddrel.core.words.pieces import counted
from caddrel.wire.decoding import convert
from caddrel.wire.mappings import LogMapping, MappingTrial
from caddrel.wire.signins import BrokenAlike

# Bytes of a log's beginning that are tried.
BEGINNING = 1_000_000
_SHOWN = 5


@click.group("mapping")
def mapping() -> None:
    """How the log of another system is read: tried, kept, shown, taken out."""


@mapping.command("list")
@json_option
def list_(as_json: bool) -> None:
    """List the mappings that are kept.

    \b
    Example: caddrel signins mapping list
    """
    with connect() as service:
        kept = service.mappings.list()
    if as_json:
        write_json({"mappings": kept})
    elif kept:
        table(("name", "columns"), [(name, ", ".join(each.columns)) for name, each in kept.items()])
    else:
        say("No mapping is kept; begin with caddrel signins mapping try FILE.")


@mapping.command("show")
@click.argument("name")
@json_option
def show(name: str, as_json: bool) -> None:
    """Write a mapping as `keep` reads it.

    \b
    Example: caddrel signins mapping show door > door.yaml
    """
    with connect() as service:
        kept = service.mappings.list()
    if name not in kept:
        raise click.UsageError(f"there is no mapping {name}; {', '.join(kept) or 'none'} is kept")
    write_json(kept[name]) if as_json else click.echo(written(kept[name]), nl=False)


@mapping.command("keep")
@click.argument("name")
@click.argument("file", type=click.Path(path_type=Path, exists=True, allow_dash=True, dir_okay=False))
def keep(name: str, file: Path) -> None:
    """Keep a mapping under a name, in place of the one that has it.

    \b
    A file of YAML:
      columns:
        When: time.at
        User: person.id
        Factors: {to: auth.methods, split: ";", words: {totp: otp, password: pwd}}
      constants: {client.kind: browser}
      zone: Europe/Oslo
      moment: "%d.%m.%Y %H:%M:%S"
      skip: {Event: [heartbeat]}

    \b
    Example: caddrel signins mapping keep door door.yaml
    """
    found = read_mapping(read_text(file))
    with connect() as service:
        service.mappings.put(name, found)
    say(f"The mapping {name} is kept; read a log by it with caddrel signins import FILE --mapping {name}.")


@mapping.command("remove")
@click.argument("name")
def remove(name: str) -> None:
    """Take a mapping out; what was read by it stays.

    \b
    Example: caddrel signins mapping remove door
    """
    with connect() as service:
        service.mappings.remove(name)
    say(f"The mapping {name} is taken out.")


@mapping.command("try")
@click.argument("file", type=click.Path(path_type=Path, exists=True, dir_okay=False))
@click.option("--by", default="", metavar="NAME|FILE", help="The mapping; what names and values suggest without it.")
@click.option(
    "--format", type=click.Choice(["auto", "csv", "ndjson"]), default="auto", help="auto: by the file's name."
)
@click.option("--out", type=click.Path(path_type=Path, dir_okay=False), help="Write the mapping here, to go on from.")
@json_option
def try_(file: Path, by: str, format: str, out: Path | None, as_json: bool) -> None:
    """Read the beginning of a log and tell how; nothing is taken in. Exits with 1 when something is not read right.

    \b
    Examples: caddrel signins mapping try door.csv --out door.yaml
              caddrel signins mapping try door.csv --by door.yaml
    """
    columns = format == "csv" or (format == "auto" and file.name.removesuffix(".gz").endswith(".csv"))
    with connect() as service:
        chosen = _chosen(service, by) if by else None
        found = service.mappings.try_(beginning(file), "csv" if columns else "ndjson", chosen)
    if out is not None:
        out.write_text(written(found.mapping), encoding="utf-8")
    if as_json:
        write_json(found)
    else:
        _print(found)
        if out is not None:
            say(f"The mapping is in {out}; change it there, and try again with --by {out}.")
    # Only who has the log knows where its clocks stand: hours off, and every schedule is another.
    guessed = found.suggested and found.mapping.zone
    if found.broken or found.not_understood or not found.good or guessed:
        raise AnswerIsNo


def beginning(file: Path) -> str:
    """Return the whole lines at the beginning of a file, which may be compressed."""
    with file.open("rb") as opened:
        packed = opened.read(2) == b"\x1f\x8b"
        opened.seek(0)
        try:
            some = gzip.GzipFile(fileobj=opened).read(BEGINNING) if packed else opened.read(BEGINNING)
        except (OSError, EOFError) as error:
            raise click.UsageError(f"{file}: compressed, and damaged: {error}") from None
    whole = some if len(some) < BEGINNING else some[: some.rfind(b"\n") + 1] or some
    return whole.decode("utf-8", "replace")


def _chosen(service: Caddrel, by: str) -> LogMapping:
    path = Path(by)
    if path.is_file():
        return read_mapping(read_text(path))
    kept = service.mappings.list()
    if by not in kept:
        raise click.UsageError(f"{by} is neither a file nor a mapping that is kept ({', '.join(kept) or 'none'})")
    return kept[by]


def read_mapping(text: str) -> LogMapping:
    """Return the mapping that a text of YAML holds; a column may be said by its fact alone."""
    document: Any = read_value(text)
    columns = document.get("columns") if isinstance(document, dict) else None
    if isinstance(columns, dict):
        document = {
            **document,
            "columns": {name: {"to": rule} if isinstance(rule, str) else rule for name, rule in columns.items()},
        }
    try:
        return convert(document, LogMapping)
    except msgspec.ValidationError as error:
        raise click.UsageError(f"the mapping cannot be read: {error}") from None


def written(mapping: LogMapping) -> str:
    """Return a mapping as YAML, as it is read."""
    document = msgspec.to_builtins(mapping)
    document["columns"] = {
        name: rule["to"] if set(rule) == {"to"} else rule for name, rule in document["columns"].items()
    }
    text: str = yaml.safe_dump(document, sort_keys=False, allow_unicode=True)
    return text


def _print(found: MappingTrial) -> None:
    heading("Suggested by names and values" if found.suggested else "Columns")
    table(
        ("column", "is", "such as"),
        [
            (each.name, each.to or Text("passed over", style="dim"), ", ".join(each.values[:3]))
            for each in found.columns
        ],
    )
    for note in found.notes:
        remark(note)
    skipped = f", {found.skipped} passed over" if found.skipped else ""
    say(f"{found.good} of {found.read} rows are read{skipped}.")
    if found.twice:
        remark(f"{counted(found.twice, 'row has', 'rows have')} an id that another has: of each only one would be kept")
    print_broken(found.broken)
    for word in found.not_understood:
        remark(
            f"{word.fact}: `{word.word}` is on no list, in {counted(word.count, 'row')}; say under `words` what it is"
        )
    for each in found.respelled:
        remark(f"{each.fact}: `{each.said}` is taken for {each.taken}, in {counted(each.count, 'row')}")
    for unknown in found.unknown:
        hint = f"; {unknown.hint}" if unknown.hint else ""
        remark(f"{unknown.fact}: the inventory does not know `{unknown.id}`, in {counted(unknown.count, 'row')}{hint}")
    heading("As the first would be read")
    for row in found.rows[:_SHOWN]:
        facts = " ".join(f"{name}={_shown(value)}" for name, value in row.facts.items())
        say(f"line {row.line}: {facts or '; '.join(row.problems)}", indent=2)


def _shown(value: object) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    return ",".join(map(str, value)) if isinstance(value, list | dict) else str(value)


def print_broken(kinds: list[BrokenAlike]) -> None:
    """Write lines that cannot be read, those alike once with the first of them."""
    for kind in kinds:
        first = kind.lines[0]
        lines = ", ".join(str(line.line) for line in kind.lines)
        more = f" and {kind.count - len(kind.lines)} more" if kind.count > len(kind.lines) else ""
        hint = f" — {first.hint}" if first.hint else ""
        remark(f"line {lines}{more}: {first.message} [{kind.code}]{hint}")
