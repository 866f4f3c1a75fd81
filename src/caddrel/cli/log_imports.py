"""`caddrel signins imports`: what was taken into the log, and taking it back."""

from __future__ import annotations

import sys

import click

from caddrel.cli.jobs import finished
from caddrel.cli.output import json_option, remark, say, table, write_json, write_line
from caddrel.cli.profile import connect
from caddrel.core.words.pieces import counted
from caddrel.wire.decoding import convert
from caddrel.wire.imports import LogImport, TakenBack

ALL = 500


@click.group()
def imports() -> None:
    """What was taken into the log, import by import."""


def confirmed(question: str, yes: bool) -> None:
    """Ask before something that cannot be undone; where nobody can answer, ``--yes`` has to be given.

    Raises
    ------
    click.UsageError
        When nobody can be asked.
    click.Abort
        When the answer is no.
    """
    if yes:
        return
    if not sys.stdin.isatty():
        raise click.UsageError(f"{question} Say --yes.")
    click.confirm(question, abort=True)


@imports.command("list")
@json_option
def listed(as_json: bool) -> None:
    """List the imports, newest first; with --json one a line.

    \b
    Example: caddrel signins imports list
    """
    with connect() as service:
        found = service.imports.list(limit=ALL).items
    if as_json:
        for each in found:
            write_line(each)
        return
    if not found:
        say("Nothing was imported yet: caddrel signins import FILE")
        return
    rows = [
        (
            str(each.number),
            each.began[:16].replace("T", " "),
            each.name,
            f"{each.added:,}",
            _days(each),
            "taken back" if each.taken_back is not None else _state(each),
        )
        for each in found
    ]
    table(("import", "began (UTC)", "name", "added", "sign-ins of", "state"), rows)


@imports.command()
@click.argument("number", type=int)
@json_option
def show(number: int, as_json: bool) -> None:
    """Show an import: what it brought, and how much of it is there still.

    \b
    Example: caddrel signins imports show 3
    """
    with connect() as service:
        found = service.imports.get(number)
    if as_json:
        write_json(found)
        return
    say(f"Import {number}{f' of {found.name}' if found.name else ''}, {_state(found)}.")
    how = f"{found.format}, read by the mapping {found.mapping}" if found.mapping else found.format
    say(f"{how}; {found.by}, {found.began}", indent=2)
    say(
        f"{found.added:,} added, {found.already_there:,} there already, {found.conflicting:,} with other content, "
        f"{found.broken:,} broken",
        indent=2,
    )
    say(f"sign-ins of {_days(found) or 'no day'}; {found.there:,} of them are there still", indent=2)


@imports.command("take-back")
@click.argument("number", type=int)
@click.option("--yes", is_flag=True, help="Do not ask.")
@json_option
def take_back(number: int, yes: bool, as_json: bool) -> None:
    """Take the sign-ins of an import out of the log again, for good; signals of later ones are worked out anew.

    \b
    Example: caddrel signins imports take-back 3
    """
    with connect() as service:
        found = service.imports.get(number)
        if found.there:
            named = f" of {found.name}" if found.name else ""
            confirmed(
                f"Import {number}{named} brought {counted(found.there, 'sign-in')}, which will be gone for good.", yes
            )
        made = convert(finished(service, service.imports.take_back(number)).result, TakenBack)
    if as_json:
        write_json(made)
        return
    say(f"{counted(made.count, 'sign-in')} of import {number} taken out.")
    if not made.whole:
        remark("It was cancelled before all of them had gone: take it back once more.")


def _days(found: LogImport) -> str:
    if found.first is None or found.last is None:
        return ""
    first, last = found.first[:10], found.last[:10]
    return first if first == last else f"{first} to {last}"


def _state(found: LogImport) -> str:
    if found.taken_back is not None:
        return f"taken back by {found.taken_back_by}, {found.taken_back[:16].replace('T', ' ')}"
    return "done" if found.ended is not None else "not at its end"
