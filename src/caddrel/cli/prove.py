"""`caddrel prove`: whether guarantees hold. A file needs no service; what the service has is proven there."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any, Literal

import click
from rich.text import Text

from caddrel.cli.failures import AnswerIsNo
from caddrel.cli.files import read_inventory_file
from caddrel.cli.given import FORMS, read_documents, side, sources
from caddrel.cli.output import SHAPES, json_option, plain, say, write_json
from caddrel.cli.profile import connect
from caddrel.core.diagnostics import did_you_mean
from caddrel.core.words.guarantees import guarantee_words
from caddrel.core.words.pieces import plain as plain_words
from caddrel.core.words.proofs import story_words
from caddrel.wire.decoding import convert
from caddrel.wire.proofs import GuaranteeAnswer

_SHAPES = {"holds": "true", "fails": "false", "undecided": "unknown"}
SECONDS = 60.0


def time_left(seconds: float = SECONDS) -> Callable[[], float]:
    """Return what tells how many seconds are left."""
    until = time.monotonic() + seconds
    return lambda: until - time.monotonic()


@click.command()
@click.option("--rulebook", "given", default="current", show_default=True, help=f"{FORMS}.")
@click.option("--guarantee", default="", metavar="ID", help="Only this one.")
@click.option(
    "--who", type=click.Choice(["anyone", "inventory"]), help="Of whom, instead of what the guarantee says itself."
)
@click.option(
    "--inventory",
    "inventory_path",
    type=click.Path(path_type=Path, exists=True, dir_okay=False),
    help="For a file: JSON with people, groups, devices, apps and lists.",
)
@json_option
def prove(
    given: str,
    guarantee: str,
    who: Literal["anyone", "inventory"] | None,
    inventory_path: Path | None,
    as_json: bool,
) -> None:
    """Prove that guarantees hold for every attempt, or show one that breaks them; exits with 1 when one does not hold.

    \b
    Examples: caddrel prove
              caddrel prove --rulebook draft:tablets-need-may --guarantee manifest-is-proven
              caddrel prove --rulebook rulebook.yaml --who anyone --json
    """
    chosen = side(given)
    if chosen.files is None:
        with connect() as service:
            found = service.proofs.guarantees(chosen, guarantee, who or "")
        documents: list[Any] = list(found)
    else:
        documents = _proven_here(given, guarantee, who, inventory_path)
        found = [convert(document, GuaranteeAnswer) for document in documents]
    if as_json:
        write_json({"guarantees": documents})
    elif not found:
        say("The rulebook has no guarantees.")
    else:
        for each in found:
            _tell(each)
    if any(each.answer != "holds" for each in found):
        raise AnswerIsNo


def _proven_here(given: str, only: str, who: str | None, inventory_path: Path | None) -> list[dict[str, Any]]:
    # The solver is loaded by nothing else, and takes a while.
    from caddrel.core.prove.guarantees import Prover
    from caddrel.core.prove.report import proven_json, remedy_json

    rulebook = read_documents(sources(given))
    inventory = read_inventory_file(inventory_path) if inventory_path is not None else None
    wanted = list(rulebook.guarantees.values())
    if only:
        if only not in rulebook.guarantees:
            hint = did_you_mean(only, rulebook.guarantees, f"there are {', '.join(rulebook.guarantees) or 'none'}")
            raise click.UsageError(f"there is no guarantee `{only}`; {hint}")
        wanted = [rulebook.guarantees[only]]
    documents = []
    asked = [replace(guarantee, who=who) if who else guarantee for guarantee in wanted]
    prover = Prover(rulebook, asked, inventory, time_left())
    for guarantee in asked:
        began = time.monotonic()
        proven = prover.prove(guarantee)
        document = proven_json(proven, time.monotonic() - began)
        document |= remedy_json(rulebook, proven, inventory, time_left())
        document["title"] = guarantee.title or guarantee.id
        document["says"] = [{"text": plain_words(guarantee_words(guarantee, rulebook))}]
        if proven.counterexample is not None:
            story = story_words(proven.counterexample.explained, proven.counterexample.attempt)
            document["counterexample"]["story"] = [{"text": plain_words(story)}]
        documents.append(document)
    return documents


def _tell(found: GuaranteeAnswer) -> None:
    shape, style = SHAPES[_SHAPES[found.answer]]
    since = f", since {found.since[:10]}" if found.since else ""
    say(Text(f"{shape} {found.answer}", style=style) + Text(f": {found.title}{since}"))
    say(plain(found.says), indent=2)
    if found.empty:
        say("This asks nothing: no attempt is one that it speaks of.", indent=2)
    example = found.counterexample
    if example is not None:
        say(plain(example.story), indent=2)
        let = ", ".join(f"{ref.policy} / {ref.rule}" for ref in example.deciding) or "no policy, so the app's stance"
        say(f"{example.outcome} by {let}", indent=2)
    if found.remedy is not None and found.remedy.mends:
        say(f"What mends it, proven to: caddrel draft put DRAFT {found.remedy.path} -", indent=2)
        click.echo("".join(f"    {line}\n" for line in found.remedy.text.splitlines()), nl=False)
