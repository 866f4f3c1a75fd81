"""The tree: which tests to ask, one after the other, until the outcome is plain.

Small rather than smallest: at each step the test after which least is left. Not here: what a test is (`encoding`).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from caddrel.core.cases.diagrams import FALSE, TRUE, Diagrams
from caddrel.core.cases.encoding import NOWHERE, OUTCOMES
from caddrel.core.decide.decision import RuleRef
from caddrel.core.language.nodes import Condition, Item

MOST_LEAVES = 64
# Of many tests those are looked at first whose facts matter most.
_MOST_TRIED = 40
Question = Condition | Item


@dataclass(frozen=True, slots=True)
class Leaf:
    """An outcome with the rules that decide it in some of its cases; of a branch that is cut, what is possible there.

    `here` is the outcome as a function, without a result where no case leads here; `always` are those of the rules that
    decide in all of its cases.
    """

    possible: tuple[str, ...]
    deciding: tuple[RuleRef, ...] = ()
    cut: bool = False
    here: int = field(default=NOWHERE, compare=False)
    always: tuple[RuleRef, ...] = field(default=(), compare=False)

    @property
    def steady(self) -> bool:
        """Whether the same rules decide in all of its cases."""
        return not self.cut and self.always == self.deciding


@dataclass(frozen=True, slots=True)
class Fork:
    """A question with what follows from either answer."""

    asks: Question
    yes: Tree
    no: Tree


Tree = Leaf | Fork


@dataclass(slots=True)
class _Made:
    asks: Question | None
    here: int
    yes: _Made | None = None
    no: _Made | None = None
    cut: bool = False


class TreeMaker:
    """Makes the tree of an outcome.

    Parameters
    ----------
    questions
        What may be asked, with where the answer is yes.
    deciding
        The rules, with where each decides.
    """

    def __init__(
        self,
        diagrams: Diagrams,
        questions: Sequence[tuple[Question, int]],
        deciding: Sequence[tuple[RuleRef, int]],
    ) -> None:
        self._d = diagrams
        # Of several that ask the same the first is asked, in the words that the rulebook has for it.
        seen: set[int] = {FALSE, TRUE}
        self._questions = []
        for question, where in questions:
            if where not in seen:
                seen |= {where, diagrams.neither(where)}
                self._questions.append((question, where))
        self._deciding = deciding

    def make(self, outcome: int) -> Tree:
        """Return the tree of a function whose result is `NOWHERE` where no case is."""
        root = _Made(None, outcome)
        waiting = [root]
        leaves = 1
        while waiting:
            # Nearest the root first, so that those are kept when there are too many.
            made = waiting.pop(0)
            if len(self._results(made.here)) <= 1:
                continue
            chosen = None if leaves >= MOST_LEAVES or self._d.late() else self._best(made.here)
            if chosen is None:
                made.cut = True
                continue
            question, yes, no = chosen
            made.asks, made.yes, made.no = question, _Made(None, yes), _Made(None, no)
            leaves += 1
            waiting += [made.yes, made.no]
        return self._tree(root)

    def _results(self, here: int) -> frozenset[int]:
        return self._d.ends(here) - {NOWHERE}

    def _best(self, here: int) -> tuple[Question, int, int] | None:
        """Return the question after which least is left, with what is left on either side."""
        d = self._d
        left = d.settled(here, NOWHERE)
        support = d.support(left)
        fitting = [(q, where) for q, where in self._questions if d.support(where) & support]
        best: tuple[tuple[int, ...], Question, int, int] | None = None
        for i, (question, where) in enumerate(fitting[:_MOST_TRIED]):
            if best is not None and i % 4 == 0 and d.late():
                break
            yes, no = d.choose(where, here, NOWHERE), d.choose(where, NOWHERE, here)
            if not self._results(yes) or not self._results(no):
                continue
            one, two = d.settled(yes, NOWHERE), d.settled(no, NOWHERE)
            if one == two:
                continue
            undecided = sum(len(self._results(side)) > 1 for side in (yes, no))
            score = (undecided, d.size(one) + d.size(two), i)
            if best is None or score < best[0]:
                best = (score, question, yes, no)
        if best is None and len(fitting) > _MOST_TRIED:
            return self._any(here, fitting[_MOST_TRIED:])
        return best[1:] if best is not None else None

    def _any(self, here: int, questions: Sequence[tuple[Question, int]]) -> tuple[Question, int, int] | None:
        for question, where in questions:
            yes, no = self._d.choose(where, here, NOWHERE), self._d.choose(where, NOWHERE, here)
            if self._results(yes) and self._results(no):
                return question, yes, no
        return None

    def _tree(self, made: _Made) -> Tree:
        if made.asks is not None and made.yes is not None and made.no is not None:
            yes, no = self._tree(made.yes), self._tree(made.no)
            # A test that changes nothing below it is not asked.
            return _joined(yes, no) if _same(yes, no) else Fork(made.asks, yes, no)
        results = self._results(made.here)
        possible = tuple(OUTCOMES[each] for each in sorted(results))
        if made.cut:
            return Leaf(possible, cut=True, here=made.here)
        there = _somewhere(self._d, made.here)
        mine = [(ref, self._d.both(there, where)) for ref, where in self._deciding]
        deciding = tuple(ref for ref, where in mine if where != FALSE)
        always = tuple(ref for ref, where in mine if where == there)
        return Leaf(possible, deciding, here=made.here, always=always)


def _somewhere(d: Diagrams, here: int) -> int:
    """Return where there is a case: where the result is any but nowhere."""
    known: dict[int, int] = {}

    def mapped(node: int) -> int:
        if node < d.first:
            return FALSE if node == NOWHERE else TRUE
        if node not in known:
            variable, children = d.asked(node)
            known[node] = d.node(variable, [mapped(child) for child in children])
        return known[node]

    return mapped(here)


def _same(one: Tree, other: Tree) -> bool:
    """Tell whether two trees ask the same and come to the same outcomes, whichever rules decide."""
    if isinstance(one, Leaf) and isinstance(other, Leaf):
        return (one.possible, one.cut) == (other.possible, other.cut) and not one.cut
    if isinstance(one, Fork) and isinstance(other, Fork):
        return one.asks == other.asks and _same(one.yes, other.yes) and _same(one.no, other.no)
    return False


def _joined(one: Tree, other: Tree) -> Tree:
    if isinstance(one, Fork) and isinstance(other, Fork):
        return Fork(one.asks, _joined(one.yes, other.yes), _joined(one.no, other.no))
    assert isinstance(one, Leaf)
    assert isinstance(other, Leaf)
    both = sorted({*one.deciding, *other.deciding}, key=lambda ref: (ref.policy, ref.rule))
    return Leaf(one.possible, tuple(both), here=one.here)
