"""`caddrel password`: candidates against the password standards, and who is locked out."""

from __future__ import annotations

import sys

import click
from rich.text import Text

from caddrel.cli.failures import AnswerIsNo
from caddrel.cli.output import SHAPES, json_option, say, write_json
from caddrel.cli.profile import connect


@click.group()
def password() -> None:
    """Password standards: check candidates, see lock-outs."""


@password.command("check")
@click.argument("person")
@click.option("--app", default="", help="For this app; else every standard that may apply does.")
@json_option
def check(person: str, app: str, as_json: bool) -> None:
    """Check a candidate password, typed unseen or given on standard input; it is kept nowhere.

    \b
    Example: caddrel password check tove.brekke --app farebox
    """
    typed = sys.stdin.isatty()
    candidate = click.prompt("Candidate", hide_input=True, err=True) if typed else sys.stdin.readline().rstrip("\r\n")
    with connect() as service:
        found = service.passwords.check(person, candidate, app)
    if as_json:
        write_json(found)
    else:
        for standard in found.standards:
            shape, style = SHAPES["false" if standard.failed else "true"]
            verdict = "fails" if standard.failed else "passes"
            say(Text(f"{shape} {verdict}", style=style) + Text(f"  {standard.title or standard.standard}"))
            for failed in standard.failed:
                say(f"{failed.rule}: {failed.says}", indent=2)
            for rule in standard.not_checked:
                say(f"{rule}: cannot be told", indent=2)
        if not found.standards:
            say("No password standard applies.")
    if not found.passes:
        raise AnswerIsNo


@password.command("lock")
@click.argument("person")
@click.option("--app", default="", help="For this app; else by every standard that may apply.")
@json_option
def lock(person: str, app: str, as_json: bool) -> None:
    """Tell whether a person is locked out for too many wrong passwords; exits with 1 when so.

    \b
    Example: caddrel password lock tove.brekke
    """
    with connect() as service:
        found = service.passwords.lock_state(person, app)
    if as_json:
        write_json(found)
    elif found.locked:
        say(f"{person} is locked out until {found.until} by {found.standard}: {found.wrong} wrong passwords.")
    else:
        say(f"{person} is not locked out.")
    if found.locked:
        raise AnswerIsNo


@password.command("unlock")
@click.argument("person")
@json_option
def unlock(person: str, as_json: bool) -> None:
    """Lift a person's lock-out: wrong passwords up to now count no more.

    \b
    Example: caddrel password unlock tove.brekke
    """
    with connect() as service:
        found = service.passwords.lift_lock(person)
    if as_json:
        write_json(found)
        return
    say(f"{person} is not locked out.")
