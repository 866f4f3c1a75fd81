"""Scopes for the compiled evaluator: as conditions, and their state by the facts that the index is made for."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import Any

from caddrel.core.decide.compiled.named_parts import FALSE, TRUE, UNKNOWN, Memo, Values
from caddrel.core.facts.types import is_under
from caddrel.core.language.nodes import And, Condition, FactTest, Not, Operand, Or
from caddrel.core.language.operators import Op
from caddrel.core.rulebook.model import Scope, Selector


def _held(value: Any, id: str) -> bool | None:
    """Tell whether a set of which some may not be known holds an id; None when it is not known of that one."""
    if id in value:
        return True
    return None if id in getattr(value, "open", ()) else False


_BY_FACT: dict[str, tuple[str, Callable[[object, str], bool | None]]] = {
    "group": ("person.groups", _held),
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
    """Return a function that gives the state of a scope by the indexed facts alone.

    What they do not settle counts as unknown. A scope joins its selectors by and, or and not alone, and in those an
    unknown part may turn out true or false without making false what was settled: so false is false whatever the other
    facts are, even for selectors of which an unknown fact is false by itself (``surely``, ``is known``).
    """
    wanted = [(selectors, positive) for selectors, positive in _lists(scope) if positive or selectors]
    operations = frozenset(scope.operations)
    most = TRUE if scope.active is None else UNKNOWN

    def state(v: Values, _m: Memo) -> int:
        operation = v.get("operation")
        worst = min(most, UNKNOWN if operation is None else TRUE if operation in operations else FALSE)
        for selectors, positive in wanted:
            if worst == FALSE:
                return FALSE
            best = any_selector(selectors, v)
            worst = min(worst, best if positive else 4 - best)
        return worst

    return state


def any_selector(selectors: Sequence[Selector], v: Values) -> int:
    """Return whether any selector holds, by the indexed facts; one that needs others counts as unknown."""
    best = FALSE
    for selector in selectors:
        if selector.kind in _ALL:
            return TRUE
        if selector.kind not in _BY_FACT:
            best = UNKNOWN
            continue
        fact, holds = _BY_FACT[selector.kind]
        value = v.get(fact)
        held = None if value is None else holds(value, selector.id)
        if held is None:
            best = UNKNOWN
        elif held:
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
