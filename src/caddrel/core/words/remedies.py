"""A remedy as a plain sentence: "Allowed, had Ines Faro turned off the VPN"."""

from __future__ import annotations

from caddrel.core.remedies.search import Remedy
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.words.conditions import item_words
from caddrel.core.words.pieces import Piece, Sentence, joined, say


def remedy_words(remedy: Remedy, rulebook: Rulebook, person: Piece) -> Sentence:
    """Return what a remedy leads to, and what would have had to be done."""
    outcome = "Allowed"
    needed: Sentence = ()
    if remedy.decision.outcome == "challenged":
        outcome = "Challenged"
        items = joined((item_words(item, rulebook) for item in remedy.decision.outstanding), "and")
        needed = say(" (for ", items, ")")
    # Steps that have an "and" of their own would run into one another.
    nested = len(remedy.steps) > 1 and any(" and " in step.says for step in remedy.steps)
    said = [say(step.says) for step in remedy.steps]
    done = say("; and ".join(step.says for step in remedy.steps)) if nested else joined(said, "and")
    return say(outcome, needed, ", had ", person, " ", done, ".")
