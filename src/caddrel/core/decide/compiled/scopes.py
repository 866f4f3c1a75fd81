"""Scopes for the compiled evaluator: as conditions, and their state by the facts that the index is made for."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence

from caddrel.core.decide.compiled.parts import FALSE, TRUE, UNKNOWN, Memo, Values
from caddrel.core.facts.types import is_under
from caddrel.core.language.nodes import And, Condition, FactTest, Not, Operand, Or
from caddrel.core.language.operators import Op
from caddrel.core.rulebook.model import Scope, Selector

_BY_FACT: dict[str, tuple[str, Callable[[object, str], bool]]] = {
    "group": ("person.groups", lambda value, id: id in value),  # type: ignore[operator]
    "role": ("person.roles", lambda value, id: id in value),  # type: ignore[operator]
    "kind": ("person.kind", lambda value, id: value == id),
    "unit": ("person.unit", lambda value, id: is_under(str(value), id)),
    "app": ("app.id", lambda value, id: value == id),
    "label": ("app.labels", lambda value, id: id in value),  # type: ignore[operator]
}
_ALL = ("everyone", "every-app")


def indexed(scopes: Iterable[Scope]) -> tuple[str, ...]:
    """Return the facts that an index over the scopes is made for: operation and app, and what simple selectors ask."""
    found = dict.fromkeys(("operation", "app.id"))
    for scope in scopes:
        for selector in (*scope.people, *scope.except_people, *scope.apps, *scope.except_apps):
            if selector.kind in _BY_FACT:
                found[_BY_FACT[selector.kind][0]] = None
    return tuple(found)


def by_index(scope: Scope) -> bool:
    """Tell whether the indexed facts alone give a scope's state."""
    selectors = (*scope.people, *scope.except_people, *scope.apps, *scope.except_apps)
    return scope.active is None and all(s.kind in _BY_FACT or s.kind in _ALL for s in selectors)


def scope_state(scope: Scope) -> Callable[[Values, Memo], int]:
    """Return a function that gives the state of a scope that is told by the index."""
    wanted = [(selectors, positive) for selectors, positive in _lists(scope) if positive or selectors]
    operations = frozenset(scope.operations)

    def state(v: Values, _m: Memo) -> int:
        operation = v.get("operation")
        worst = UNKNOWN if operation is None else TRUE if operation in operations else FALSE
        for selectors, positive in wanted:
            if worst == FALSE:
                return FALSE
            best = _best(selectors, v)
            worst = min(worst, best if positive else 4 - best)
        return worst

    return state


def _best(selectors: Sequence[Selector], v: Values) -> int:
    best = FALSE
    for selector in selectors:
        if selector.kind in _ALL:
            return TRUE
        fact, holds = _BY_FACT[selector.kind]
        value = v.get(fact)
        if value is None:
            best = UNKNOWN
        elif holds(value, selector.id):
            return TRUE
    return best


def _lists(scope: Scope) -> tuple[tuple[Sequence[Selector], bool], ...]:
    return (scope.people, True), (scope.except_people, False), (scope.apps, True), (scope.except_apps, False)


def scope_condition(scope: Scope) -> Condition:
    """Return a scope as the condition that it is."""
    parts: list[Condition] = []
    if scope.active is not None:
        for op, at in ((Op.AT_LEAST, scope.active.start), (Op.BELOW, scope.active.end)):
            if at is not None:
                parts.append(FactTest("time.at", op, (Operand(at.isoformat(), value=at),)))
    for selectors, positive in _lists(scope):
        any_of = Or(tuple(s.condition for s in selectors))
        if selectors or positive:
            parts.append(any_of if positive else Not(any_of))
    operations = tuple(Operand(o, value=o) for o in scope.operations)
    parts.append(FactTest("operation", Op.ONE_OF, operations))
    return And(tuple(parts))
