"""All cases of an attempt: what is possible, what matters, a witness of each, and the tree.

The rule of the house holds here too: every witness is decided again by the interpreter before it is told.
Not here: words for people (`words.cases`).
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from functools import partial
from operator import eq
from typing import Any

from caddrel.core.cases.diagrams import Diagrams, TooLong
from caddrel.core.cases.encoding import NOWHERE, OUTCOMES, RESULTS, Encoded, Encoder, tellings
from caddrel.core.cases.known_addresses import KnownAddresses
from caddrel.core.cases.reads import Reads, reads
from caddrel.core.cases.space import Space
from caddrel.core.cases.tree import Fork, Leaf, Question, Tree, TreeMaker
from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.decide.decision import Decision, RuleRef
from caddrel.core.decide.interpreter.interpreter import decide
from caddrel.core.facts.facts import Facts
from caddrel.core.facts.values import to_json
from caddrel.core.inventory.index import Inventory
from caddrel.core.language.nodes import FactTest, Item, Operand
from caddrel.core.language.operators import Op
from caddrel.core.language.printer import print_condition, print_item
from caddrel.core.rulebook.model import Rulebook

_TRIED_WHEN_LATE = 400


@dataclass(frozen=True, slots=True)
class Witness:
    """A complete case with the decision on it."""

    facts: Facts
    decision: Decision


@dataclass(frozen=True, slots=True)
class Answer:
    """All cases of an attempt.

    Attributes
    ----------
    facts
        The open facts, in order of name.
    exact
        False when time ran out: other outcomes than those found are not excluded then.
    possible
        The outcomes that some case has, the mildest first.
    matters
        The facts on which the outcome turns, in order of name.
    witnesses
        By outcome.
    order
        The facts that matter, those that the tree asks first at the front.
    case_of
        Gives a complete case that leads to a leaf of the tree.
    any_case
        Gives a complete case by chance, handed numbers from 0 to below 1.
    """

    facts: tuple[str, ...]
    exact: bool
    possible: tuple[str, ...]
    matters: tuple[str, ...]
    witnesses: Mapping[str, Witness]
    tree: Tree
    order: tuple[str, ...] = ()
    case_of: Callable[[Leaf], Facts | None] = field(default=lambda leaf: None, compare=False, repr=False)
    any_case: Callable[[Callable[[], float]], Facts | None] = field(default=lambda c: None, compare=False, repr=False)


def all_cases(
    rulebook: Rulebook,
    given: Facts,
    inventory: Inventory | None = None,
    late: Callable[[], bool] = lambda: False,
    known: KnownAddresses | None = None,
    read: Reads | None = None,
) -> Answer:
    """Return what can come of an attempt whose facts are completed and partly open.

    Parameters
    ----------
    given
        The facts as completed; they are not changed.
    inventory
        What an open person, device or app can be; None when none is at hand.
    late
        Tells that time has run out.
    known
        What is known about addresses; None when nothing is.
    read
        What `reads` says of the rulebook, where it is at hand; it is not changed.

    Raises
    ------
    ContradictoryFacts
        When facts were given that no case can have.
    """
    given = given.changed(dict(given.values), dict(given.origins), given.coordinates)
    diagrams = Diagrams(RESULTS, late)
    read = read or reads(rulebook)
    space = Space(rulebook, given, inventory, read, diagrams, known)
    encoder = Encoder(rulebook, space, read, diagrams)
    space.narrow(tellings(rulebook, read, encoder))
    try:
        encoded = encoder.encode()
    except (TooLong, RecursionError):
        return _when_late(rulebook, space)
    # The outcome is known for all cases: only the tree may be cut short from here on.
    diagrams.go_on()
    return _answer(rulebook, space, encoder, encoded)


def _answer(rulebook: Rulebook, space: Space, encoder: Encoder, encoded: Encoded) -> Answer:
    d = space.diagrams
    outcome = encoded.outcome
    results = sorted(d.ends(outcome) - {NOWHERE})
    witnesses = {}
    for result in results:
        facts = space.case(d.path(outcome, result))
        decision = decide(rulebook, facts)
        if decision.outcome != OUTCOMES[result]:
            raise AssertionError(
                f"all cases say {OUTCOMES[result]}, the interpreter {decision.outcome}: {_shown(facts)}"
            )
        witnesses[OUTCOMES[result]] = Witness(facts, decision)
    matters = _matters(space, outcome)
    deciding = [(RuleRef(policy.id, rule.id), where) for policy, rule, where in encoded.deciding()]
    tree = TreeMaker(d, list(_questions(encoder, encoded)), deciding).make(outcome)
    names = tuple(sorted(matters))

    def case_of(leaf: Leaf) -> Facts | None:
        there = d.ends(leaf.here) - {NOWHERE}
        return space.case(d.path(leaf.here, min(there))) if there else None

    def any_case(chance: Callable[[], float]) -> Facts:
        return space.case({v.number: int(chance() * len(v.values)) for v in space.variables})

    possible = tuple(OUTCOMES[result] for result in results)
    order = _in_order(tree, names)
    return Answer(tuple(space.open), space.exact, possible, names, witnesses, tree, order, case_of, any_case)


def _questions(encoder: Encoder, encoded: Encoded) -> Iterator[tuple[Question, int]]:
    """Yield what the tree may ask: the tests of the policies, their items, and what settles the rest."""
    yield from encoded.tests.items()
    yield from encoded.items.items()
    space = encoder.space
    for name, id in space.members():
        yield FactTest(name, Op.HAS, (Operand(id, value=id),)), space.member(name, id)
    if "auth.methods" in space.open:
        for method in space.methods():
            yield FactTest("auth.methods", Op.HAS, (Operand(method, value=method),)), space.fresh(method, None)
    for name, value in space.singles():
        yield (
            FactTest(name, Op.IS, (Operand(str(to_json(value)), value=value),)),
            space.fact(name, partial(eq, value)),
        )


def _matters(space: Space, outcome: int) -> set[str]:
    d = space.diagrams
    support = d.support(outcome)
    found: set[str] = set()
    nodes = list(d.nodes(outcome))
    for variable in space.variables:
        if variable.number not in support:
            continue
        mine = [children for number, children in nodes if number == variable.number]
        for name in variable.facts:
            if name in found or name not in space.open:
                continue
            pairs = space.pairs(variable, name)
            if any(d.differ(children[a], children[b], NOWHERE) for children in mine for a, b in pairs):
                found.add(name)
    return found


def _in_order(tree: Tree, matters: tuple[str, ...]) -> tuple[str, ...]:
    """Return the facts that matter, those asked nearest the root first."""
    found: dict[str, int] = {}
    waiting: list[tuple[Tree, int]] = [(tree, 0)]
    while waiting:
        node, depth = waiting.pop(0)
        if isinstance(node, Fork):
            for name in facts_of(node.asks):
                if name in matters:
                    found.setdefault(name, depth)
            waiting += [(node.yes, depth + 1), (node.no, depth + 1)]
    return tuple(sorted(matters, key=lambda name: (found.get(name, 99), name)))


def facts_of(question: Question) -> tuple[str, ...]:
    """Return the facts that a question names itself; of parts and items those that they are about."""
    if isinstance(question, Item):
        return _ITEM_FACTS.get(question.kind, ())
    return (question.fact,) if isinstance(question, FactTest) else ()


_ITEM_FACTS = {"mfa": ("auth.methods",), "proof": ("auth.methods",), "notice": ("auth.notices",)}


def _when_late(rulebook: Rulebook, space: Space) -> Answer:
    """Return what a number of cases come to, when there was no time for all."""
    compiled = CompiledRulebook(rulebook)
    witnesses: dict[str, Witness] = {}
    state = 1
    for tried in range(_TRIED_WHEN_LATE):
        chosen = {}
        for variable in space.variables:
            # The same every time, without a source of chance: a linear congruence. And first what is all alike.
            state = (state * 6364136223846793005 + 1442695040888963407) % (1 << 64)
            any_value = (state >> 33) % len(variable.values)
            chosen[variable.number] = (0, len(variable.values) - 1, any_value)[min(tried, 2)]
        facts = space.case(chosen)
        outcome = compiled.decide(facts).outcome
        if outcome not in witnesses:
            decision = decide(rulebook, facts)
            witnesses[decision.outcome] = Witness(facts, decision)
        if len(witnesses) == len(OUTCOMES):
            break
    possible = tuple(each for each in OUTCOMES.values() if each in witnesses)
    return Answer(tuple(space.open), False, possible, (), witnesses, Leaf(possible, cut=True))


def _shown(facts: Facts) -> dict[str, Any]:
    return {name: to_json(value) for name, value in sorted(facts.values.items())}


def answer_json(answer: Answer) -> dict[str, Any]:
    """Return an answer in the shape that every output follows."""
    return {
        "facts": list(answer.facts),
        "exact": answer.exact,
        "possible": sorted(answer.possible),
        "matters": list(answer.matters),
        "witnesses": {name: {"facts": _shown(w.facts)} for name, w in sorted(answer.witnesses.items())},
        "tree": tree_json(answer.tree),
    }


def tree_json(tree: Tree) -> dict[str, Any]:
    """Return a tree as JSON."""
    if isinstance(tree, Fork):
        asks = {"item": print_item(tree.asks)} if isinstance(tree.asks, Item) else {"test": print_condition(tree.asks)}
        return {**asks, "yes": tree_json(tree.yes), "no": tree_json(tree.no)}
    if tree.cut:
        return {"possible": sorted(tree.possible)}
    deciding = sorted((ref.policy, ref.rule) for ref in tree.deciding)
    return {"outcome": tree.possible[0], "deciding": [{"policy": policy, "rule": rule} for policy, rule in deciding]}
