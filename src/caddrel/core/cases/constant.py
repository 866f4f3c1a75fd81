"""Whether a condition can be both true and false, taken by itself: `x and not x` cannot, nor `is not a or is not b`.

Exact for attempts whose facts are all known, as rehearsals with open facts are; what an inventory holds does not count.
Not here: whether a rule is ever reached.
"""

from __future__ import annotations

from itertools import count

from caddrel.core.cases.diagrams import FALSE, TRUE, Diagrams, TooLong
from caddrel.core.cases.encoding import RESULTS, Encoder
from caddrel.core.cases.reads import Reads
from caddrel.core.cases.space import Space
from caddrel.core.facts.facts import Facts
from caddrel.core.language.nodes import Condition, FactTest, tests_of
from caddrel.core.language.operators import Op
from caddrel.core.rulebook.model import Rulebook

# Somebody who writes a condition of more tests is not waiting for this.
_MOST_TESTS = 100
# How often a diagram may look at the time before this gives up: some hundredths of a second.
_PATIENCE = 10


def constant(rulebook: Rulebook, condition: Condition) -> bool | None:
    """Return True for a condition that always holds, False for one that never does, None for any other.

    None too where it cannot be told: a test of whether a fact is known is not a question about known facts.
    """
    tests = list(tests_of(condition))
    asked = [test for test in tests if isinstance(test, FactTest)]
    if not 2 <= len(tests) <= _MOST_TESTS or any(test.op in {Op.KNOWN, Op.UNKNOWN} for test in asked):
        return None
    looks = count()
    diagrams = Diagrams(RESULTS, lambda: next(looks) > _PATIENCE)
    read = Reads()
    read.condition(rulebook, condition)
    try:
        space = Space(rulebook, Facts({}, {}), None, read, diagrams)
        where = Encoder(rulebook, space, read, diagrams).condition(condition)
    except (TooLong, RecursionError):
        return None
    return {TRUE: True, FALSE: False}.get(where)
