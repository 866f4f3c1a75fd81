"""`caddrel sessions`: who is in, and ending it; what would end many, looked at first."""

from __future__ import annotations

from typing import Any

import click
from rich.text import Text

from caddrel.cli.failures import AnswerIsNo
from caddrel.cli.output import json_option, say, table, write_json, write_line
from caddrel.cli.profile import connect
from caddrel.core.words.pieces import counted

MOST_TOLD = 12


@click.group()
def sessions() -> None:
    """Sessions of doors: list them, end one; decide about changes that are held."""


@sessions.command("list")
@json_option
def list_sessions(as_json: bool) -> None:
    """List who is in, since when and under which limits; with --json one a line.

    \b
    Example: caddrel sessions list
    """
    with connect() as service:
        found = service.sessions.all()
    if as_json:
        for session in found:
            write_line(session)
        return
    if not found:
        say("Nobody is in.")
        return
    rows: list[list[Any]] = []
    for session in found:
        ends = min((moment for moment in (session.ends_at, session.idle_ends_at) if moment), default="")
        rows.append([_short(session.started), session.person, session.app, session.door, _short(ends), session.id])
    table(["since (UTC)", "person", "app", "door", "ends", "id"], rows)
    for session in found:
        if session.asks:
            say(f"{session.person} will be asked for {', '.join(session.asks)}: {session.because}")


def _short(moment: str) -> str:
    return moment[5:16].replace("T", " ")


@sessions.command("end")
@click.argument("id")
@json_option
def end(id: str, as_json: bool) -> None:
    """End a session: its next request is refused, and the person is asked to sign in again.

    \b
    Example: caddrel sessions end in-d-0123456789abcdef0123
    """
    with connect() as service:
        left = service.sessions.end(id)
    if as_json:
        write_json({"ended": id, "left": len(left)})
    else:
        say("The session has ended.")


@sessions.command()
@json_option
def held(as_json: bool) -> None:
    """List changes that would end many sessions, or an administrator's, with who they are; exits with 1 when any is.

    \b
    Example: caddrel sessions held
    """
    with connect() as service:
        found = service.sessions.held()
    if as_json:
        write_json({"items": found})
    elif not found:
        say("Nothing is held.")
    else:
        for change in found:
            say(Text(f"{change.number}  ", style="bold") + Text(f"{change.because}"))
            say(f"held on {change.at[:16].replace('T', ' ')}: {change.why}", indent=3)
            people = sorted({session.person for session in change.sessions})
            more = f" and {len(people) - MOST_TOLD} more" if len(people) > MOST_TOLD else ""
            say(f"of {', '.join(people[:MOST_TOLD])}{more}", indent=3)
        say(Text("caddrel sessions decide NUMBER --carry-out, or --spare", style="dim"))
    if found:
        raise AnswerIsNo


@sessions.command()
@click.argument("number", type=click.IntRange(1))
@click.option("--carry-out/--spare", "carry_out", default=None, help="End the sessions, or leave them.")
@json_option
def decide(number: int, carry_out: bool | None, as_json: bool) -> None:
    """Decide about a held change: end its sessions, as they come out now, or leave them until something else changes.

    \b
    Example: caddrel sessions decide 1 --carry-out
             caddrel sessions decide 1 --spare
    """
    if carry_out is None:
        raise click.UsageError("say --carry-out or --spare")
    with connect() as service:
        made = service.sessions.decide(number, carry_out=carry_out)
    if as_json:
        write_json(made)
    else:
        say(f"Held change {made.number} is {made.verdict}: {counted(made.sessions, 'session', 'sessions')}.")
