"""Kept rehearsals that no longer give what they must."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

from caddrel.core.cases.answer import all_cases
from caddrel.core.cases.ownership import ContradictoryFacts
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
# How often time is asked for before the search for all cases gives up.
MOST_LOOKS = 60


@dataclass(frozen=True, slots=True)
class Kept:
    """A kept rehearsal with what it comes to.

    Attributes
    ----------
    possible
        Where it is about open facts, the outcomes that some case has.
    """

    rehearsal: Rehearsal
    explained: Explained
    possible: tuple[str, ...] = ()

    @property
    def outcome(self) -> str:
        """What it comes to, in words."""
        return " or ".join(self.possible) or self.explained.decision.outcome

    @property
    def ok(self) -> bool:
        """Whether it comes to what it must."""
        wanted = self.rehearsal
        fits = not wanted.expect or self.explained.decision.outcome in wanted.expect
        return fits and (not wanted.expect_open or set(self.possible) == set(wanted.expect_open))


def kept(context: Context) -> Iterator[Kept]:
    """Yield every kept rehearsal with what it comes to."""
    rulebook = context.rulebook
    for rehearsal in rulebook.rehearsals.values():
        facts = complete(
            rehearsal.attempt, rulebook.catalogue, rulebook.settings.assume, context.inventory, Setting.REHEARSAL
        )
        possible: tuple[str, ...] = ()
        if rehearsal.expect_open:
            # Without a clock, so that it comes out the same whenever it is checked.
            try:
                possible = all_cases(rulebook, facts, context.inventory, _after(MOST_LOOKS)).possible
            except ContradictoryFacts:
                possible = ("no case at all",)
        yield Kept(rehearsal, explain(rulebook, facts), possible)


def _after(looks: int) -> Callable[[], bool]:
    left = iter(range(looks))
    return lambda: next(left, None) is None


def _not_at_hand(rehearsal: Rehearsal, inventory: Inventory | None) -> bool:
    """Tell whether a rehearsal is about somebody or something that no inventory at hand knows."""
    if inventory is None:
        return True
    known = {"person.id": inventory.people, "app.id": inventory.apps, "device.id": inventory.devices}
    return any(fact in rehearsal.attempt and rehearsal.attempt[fact] not in there for fact, there in known.items())


def check(context: Context) -> Findings:
    """Decide every kept rehearsal and find those with another outcome."""
    for each in kept(context):
        rehearsal, decision = each.rehearsal, each.explained.decision
        if not decision.certain and not rehearsal.expect_open and _not_at_hand(rehearsal, context.inventory):
            missing = ", ".join(decision.unknown[:4])
            message = f"`{rehearsal.id}` cannot be told without whom and what it names: {missing}"
            yield context.finding(f"rehearsals.{rehearsal.id}", OPEN, message, "give one: --inventory FILE", "note")
        elif not each.ok:
            wanted = f"{'exactly ' if rehearsal.expect_open else ''}{rehearsal.expected}"
            yield context.finding(
                f"rehearsals.{rehearsal.id}",
                FAILS,
                f"`{rehearsal.id}` must be {wanted}, and is {each.outcome}",
                plain(decision_words(each.explained)),
            )
