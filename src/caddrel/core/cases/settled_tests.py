"""What the given facts alone settle of a condition, in every case.

Of a thousand policies most are for other people or apps than those that a rehearsal names: they need not be encoded.
Not here: what the open facts make of a condition (`encoding`).
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from caddrel.core.decide.interpreter.operators import holds
from caddrel.core.facts.catalogue import Catalogue
from caddrel.core.facts.facts import Facts, Origin
from caddrel.core.facts.types import FactType, Value
from caddrel.core.language.nodes import And, Condition, FactTest, Not, Or, Surely
from caddrel.core.language.operators import Op
from caddrel.core.rulebook.model import Scope, Selector

# Of these an open object's own value stands in for what is only partly known, or they are looked up by members.
_BY_MEMBERS = (FactType.NAMES, FactType.METHODS)


def given_for_sure(given: Facts) -> dict[str, Value]:
    """Return the given facts that have one value in all cases: what was assumed goes with an open object."""
    return {name: value for name, value in given.values.items() if given.origins.get(name) is not Origin.ASSUMED}


class SettledTests:
    """Tells what holds in every case, by the facts that have one value in all of them.

    What is not settled by such values is left to the encoder, so nothing is said of places, standards and schedules.
    """

    def __init__(self, catalogue: Catalogue, constants: Mapping[str, Value]) -> None:
        self._catalogue, self._values = catalogue, constants
        self._known: dict[Condition, bool | None] = {}

    def never(self, scope: Scope) -> bool:
        """Tell whether a scope is false in every case, whatever the open facts are."""
        operation = self._values.get("operation")
        if operation is not None and operation not in scope.operations:
            return True
        if not all((scope.people, scope.apps)):
            return True
        sides = ((scope.people, scope.except_people), (scope.apps, scope.except_apps))
        return any(self._none(chosen) or self._some(but) for chosen, but in sides)

    def _none(self, selectors: Sequence[Selector]) -> bool:
        return all(self.truth(selector.condition) is False for selector in selectors)

    def _some(self, selectors: Sequence[Selector]) -> bool:
        return any(self.truth(selector.condition) is True for selector in selectors)

    def truth(self, node: Condition) -> bool | None:
        """Return what a condition is in every case, None where the given facts do not settle it."""
        match node:
            case FactTest():
                if node not in self._known:
                    self._known[node] = self._test(node)
                return self._known[node]
            case And(parts=parts):
                found = [self.truth(part) for part in parts]
                return False if False in found else True if None not in found else None
            case Or(parts=parts):
                found = [self.truth(part) for part in parts]
                return True if True in found else False if None not in found else None
            case Not(part=part):
                inner = self.truth(part)
                return None if inner is None else not inner
            case Surely(part=part):
                # Every fact that is read is known in a case.
                return self.truth(part)
            case _:
                return None

    def _test(self, test: FactTest) -> bool | None:
        if test.op in {Op.KNOWN, Op.UNKNOWN}:
            return test.op is Op.KNOWN
        value = self._values.get(test.fact)
        kind = self._catalogue[test.fact].type
        # A set of which some is not known is looked at member by member, which is the encoder's.
        if value is None or (kind in _BY_MEMBERS and type(value) is not frozenset):
            return None
        return holds(test.op, kind, value, test.operands)
