"""What rulebooks mean, from the command line: two of them compared, and what does nothing in one.

Not here: guarantees (`cli/prove`).
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from rich.text import Text

from caddrel.cli.failures import AnswerIsNo
from caddrel.cli.given import read_documents, side, sources
from caddrel.cli.output import mark, plain, say, write_json
from caddrel.cli.profile import connect
from caddrel.core.inventory.index import Inventory
from caddrel.core.rulebook.model import OUTCOMES, Rulebook
from caddrel.core.rulebook.source import Source
from caddrel.wire.decoding import convert
from caddrel.wire.proofs import IdleResult, Meaning, MeaningChange

FAIL_ON = ("loosened", "tightened", "any")


def compare_meaning(before: str, after: str, fail_on: str, only: str, as_json: bool) -> None:
    """Tell what differs between two rulebooks in meaning, or what one change does; files alone need no service.

    Raises
    ------
    AnswerIsNo
        When they differ in the way that is asked for, or it could not be told.
    """
    sides = (side(before), side(after))
    if all(each.files is not None for each in sides):
        one, other = (read_documents(sources(each)) for each in (before, after))
        found = convert(compared_here(one, _changed(one, other, only)), Meaning)
    else:
        with connect() as service:
            found = service.proofs.meaning(*sides, only)
    if as_json:
        write_json({"meaning": found})
    else:
        tell_meaning(found)
    if not found.exact or (found.definitions and fail_on == "any"):
        raise AnswerIsNo
    if any(fail_on in {"any", direction(change)} for change in found.changes):
        raise AnswerIsNo


def _changed(one: Rulebook, other: Rulebook, only: str) -> Rulebook:
    from caddrel.core.prove.one_change import with_only

    return with_only(one, other, only) if only else other


def direction(change: MeaningChange) -> str:
    """Tell whether a change makes something milder or stricter; neither where only something else is asked for."""
    before, after = OUTCOMES.index(change.before), OUTCOMES.index(change.after)
    return "loosened" if after < before else "tightened" if after > before else ""


def compared_here(
    one: Rulebook, other: Rulebook, inventory: Inventory | None = None, beside: str = "until now"
) -> dict[str, Any]:
    """Return two rulebooks compared by what they mean, without a service."""
    from caddrel.cli.prove import time_left
    from caddrel.core.prove.comparison import Change
    from caddrel.core.prove.places import places
    from caddrel.core.prove.report import compared_json
    from caddrel.core.prove.witness import explained
    from caddrel.core.words.pieces import plain as words
    from caddrel.core.words.proofs import change_words, meaning_words

    def words_of(change: Change) -> dict[str, Any]:
        story = change_words(change, explained(other, change.attempt, inventory), beside=beside)
        return {"story": [{"text": words(story)}]}

    document = compared_json(one, other, inventory, time_left(), places(one, other, inventory), words_of)
    document["sentence"] = meaning_words(document, beside)
    return document


def tell_meaning(found: Meaning) -> None:
    """Tell what differs in meaning."""
    say(found.sentence)
    for change in found.changes:
        say("")
        say(mark(change.before) + Text(" → ") + mark(change.after))
        say(plain(change.story), indent=2)
        for name, held in (("in", change.apps), ("of", change.people)):
            if held:
                say(Text(f"{name} {', '.join(held)}", style="dim"), indent=2)
        before, after = change.outstanding
        if before != after:
            say(f"asked for before: {', '.join(before) or 'nothing'}; now: {', '.join(after) or 'nothing'}", indent=2)
        for when, rules in (("before", change.because.before), ("now", change.because.after)):
            if rules:
                say(Text(f"{when} by {', '.join(f'{r.policy} / {r.rule}' for r in rules)}", style="dim"), indent=2)


def idle_here(rulebook: Rulebook, sources: Sequence[Source]) -> IdleResult:
    """Return what does nothing in a rulebook that was read from documents, proven here."""
    from caddrel.cli.prove import time_left
    from caddrel.core.prove import dead_rules
    from caddrel.core.rulebook.edit.objects import objects_of
    from caddrel.core.words.proofs import idle_json

    left = time_left()
    texts = objects_of(sources)
    rules, policies = dead_rules.idle(rulebook, None, left), dead_rules.redundant(rulebook, None, left)
    items = [idle_json(i, texts.get(("policies", i.policy), "")) for i in (*rules.items, *policies.items)]
    return convert({"items": items, "whole": rules.whole and policies.whole}, IdleResult)


def tell_idle(found: IdleResult) -> None:
    """Tell what does nothing."""
    for each in found.items:
        say(Text(f"{each.kind}: ", style="bold") + Text(each.says))
        if each.change is not None and not each.change.same:
            say(Text("to take it out changes what happens where a fact is unknown", style="dim"), indent=2)
    if not found.items and found.whole:
        say("Every rule can fire, and every policy changes something.")
    elif any(each.change is not None and each.change.same for each in found.items):
        say(Text("caddrel draft tidy NAME takes out of a draft what can go without a change", style="dim"))
    if not found.whole:
        say("Time ran out before all was looked at.")
