"""A remedy as a plain sentence: "Allowed, had Ines Faro turned off the VPN"."""

from __future__ import annotations

from collections.abc import Sequence

from caddrel.core.remedies.search import Remedy
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.words.conditions import item_words
from caddrel.core.words.pieces import Piece, Sentence, joined, plain, say


def remedy_words(group: Sequence[Remedy], rulebook: Rulebook, person: Piece) -> Sentence:
    """Return what a remedy leads to, and what would have had to be done.

    Parameters
    ----------
    group
        One remedy, or several that differ in the place alone.
    """
    remedy = group[0]
    outcome = "Allowed"
    needed: Sentence = ()
    if remedy.decision.outcome == "challenged":
        outcome = "Challenged"
        items = joined((item_words(item, rulebook) for item in remedy.decision.outstanding), "and")
        needed = say(" (for ", items, ")")
    places = list(dict.fromkeys(step.place for each in group for step in each.steps if step.place))
    somewhere = f"come from {plain(joined(map(say, places), 'or'))}" if places else ""
    steps = [somewhere if step.place else step.says for step in remedy.steps]
    # Steps that have an "and" of their own would run into one another.
    nested = len(steps) > 1 and any(" and " in step for step in steps)
    done = say("; and ".join(steps)) if nested else joined(map(say, steps), "and")
    return say(outcome, needed, ", had ", person, " ", done, ".")
