"""All cases of a rehearsal, as they travel.

Not here: finding them (`core.cases`), and their sentence (`core.words.cases`).
"""

from __future__ import annotations

import time
from collections.abc import Mapping

from caddrel.core.cases.answer import Answer, all_cases
from caddrel.core.cases.known_addresses import KnownAddresses
from caddrel.core.cases.ownership import ContradictoryFacts
from caddrel.core.cases.reads import Reads
from caddrel.core.cases.tree import Fork, Leaf, Tree
from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.decide.decision import Decision
from caddrel.core.facts.facts import Facts
from caddrel.core.facts.types import Value
from caddrel.core.facts.values import show_moment, to_json
from caddrel.core.inventory.index import Inventory
from caddrel.core.language.nodes import Item
from caddrel.core.language.printer import print_condition, print_item
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.words.cases import cases_words, question_words
from caddrel.core.words.pieces import Sentence, capital, say
from caddrel.service.rulebooks.view import pieces
from caddrel.service.state.context import State
from caddrel.service.tracing.completion import completed_now
from caddrel.service.tracing.views import decision_view
from caddrel.wire import cases as wire

# Seconds; what is found until then is told, and that other outcomes are not excluded.
# Seconds of the processor, not of the clock: a busy machine answers later, and the same.
LONGEST = 2.0
# Of so many networks of the address data; of larger data the answer says that others are not excluded.
MOST_NETWORKS = 4_000


class Cases:
    """All cases of an attempt whose facts are completed, and a decided case of each end of the tree.

    Attributes
    ----------
    asked
        What is outstanding or in the way in those cases, and on what is known.

    Raises
    ------
    ContradictoryFacts
        When no case has the facts that were given.
    """

    def __init__(
        self,
        rulebook: Rulebook,
        compiled: CompiledRulebook,
        facts: Facts,
        inventory: Inventory,
        known: KnownAddresses | None,
        decision: Decision,
        read: Reads,
    ) -> None:
        self._rulebook, self._compiled, self._facts = rulebook, compiled, facts
        self._decision = decision
        self.answer = _found(rulebook, facts, inventory, known, read)
        self.settled = _settled(self.answer, decision)
        self.asked: list[Item] = [*decision.outstanding, *decision.in_the_way]

    def view(self, person: str, door: Sentence) -> wire.OpenCases:
        """Return what can come of it.

        Parameters
        ----------
        door
            What the door would do, as a sentence.
        """
        answer = self.answer
        # What is settled and certain has a better sentence, which says why.
        said = door if self.settled else cases_words(answer, self._rulebook, self._facts, person)
        return wire.OpenCases(
            pieces(said),
            pieces(capital(say("if nothing more is reported: ", door)) if not self.settled else door),
            list(answer.facts),
            answer.exact,
            list(answer.possible),
            list(answer.order),
            {
                outcome: _json(witness.facts, list(witness.facts.values))
                for outcome, witness in answer.witnesses.items()
            },
            self._node(answer.tree),
            self.settled,
        )

    def _node(self, tree: Tree) -> wire.CaseNode:
        if isinstance(tree, Leaf):
            return self._leaf(tree)
        yes, no = (self._node(side) for side in (tree.yes, tree.no))
        item = isinstance(tree.asks, Item)
        return wire.CaseNode(
            possible=[each for each in self.answer.possible if each in {*yes.possible, *no.possible}],
            asks=_asked(tree),
            kind="item" if item else "test",
            yes_words=pieces(capital(question_words(tree.asks, True, self._rulebook))),
            no_words=pieces(capital(question_words(tree.asks, False, self._rulebook))),
            yes=yes,
            no=no,
        )

    def _leaf(self, leaf: Leaf) -> wire.CaseNode:
        facts = self.answer.case_of(leaf)
        if facts is None:
            return wire.CaseNode(list(leaf.possible))
        decided = self._compiled.decide(facts)
        self.asked += [*decided.outstanding, *decided.in_the_way]
        decision = decision_view(decided)
        return wire.CaseNode(
            list(leaf.possible),
            deciding=decision.deciding,
            facts=_json(facts, list(self.answer.facts)),
            outstanding=decision.outstanding,
            in_the_way=decision.in_the_way,
            tell=decision.tell,
        )


def cases_now(
    state: State, rulebook: Rulebook, inventory: Inventory, reported: Mapping[str, Value], person: str, read: Reads
) -> wire.CasesNow:
    """Return what can come at this moment of what was reported, in any case that there is at some moment."""
    now = state.clock().replace(microsecond=0)
    facts = completed_now(state, rulebook, inventory, {**reported, "time.at": now})
    try:
        answer = _found(rulebook, facts, inventory, known_addresses(state), read)
    except ContradictoryFacts:
        # Ages go with the moment: those that were given may be nobody's just now.
        return wire.CasesNow(show_moment(now), pieces(say("No attempt has these facts at this moment.")), [], True)
    said = cases_words(answer, rulebook, facts, person)
    return wire.CasesNow(show_moment(now), pieces(said), list(answer.possible), answer.exact)


def _found(rulebook: Rulebook, facts: Facts, inventory: Inventory, known: KnownAddresses | None, read: Reads) -> Answer:
    until = time.thread_time() + LONGEST
    return all_cases(rulebook, facts, inventory, lambda: time.thread_time() > until, known, read)


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


def _asked(fork: Fork) -> str:
    return print_item(fork.asks) if isinstance(fork.asks, Item) else print_condition(fork.asks)
