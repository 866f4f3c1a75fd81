"""Whether a condition can be both true and false, taken by itself: `x and not x` cannot, nor `is not a or is not b`.

Exact for attempts whose facts are all known, as rehearsals with open facts are; what an inventory holds does not count.
Not here: whether a rule is ever reached.
"""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache
from itertools import count
from types import MappingProxyType
from typing import Any

from caddrel.core.cases.diagrams import FALSE, TRUE, Diagrams, TooLong
from caddrel.core.cases.encoding import RESULTS, Encoder
from caddrel.core.cases.reads import Reads
from caddrel.core.cases.space import Space
from caddrel.core.facts.catalogue import Catalogue
from caddrel.core.facts.facts import Facts
from caddrel.core.language.nodes import Condition, FactTest, tests_of
from caddrel.core.language.operators import Op
from caddrel.core.rulebook.model import Rulebook, Settings

# Somebody who writes a condition of more tests is not waiting for this.
_MOST_TESTS = 100
# How often a diagram may look at the time before this gives up: some hundredths of a second.
_PATIENCE = 10
# Conditions of so few tests of facts are looked into once, while nearly all of a rulebook is as it was; so many.
_FEW, _REMEMBERED = 10, 8_192
# Rulebooks beside each other whose places and standards are not the same.
_RULEBOOKS = 4
_NONE: Mapping[str, Any] = MappingProxyType({})
_NOTHING = Rulebook(
    Settings(), Catalogue(), _NONE, _NONE, _NONE, _NONE, _NONE, _NONE, _NONE, _NONE, _NONE, _NONE, _NONE,
)  # fmt: skip
# Facts whose values are a rulebook's own.
_OWN = ("signals", "auth.notices")


def constant(rulebook: Rulebook, condition: Condition) -> bool | None:
    """Return True for a condition that always holds, False for one that never does, None for any other.

    None too where it cannot be told: a test of whether a fact is known is not a question about known facts.
    """
    tests = list(tests_of(condition))
    asked = [test for test in tests if isinstance(test, FactTest)]
    if not 2 <= len(tests) <= _MOST_TESTS or any(test.op in {Op.KNOWN, Op.UNKNOWN} for test in asked):
        return None
    if len(asked) == len(tests) <= _FEW and not any(".attributes." in t.fact or t.fact in _OWN for t in asked):
        return _of_facts(condition)
    return _named.of(rulebook, condition)


class _Named:
    """What was found of conditions that name something of a rulebook, while all that they may name is the same.

    A draft is looked into after every edit, and most edits are of policies: those no condition names.
    """

    def __init__(self) -> None:
        # Of several, the one begun last first: drafts of different people are looked into at the same time.
        self._held: tuple[tuple[Rulebook, dict[Condition, bool | None]], ...] = ()

    def of(self, rulebook: Rulebook, condition: Condition) -> bool | None:
        """Return what is known of a condition, or work it out."""
        found = next((found for of, found in self._held if of is rulebook), None)
        if found is None:
            found = self._begun(rulebook)
        if condition not in found:
            found[condition] = _of_rulebook(rulebook, condition)
        return found[condition]

    def _begun(self, rulebook: Rulebook) -> dict[Condition, bool | None]:
        held = self._held
        alike = (found for of, found in held if len(found) <= _REMEMBERED and of.differs_in_policies_alone(rulebook))
        found = next(alike, {})
        others = [each for each in held if each[1] is not found]
        # Put there as a whole, so that another thread never finds one rulebook with what is another's.
        self._held = ((rulebook, found), *others[: _RULEBOOKS - 1])
        return found


_named = _Named()


@lru_cache(maxsize=_REMEMBERED)
def _of_facts(condition: Condition) -> bool | None:
    """Return the same of a condition that names nothing of a rulebook: it is the same in all of them."""
    return _of_rulebook(_NOTHING, condition)


def _of_rulebook(rulebook: Rulebook, condition: Condition) -> bool | None:
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
