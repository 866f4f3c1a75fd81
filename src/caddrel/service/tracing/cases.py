"""All cases of a rehearsal, as they travel.

Not here: finding them (`core.cases`), and their sentence (`core.words.cases`).
"""

from __future__ import annotations

import time

from caddrel.core.cases.answer import Answer, all_cases
from caddrel.core.cases.space import KnownAddresses
from caddrel.core.cases.tree import Fork, Leaf, Tree
from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.decide.decision import Decision
from caddrel.core.facts.facts import Facts
from caddrel.core.facts.values import to_json
from caddrel.core.inventory.index import Inventory
from caddrel.core.language.nodes import Item
from caddrel.core.language.printer import print_condition, print_item
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.words.cases import cases_words, question_words
from caddrel.core.words.pieces import Sentence, capital, say
from caddrel.service.rulebooks.view import pieces
from caddrel.service.state.context import State
from caddrel.service.tracing.views import decision_view
from caddrel.wire import cases as wire

# Seconds; what is found until then is told, and that other outcomes are not excluded.
LONGEST = 2.0
# Of so many networks of the address data; of larger data the answer says that others are not excluded.
MOST_NETWORKS = 4_000


def open_cases(
    rulebook: Rulebook,
    compiled: CompiledRulebook,
    facts: Facts,
    inventory: Inventory,
    person: str,
    door: Sentence,
    decision: Decision,
    known: KnownAddresses | None,
) -> wire.OpenCases:
    """Return what can come of an attempt whose facts are completed.

    Parameters
    ----------
    door
        What the door would do, as a sentence; `decision` is that.

    Raises
    ------
    ContradictoryFacts
        When no case has the facts that were given.
    """
    until = time.monotonic() + LONGEST
    answer = all_cases(rulebook, facts, inventory, lambda: time.monotonic() > until, known)
    # What is settled and certain has a better sentence, which says why.
    settled = _settled(answer, decision)
    said = door if settled else cases_words(answer, rulebook, facts, person)
    return wire.OpenCases(
        pieces(said),
        pieces(capital(say("if nothing more is reported: ", door)) if not settled else door),
        list(answer.facts),
        answer.exact,
        list(answer.possible),
        list(answer.order),
        {outcome: _json(witness.facts, list(witness.facts.values)) for outcome, witness in answer.witnesses.items()},
        _node(answer, answer.tree, rulebook, compiled),
        settled,
    )


def _settled(answer: Answer, decision: Decision) -> bool:
    """Tell whether all cases come to what the door would decide, and by the rules that it would name."""
    tree = answer.tree
    named = isinstance(tree, Leaf) and set(decision.deciding) <= set(tree.always)
    return named and decision.certain and answer.exact


def known_addresses(state: State) -> KnownAddresses | None:
    """Return what is known about addresses, None when no data are loaded."""
    if state.addresses is None or not state.addresses.count:
        return None
    edges, whole = state.addresses.edges(MOST_NETWORKS)
    return KnownAddresses(state.addresses, edges, whole)


def _json(facts: Facts, names: list[str]) -> dict[str, object]:
    return {name: to_json(facts.values[name]) for name in sorted(names) if name in facts.values}


def _node(answer: Answer, tree: Tree, rulebook: Rulebook, compiled: CompiledRulebook) -> wire.CaseNode:
    if isinstance(tree, Leaf):
        return _leaf(answer, tree, compiled)
    yes, no = (_node(answer, side, rulebook, compiled) for side in (tree.yes, tree.no))
    item = isinstance(tree.asks, Item)
    return wire.CaseNode(
        possible=[each for each in answer.possible if each in {*yes.possible, *no.possible}],
        asks=_asked(tree),
        kind="item" if item else "test",
        yes_words=pieces(capital(question_words(tree.asks, True, rulebook))),
        no_words=pieces(capital(question_words(tree.asks, False, rulebook))),
        yes=yes,
        no=no,
    )


def _asked(fork: Fork) -> str:
    return print_item(fork.asks) if isinstance(fork.asks, Item) else print_condition(fork.asks)


def _leaf(answer: Answer, leaf: Leaf, compiled: CompiledRulebook) -> wire.CaseNode:
    facts = answer.case_of(leaf)
    if facts is None:
        return wire.CaseNode(list(leaf.possible))
    decision = decision_view(compiled.decide(facts))
    return wire.CaseNode(
        list(leaf.possible),
        deciding=decision.deciding,
        facts=_json(facts, list(answer.facts)),
        outstanding=decision.outstanding,
        in_the_way=decision.in_the_way,
        tell=decision.tell,
    )
