"""`caddrel audit`: every change and refusal."""

from __future__ import annotations

import click
from rich.text import Text

from caddrel.cli.failures import AnswerIsNo
from caddrel.cli.output import json_option, plain, remark, say, write_json, write_line
from caddrel.cli.profile import connect
from caddrel.core.words.pieces import counted


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
        refused = "" if e.outcome == "done" else f" (refused: {e.outcome})"
        line = f"{e.seq:>5}  {e.at[:16].replace('T', ' ')}  {e.who} {plain(e.words)}{refused}"
        say(Text(line, style="red" if refused else ""))
    if page.next is not None:
        remark("There are more: see --limit and --search.")


@audit.command()
@click.option(
    "--expect", default="", metavar="SEQ:HASH", help="An entry that was kept elsewhere, as a checkpoint has it."
)
@click.option("--log", "of_log", is_flag=True, help="Look through the sign-in log too.")
@json_option
def verify(expect: str, of_log: bool, as_json: bool) -> None:
    """Check that every entry is as it was written: that nobody changed one, or took one out.

    What was cut off at the end is found by the checkpoint that the service keeps, or by one that you kept.

    \b
    Example: caddrel audit verify --log
    """
    with connect() as service:
        found = service.audit.verify(expect, of_log)
    if as_json:
        write_json(found)
    elif found.whole:
        say(f"The audit trail is whole: {counted(found.entries, 'entry', 'entries')}, each as it was written.")
    elif found.broken is not None:
        say(f"The audit trail was changed: entry {found.broken} {found.how}.")
    else:
        say(f"The audit trail cannot be relied on: {found.how}.")
    if found.log is not None and not as_json:
        say(
            f"The sign-in log is whole: {found.log.sealed:,} records are as they were written."
            if found.log.whole
            else f"The sign-in log was changed: {found.log.wrong}."
        )
    if not found.whole or (found.log is not None and not found.log.whole):
        raise AnswerIsNo


@audit.command()
@json_option
def checkpoint(as_json: bool) -> None:
    """Write what the audit trail and the sign-in log have come to, signed: keep it elsewhere.

    \b
    Example: caddrel audit checkpoint --json > checkpoint.json
    """
    with connect() as service:
        made = service.audit.checkpoint()
    if as_json:
        write_json(made)
        return
    say(made.checkpoint)
    remark(f"Signature (Ed25519): {made.signature}")
