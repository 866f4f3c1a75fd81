"""Kept rehearsals that no longer give what they must."""

from __future__ import annotations

from collections.abc import Iterator

from caddrel.core.decide.interpreter import Explained, explain
from caddrel.core.facts.completion import Setting, complete
from caddrel.core.lint.finding import Context, Findings
from caddrel.core.rulebook.model import Rehearsal
from caddrel.core.words.decisions import decision_words
from caddrel.core.words.pieces import plain

FAILS, OPEN = "rehearsal-fails", "rehearsal-open"
CODES = (FAILS, OPEN)


def kept(context: Context) -> Iterator[tuple[Rehearsal, Explained]]:
    """Yield every kept rehearsal with what it comes to."""
    rulebook = context.rulebook
    for rehearsal in rulebook.rehearsals.values():
        facts = complete(
            rehearsal.attempt, rulebook.catalogue, rulebook.settings.assume, context.inventory, Setting.REHEARSAL
        )
        yield rehearsal, explain(rulebook, facts)


def check(context: Context) -> Findings:
    """Decide every kept rehearsal and find those with another outcome."""
    for rehearsal, explained in kept(context):
        outcome = explained.decision.outcome
        if context.inventory is None and not explained.decision.certain:
            missing = ", ".join(explained.decision.unknown[:4])
            message = f"`{rehearsal.id}` cannot be told without the inventory: {missing}"
            yield context.finding(f"rehearsals.{rehearsal.id}", OPEN, message, "give one: --inventory FILE", "note")
        elif outcome != rehearsal.expect:
            yield context.finding(
                f"rehearsals.{rehearsal.id}",
                FAILS,
                f"`{rehearsal.id}` must be {rehearsal.expect}, and is {outcome}",
                plain(decision_words(explained)),
            )
