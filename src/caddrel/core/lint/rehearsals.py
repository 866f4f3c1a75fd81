"""Kept rehearsals that no longer give what they must."""

from __future__ import annotations

from collections.abc import Iterator

from caddrel.core.decide.interpreter.interpreter import Explained, explain
from caddrel.core.facts.facts import Setting
from caddrel.core.inventory.completion import complete
from caddrel.core.inventory.index import Inventory
from caddrel.core.lint.context import Context, Findings
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


def _not_at_hand(rehearsal: Rehearsal, inventory: Inventory | None) -> bool:
    """Tell whether a rehearsal is about somebody or something that no inventory at hand knows."""
    if inventory is None:
        return True
    known = {"person.id": inventory.people, "app.id": inventory.apps, "device.id": inventory.devices}
    return any(fact in rehearsal.attempt and rehearsal.attempt[fact] not in there for fact, there in known.items())


def check(context: Context) -> Findings:
    """Decide every kept rehearsal and find those with another outcome."""
    for rehearsal, explained in kept(context):
        outcome = explained.decision.outcome
        if not explained.decision.certain and _not_at_hand(rehearsal, context.inventory):
            missing = ", ".join(explained.decision.unknown[:4])
            message = f"`{rehearsal.id}` cannot be told without whom and what it names: {missing}"
            yield context.finding(f"rehearsals.{rehearsal.id}", OPEN, message, "give one: --inventory FILE", "note")
        elif outcome != rehearsal.expect:
            yield context.finding(
                f"rehearsals.{rehearsal.id}",
                FAILS,
                f"`{rehearsal.id}` must be {rehearsal.expect}, and is {outcome}",
                plain(decision_words(explained)),
            )
