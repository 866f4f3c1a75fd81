"""Remedies of a decision as readers see them."""

from __future__ import annotations

from collections.abc import Sequence

from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.decide.interpreter.interpreter import Explained
from caddrel.core.facts.values import to_json
from caddrel.core.inventory.index import Inventory
from caddrel.core.language.printer import print_item
from caddrel.core.remedies.search import Remedy, remedies, together
from caddrel.core.remedies.steps import Step
from caddrel.core.words.pieces import Piece
from caddrel.core.words.remedies import remedy_words
from caddrel.service.rulebooks.view import pieces
from caddrel.service.state.context import State
from caddrel.wire import decisions as wire


def remedies_of(
    state: State, explained: Explained, compiled: CompiledRulebook, inventory: Inventory
) -> list[wire.Remedy]:
    """Return what would have led to a better outcome, the easiest first."""
    found = remedies(explained, compiled, inventory, state.addresses)
    id = explained.facts.values.get("person.id")
    entry = inventory.people.get(str(id))
    title = (entry.title if entry else "") or (str(id) if id is not None else "")
    person = Piece(title, "person", str(id)) if title else Piece("the person")
    return [_view(group, explained, person) for group in together(found)]


def _view(group: Sequence[Remedy], explained: Explained, person: Piece) -> wire.Remedy:
    remedy = group[0]
    return wire.Remedy(
        outcome=remedy.decision.outcome,
        outstanding=[print_item(item) for item in remedy.decision.outstanding],
        who=remedy.who.words,
        sentence=pieces(remedy_words(group, explained.rulebook, person)),
        steps=[_step(step) for step in remedy.steps],
        instead=[_step(step) for each in group[1:] for step in each.steps if step.place],
    )


def _step(step: Step) -> wire.RemedyStep:
    facts = {name: to_json(value) for name, value in step.facts.items()}
    adds = {"auth.methods": sorted(step.adds)} if step.adds else {}
    return wire.RemedyStep(step.says, step.who.words, facts | adds)
