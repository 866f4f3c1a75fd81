"""`caddrel doctor`: how the service is set up and fed."""

from __future__ import annotations

import click
from rich.text import Text

from caddrel.cli.failures import AnswerIsNo
from caddrel.cli.output import SHAPES, json_option, say, write_json
from caddrel.cli.profile import connect

_LIKE = {"good": "true", "doubtful": "unknown", "bad": "false"}


@click.command()
@json_option
def doctor(as_json: bool) -> None:
    """Look the service over; exits with 1 when something is bad.

    \b
    Example: caddrel doctor
    """
    with connect() as service:
        found = service.examine()
    if as_json:
        write_json(found)
    else:
        for symptom in found.symptoms:
            shape, style = SHAPES[_LIKE[symptom.state]]
            style = "red" if symptom.state == "bad" else style
            say(Text(f"{shape} {symptom.state:<9}", style=style) + Text(f" {symptom.about}: {symptom.says}"))
            if symptom.hint:
                say(Text(symptom.hint, style="dim"), indent=12)
    if not found.well:
        raise AnswerIsNo
