"""`caddrel sessions`: who is in, and ending it."""

from __future__ import annotations

from typing import Any

import click

from caddrel.cli.output import json_option, say, table, write_json, write_line
from caddrel.cli.profile import connect


@click.group()
def sessions() -> None:
    """Sessions of doors: list them, end one."""


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
