"""`caddrel rulebook about`: which policies have to do with a person and an app, and what one policy adds."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click
from rich.text import Text

from caddrel.cli.failures import AnswerIsNo
from caddrel.cli.files import read_inventory_file
from caddrel.cli.given import FORMS, facts_given, read_documents, side, sources
from caddrel.cli.meanings import tell_meaning
from caddrel.cli.output import heading, json_option, mark, plain, say, write_json
from caddrel.cli.profile import connect
from caddrel.core.diagnostics import did_you_mean
from caddrel.core.inventory.index import Inventory
from caddrel.core.rulebook.model import Rulebook
from caddrel.wire.decoding import convert
from caddrel.wire.proofs import AboutResult, Meaning, PolicyPart

_ABOUT = ("person", "app", "policy")


@click.command()
@click.argument("what", nargs=-1, required=True, metavar="person=ID app=ID | policy=ID")
@click.option("--rulebook", "given", default="current", show_default=True, help=f"{FORMS}.")
@click.option(
    "--inventory",
    "inventory_path",
    type=click.Path(path_type=Path, exists=True, dir_okay=False),
    help="For a file: JSON with people, groups, devices, apps and lists.",
)
@json_option
def about(what: tuple[str, ...], given: str, inventory_path: Path | None, as_json: bool) -> None:
    """Tell which policies speak about a person and an app, and which ever decide; or what one policy adds.

    \b
    Examples: caddrel rulebook about person=ines.faro app=farebox
              caddrel rulebook about app=berthplan --rulebook draft:guests-at-the-berths
              caddrel rulebook about policy=base-mfa
    """
    asked = facts_given(what, "app=farebox")
    for name in asked:
        if name not in _ABOUT:
            hint = did_you_mean(name, _ABOUT, "give a person, an app or a policy")
            raise click.UsageError(f"there is no `{name}` here; {hint}")
    if not all(asked.values()):
        raise click.UsageError("a person, app or policy is named by its id")
    if "policy" in asked and len(asked) > 1:
        raise click.UsageError("give a policy alone, or a person and an app")
    inventory = read_inventory_file(inventory_path) if inventory_path is not None else None
    if "policy" in asked:
        _adds(asked["policy"], given, inventory, as_json)
        return
    person, app = asked.get("person", ""), asked.get("app", "")
    chosen = side(given)
    if chosen.files is None:
        with connect() as service:
            found = service.proofs.about(person, app, chosen)
    else:
        found = _about_here(read_documents(sources(given)), person, app, inventory)
    if as_json:
        write_json(found)
    else:
        _tell(found)
    if not found.whole:
        raise AnswerIsNo


def _about_here(rulebook: Rulebook, person: str, app: str, inventory: Inventory | None) -> AboutResult:
    from caddrel.cli.prove import time_left
    from caddrel.core.prove.about import Case, Subject
    from caddrel.core.prove.about import about as asking
    from caddrel.core.prove.report import about_json
    from caddrel.core.words.pieces import pieces_json
    from caddrel.core.words.proofs import story_words

    if inventory is None:
        raise click.UsageError("a file does not say who and what there is: give --inventory too")
    for noun, id, among in (("person", person, inventory.people), ("app", app, inventory.apps)):
        if id and id not in among:
            raise click.UsageError(f"there is no {noun} `{id}`; {did_you_mean(id, among, 'names are their ids')}")

    def words_of(case: Case) -> dict[str, Any]:
        return {"story": pieces_json(story_words(case.explained, case.attempt))}

    found = asking(rulebook, Subject(person, app), inventory, time_left())
    return convert(about_json(found, words_of), AboutResult)


def _adds(policy: str, given: str, inventory: Inventory | None, as_json: bool) -> None:
    chosen = side(given)
    if chosen.files is None:
        with connect() as service:
            found = service.proofs.adds(policy, chosen)
    else:
        found = _adds_here(read_documents(sources(given)), policy, inventory)
    if as_json:
        write_json({"meaning": found})
    else:
        tell_meaning(found)
    if not found.exact:
        raise AnswerIsNo


def _adds_here(rulebook: Rulebook, policy: str, inventory: Inventory | None) -> Meaning:
    from caddrel.cli.meanings import compared_here
    from caddrel.core.prove.guarantees import without_and_with
    from caddrel.core.words.proofs import WITHOUT_IT

    if policy not in rulebook.policies:
        hint = did_you_mean(policy, rulebook.policies, "policies are written as their ids")
        raise click.UsageError(f"there is no policy `{policy}`; {hint}")
    return convert(compared_here(*without_and_with(rulebook, policy), inventory, WITHOUT_IT), Meaning)


def _tell(found: AboutResult) -> None:
    heading("What is possible")
    for each in found.outcomes:
        say(mark(each.outcome) + Text("  ") + plain(each.story), indent=2)
    deciding = [part for part in found.policies if part.decides]
    speaking = [part for part in found.policies if part.speaks and not part.decides]
    silent = [part for part in found.policies if not part.speaks]
    if deciding:
        say("")
        heading("Policies that ever decide")
    for part in deciding:
        say(_line(part), indent=2)
        for each in part.decides:
            say(mark(each.outcome) + Text("  ") + plain(each.story), indent=4)
    for title, parts in (("Policies that speak, and never decide", speaking), ("Policies that never speak", silent)):
        if parts:
            say("")
            heading(title)
        for part in parts:
            say(_line(part), indent=2)
    if not found.whole:
        say("Time ran out before all was looked at.")


def _line(part: PolicyPart) -> Text:
    shadow = "  in shadow, as if it were enforced" if part.mode == "shadow" else ""
    return Text(part.title, style="bold") + Text(f"  {part.policy}{shadow}", style="dim")
