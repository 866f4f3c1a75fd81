"""Kept rehearsals that no longer give what they must."""

from __future__ import annotations

from caddrel.core.decide.interpreter import explain
from caddrel.core.facts.completion import Setting, complete
from caddrel.core.lint.finding import Context, Findings
from caddrel.core.words.decisions import decision_words
from caddrel.core.words.pieces import plain

FAILS, OPEN = "rehearsal-fails", "rehearsal-open"
CODES = (FAILS, OPEN)


def check(context: Context) -> Findings:
    """Decide every kept rehearsal and find those with another outcome."""
    rulebook = context.rulebook
    for rehearsal in rulebook.rehearsals.values():
        facts = complete(
            rehearsal.attempt, rulebook.catalogue, rulebook.settings.assume, context.inventory, Setting.REHEARSAL
        )
        explained = explain(rulebook, facts)
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
