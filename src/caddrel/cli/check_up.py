"""`caddrel check-up`: ready safeguards, each passed, failed with an attempt, or not for this company."""

from __future__ import annotations

from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import click
from rich.text import Text

from caddrel.cli.failures import AnswerIsNo
from caddrel.cli.files import read_inventory_file
from caddrel.cli.given import FORMS, read_documents, side, sources
from caddrel.cli.output import SHAPES, json_option, plain, say, write_json
from caddrel.cli.profile import connect
from caddrel.wire.decoding import convert
from caddrel.wire.proofs import CheckUpRequest, SafeguardAnswer

_SHAPES = {"passes": "true", "fails": "false", "undecided": "unknown", "not-applicable": "off"}


@click.command("check-up")
@click.option("--rulebook", "given", default="current", show_default=True, help=f"{FORMS}.")
@click.option("--safeguard", default="", metavar="NAME", help="Only this one, with all that is known of it.")
@click.option(
    "--sensitive", multiple=True, metavar="LABEL", help="A label of apps that are sensitive.  [default: sensitive]"
)
@click.option(
    "--administration",
    multiple=True,
    metavar="LABEL",
    help="A label of apps that administer.  [default: administration]",
)
@click.option(
    "--inventory",
    "inventory_path",
    type=click.Path(path_type=Path, exists=True, dir_okay=False),
    help="For a file: JSON with people, groups, devices, apps and lists.",
)
@json_option
def check_up(
    given: str,
    safeguard: str,
    sensitive: tuple[str, ...],
    administration: tuple[str, ...],
    inventory_path: Path | None,
    as_json: bool,
) -> None:
    """Go through ready safeguards; exits with 1 when one fails. What mends it is offered, proven to.

    \b
    Examples: caddrel check-up
              caddrel check-up --sensitive passenger-data --sensitive money
              caddrel check-up --safeguard old-programs --rulebook draft:tablets-need-may
    """
    labels = [label.removeprefix("label:") for label in sensitive]
    administering = [label.removeprefix("label:") for label in administration]
    chosen = side(given)
    if chosen.files is None:
        with connect() as service:
            found = service.proofs.check_up(CheckUpRequest(chosen, safeguard, labels, administering))
    else:
        found = _checked_here(given, safeguard, labels, administering, inventory_path)
    if as_json:
        write_json({"safeguards": found})
    else:
        _tell(found, whole=bool(safeguard))
    if any(each.verdict in {"fails", "undecided"} for each in found):
        raise AnswerIsNo


def _checked_here(
    given: str, safeguard: str, sensitive: list[str], administration: list[str], inventory_path: Path | None
) -> list[SafeguardAnswer]:
    from caddrel.cli.prove import time_left
    from caddrel.core.prove.check_up import check_up as checking
    from caddrel.core.prove.report import checked_json
    from caddrel.core.prove.safeguards import Company, safeguards
    from caddrel.core.words.pieces import plain as words
    from caddrel.core.words.proofs import story_words

    names = [each.name for each in safeguards()]
    if safeguard and safeguard not in names:
        raise click.UsageError(f"there is no safeguard `{safeguard}`; there are {', '.join(names)}")
    documents = sources(given)
    inventory = read_inventory_file(inventory_path) if inventory_path is not None else None
    rulebook, now = read_documents(documents), datetime.now(UTC)
    called = (sensitive or ["sensitive"], administration or ["administration"])
    company = Company(rulebook, inventory, now, *called)
    found: list[Any] = []
    for each in checking(company, time_left(), safeguard):
        document = checked_json(each)
        if each.counterexample is not None:
            story = story_words(each.counterexample.explained, each.counterexample.attempt)
            document["counterexample"]["story"] = [{"text": words(story)}]
        found.append(convert(document, SafeguardAnswer))
    return found


def _tell(found: list[SafeguardAnswer], whole: bool) -> None:
    failing = sum(each.verdict == "fails" for each in found)
    for each in found:
        shape, style = SHAPES[_SHAPES[each.verdict]]
        word = each.verdict.replace("-", " ")
        say(
            Text(f"{shape} {word:<15}", style=style) + Text(f" {each.title}") + Text(f"  {each.safeguard}", style="dim")
        )
        if each.since and each.verdict != "not-applicable":
            say(Text(f"since {each.since[:10]}", style="dim"), indent=4)
        if each.counterexample is not None:
            say(plain(each.counterexample.story), indent=4)
        elif each.says:
            say(Text(each.says, style="dim"), indent=4)
        if whole:
            say(f"Why: {each.why}", indent=4)
            say(f"What it costs people: {each.costs}", indent=4)
            process = "no new process" if each.grade == 1 else "a process in the company"
            say(f"It needs {process}.", indent=4)
            if each.remedy is not None:
                proven = "proven to mend it" if each.remedy.mends else "which does not mend it by itself"
                say(f"What mends it, {proven}: caddrel draft put DRAFT {each.remedy.path} -", indent=4)
                click.echo("".join(f"    {line}\n" for line in each.remedy.text.splitlines()), nl=False)
    if not whole:
        say(f"{failing} of {len(found)} safeguards {'fails' if failing == 1 else 'fail'}.")
