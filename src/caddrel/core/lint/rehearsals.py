"""Kept rehearsals that no longer give what they must."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

from caddrel.core.cases.answer import all_cases
from caddrel.core.cases.ownership import ContradictoryFacts
from caddrel.core.decide.decision import RuleRef
from caddrel.core.decide.interpreter.interpreter import Explained, explain
from caddrel.core.diagnostics import Danger
from caddrel.core.facts.facts import Setting
from caddrel.core.inventory.completion import complete
from caddrel.core.inventory.index import Inventory
from caddrel.core.lint.context import Context, Findings
from caddrel.core.rulebook.model import Rehearsal, Rulebook
from caddrel.core.words.decisions import decision_words, policy_title
from caddrel.core.words.pieces import plain

FAILS, OPEN = "rehearsal-fails", "rehearsal-open"
CODES: dict[str, Danger] = {FAILS: "somebody-gets-in", OPEN: "tidiness"}
# How often time is asked for before the search for all cases gives up.
MOST_LOOKS = 60
MOST_NAMED = 3


@dataclass(frozen=True, slots=True)
class Kept:
    """A kept rehearsal with the outcome that it has.

    Attributes
    ----------
    possible
        Where it is about open facts, the outcomes that some case has.
    exact
        False when not all cases could be looked at: others are not excluded then.
    decides
        The rules that decide what it must not come to; of one that is as it must be, those that decide it.
    """

    rehearsal: Rehearsal
    explained: Explained
    possible: tuple[str, ...] = ()
    exact: bool = True
    decides: tuple[RuleRef, ...] = ()

    @property
    def outcome(self) -> str:
        """What it comes to, in words."""
        said = " or ".join(self.possible) or self.explained.decision.outcome
        return said if self.exact else f"{said}, or something else that could not be excluded"

    @property
    def ok(self) -> bool:
        """Whether it comes to what it must."""
        wanted = self.rehearsal
        fits = not wanted.expect or self.explained.decision.outcome in wanted.expect
        # What was not looked at may hold what must not be: only all cases are good enough.
        return fits and (not wanted.expect_open or (self.exact and set(self.possible) == set(wanted.expect_open)))


def kept(context: Context) -> Iterator[Kept]:
    """Yield every kept rehearsal with the outcome that it has."""
    for rehearsal in context.rulebook.rehearsals.values():
        yield judged(rehearsal, context.rulebook, context.inventory)


def judged(rehearsal: Rehearsal, rulebook: Rulebook, inventory: Inventory | None) -> Kept:
    """Return what a rehearsal comes to under a rulebook."""
    facts = complete(rehearsal.attempt, rulebook.catalogue, rulebook.settings.assume, inventory, Setting.REHEARSAL)
    explained = explain(rulebook, facts)
    if not rehearsal.expect_open:
        return Kept(rehearsal, explained, decides=explained.decision.deciding)
    # Without a clock, so that it comes out the same whenever it is checked.
    try:
        answer = all_cases(rulebook, facts, inventory, _after(MOST_LOOKS))
    except ContradictoryFacts:
        return Kept(rehearsal, explained, ("no case at all",))
    unwanted = [each for each in answer.possible if each not in rehearsal.expect_open] or list(answer.possible)
    decides = dict.fromkeys(ref for each in unwanted for ref in answer.witnesses[each].decision.deciding)
    if rehearsal.expect and explained.decision.outcome not in rehearsal.expect:
        decides = dict.fromkeys((*explained.decision.deciding, *decides))
    return Kept(rehearsal, explained, answer.possible, answer.exact, tuple(decides))


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
            message = f"`{rehearsal.id}` must be {wanted}, and is {each.outcome}{_by(each, context.rulebook)}"
            hint = plain(decision_words(each.explained))
            yield context.finding(f"rehearsals.{rehearsal.id}", FAILS, message, hint)


def _by(kept: Kept, rulebook: Rulebook) -> str:
    """Return which policies decide what must not be."""
    titles = list(dict.fromkeys(f"“{plain((policy_title(rulebook.policies[ref.policy]),))}”" for ref in kept.decides))
    more = f" and {len(titles) - MOST_NAMED} more" if len(titles) > MOST_NAMED else ""
    return f" by {', '.join(titles[:MOST_NAMED])}{more}" if titles else ""
