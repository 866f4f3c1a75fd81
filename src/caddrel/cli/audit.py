"""`caddrel audit`: every change and refusal."""

from __future__ import annotations

import click
from rich.text import Text

from caddrel.cli.failures import AnswerIsNo
from caddrel.cli.output import json_option, remark, say, write_json, write_line
from caddrel.cli.profile import connect


@click.group()
def audit() -> None:
    """The audit trail: look into it, and prove that it is whole."""


@audit.command("list")
@click.option("--search", default="", help="Only entries that have this text anywhere.")
@click.option("--limit", type=click.IntRange(1, 500), default=50, show_default=True, help="At most so many.")
@json_option
def listed(search: str, limit: int, as_json: bool) -> None:
    """List who did what and what was refused, newest first; with --json one entry a line.

    \b
    Example: caddrel audit list --search publish
    """
    with connect() as service:
        page = service.audit.list(search, limit=limit)
    if as_json:
        for entry in page.items:
            write_line(entry)
        return
    if not page.items:
        say("Nothing was changed or refused yet." if not search else "No entry has that text.")
        return
    for e in page.items:
        did = f"{e.did.partition(' ')[0]} {e.target.removeprefix('/api/v1/')}"
        line = f"{e.seq:>5}  {e.at[5:19].replace('T', ' ')}  {e.outcome:<18}  {did}, by {e.who}"
        say(Text(line, style="" if e.outcome == "done" else "red"))
        if e.note:
            say(Text(e.note, style="dim"), indent=7)
    if page.next is not None:
        remark("There are more: see --limit and --search.")


@audit.command()
@json_option
def verify(as_json: bool) -> None:
    """Check that every entry follows from the one before: that nobody changed or took one out.

    \b
    Example: caddrel audit verify
    """
    with connect() as service:
        found = service.audit.verify()
    if as_json:
        write_json(found)
    elif found.whole:
        say(f"The audit trail is whole: {found.entries} entries, each following from the one before.")
    else:
        say(f"The audit trail was changed: entry {found.broken} does not follow from the one before.")
    if not found.whole:
        raise AnswerIsNo
