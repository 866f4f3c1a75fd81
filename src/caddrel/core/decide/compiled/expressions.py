"""Conditions as Python expressions, two for each: whether it is possibly true, and whether it is surely true.

Possibly true is "not false", surely true is "true". Both pushed through `not` down to the tests, two-valued code gives
exactly the three-valued result.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from caddrel.core.facts.catalogue import FACTS, Catalogue
from caddrel.core.facts.types import LEVELS, FactType, PartlyKnown, PartlyRead, Signals, Version, fold, is_under
from caddrel.core.language.nodes import (
    And,
    Condition,
    During,
    FactTest,
    FromPlace,
    Not,
    Or,
    Passes,
    Surely,
)
from caddrel.core.language.operators import OPERATORS, Op

_ORDER = {Op.AT_LEAST: ">=", Op.AT_MOST: "<=", Op.ABOVE: ">", Op.BELOW: "<"}
RANK = {level: i for i, level in enumerate(LEVELS)}


# Facts whose value may be a set of which some ids are not known.
PARTLY_KNOWN = ("signals", "person.groups", "auth.methods")
_ANY_METHOD = frozenset(FACTS["auth.methods"].words)


def _may(held: Any) -> Any:
    """Return what a set holds or may hold; beside methods that nobody understands there may be any."""
    if isinstance(held, PartlyKnown):
        return held.possible
    return _ANY_METHOD if isinstance(held, PartlyRead) else held


def _unsettled(fired: frozenset[str]) -> bool:
    return isinstance(fired, Signals) and bool(fired.open)


class Names:
    """The names that generated code may use: constants, the states of named parts, and the facts it reads.

    A fact is read where it is first needed, into a local variable. `settled` are the facts that have been read for
    certain at the point that is being generated; the others may stand in a part that was skipped, and are read again.
    """

    def __init__(self, catalogue: Catalogue, parts: Mapping[str, Callable[..., int]]) -> None:
        self.catalogue = catalogue
        self.parts = parts
        self.values: dict[str, Any] = {
            "fold": fold,
            "is_under": is_under,
            "RANK": RANK,
            "may": _may,
            "unsettled": _unsettled,
        }
        self._constants: dict[Any, str] = {}
        self._variables: dict[str, str] = {}
        self.settled: set[str] = set()

    def begin(self) -> None:
        """Begin a function: nothing has been read yet."""
        self.settled = set()

    def constant(self, value: Any) -> str:
        """Return the name of a constant; equal constants of one type share it."""
        key = (type(value), value)
        if key not in self._constants:
            self._constants[key] = f"k{len(self._constants)}"
            self.values[self._constants[key]] = value
        return self._constants[key]

    def fact(self, name: str) -> tuple[str, str]:
        """Return how to read a fact's value the first time in a test, and after that; None when unknown."""
        variable = self._variables.setdefault(name, f"x{len(self._variables)}")
        return variable if name in self.settled else f"({variable} := get({name!r}))", variable


def possible(node: Condition, names: Names) -> str:
    """Return an expression that is true unless the condition is false."""
    return _expression(node, names, sure=False)


def sure(node: Condition, names: Names) -> str:
    """Return an expression that is true when the condition is true."""
    return _expression(node, names, sure=True)


def settle_first(node: Condition, names: Names) -> None:
    """Note what has been read for certain once an expression of the condition was worked out: its first test's fact."""
    while isinstance(node, And | Or | Not | Surely):
        if isinstance(node, And | Or):
            if not node.parts:
                return
            node = node.parts[0]
        else:
            node = node.part
    if isinstance(node, FactTest):
        names.settled.add(node.fact)


def sure_when_possible(node: Condition, names: Names) -> str:
    """Return an expression that tells, of a condition that is possible, whether it is sure.

    Of tests joined by `and` alone nothing but the facts' being known is left to ask.
    """
    literals = [p.part if isinstance(p, Not) else p for p in (node.parts if isinstance(node, And) else (node,))]
    if not all(isinstance(literal, FactTest | FromPlace | Passes | During) for literal in literals):
        return sure(node, names)
    known: dict[str, None] = {}
    for literal in literals:
        match literal:
            case FactTest(fact=fact) if fact in PARTLY_KNOWN:
                return sure(node, names)
            case FactTest(fact=fact, op=op) if op not in {Op.KNOWN, Op.UNKNOWN}:
                known[f"{names.fact(fact)[1]} is not None"] = None
            case FromPlace(places=places) if len(places) == 1:
                known[f"m[{f'place {places[0].text}'!r}] != 2"] = None
            case FromPlace():
                return sure(node, names)
            case Passes(standard=standard):
                known[f"m[{f'standard {standard.text}'!r}] != 2"] = None
            case During(schedule=schedule):
                known[f"m[{f'schedule {schedule.text}'!r}] != 2"] = None
            case _:
                pass
    return " and ".join(known) or "True"


def _expression(node: Condition, names: Names, sure: bool) -> str:
    match node:
        case And(parts=parts):
            return _joined([_expression(p, names, sure) for p in parts], "and", "True")
        case Or(parts=parts):
            return _joined([_expression(p, names, sure) for p in parts], "or", "False")
        case Not(part=part):
            return f"(not {_expression(part, names, not sure)})"
        case Surely(part=part):
            return _expression(part, names, sure=True)
        case FactTest():
            return _fact_test(node, names, sure)
        case FromPlace(places=places):
            return _joined([_state("place", p.text, names, sure) for p in places], "or", "False")
        case Passes(standard=standard):
            return _state("standard", standard.text, names, sure)
        case During(schedule=schedule):
            return _state("schedule", schedule.text, names, sure)


def _joined(parts: list[str], word: str, nothing: str) -> str:
    # What always holds is left out of an "and", what never does out of an "or".
    parts = [part for part in parts if part not in (nothing, f"(not {_OPPOSITE[nothing]})")]
    if not parts:
        return nothing
    return parts[0] if len(parts) == 1 else f"({f' {word} '.join(parts)})"


_OPPOSITE = {"True": "False", "False": "True"}


def _state(kind: str, name: str, names: Names, sure: bool) -> str:
    # States of named parts: 1 false, 2 unknown, 3 true; asked once for each attempt.
    key = f"{kind} {name}"
    return f"((m.get({key!r}) or {names.constant(names.parts[key])}(v, m)) {'== 3' if sure else '!= 1'})"


def _fact_test(test: FactTest, names: Names, sure: bool) -> str:
    first, value = names.fact(test.fact)
    if test.fact in PARTLY_KNOWN and (test.fact == "signals" or test.op not in {Op.KNOWN, Op.UNKNOWN}):
        return _open_test(first, value, test, names, sure)
    if test.op is Op.KNOWN:
        return f"({first} is not None)"
    if test.op is Op.UNKNOWN:
        return f"({first} is None)"
    kind = names.catalogue[test.fact].type
    if test.op is Op.FLAG:
        return f"({first} is True)" if sure else f"({first} is not False)"
    row = OPERATORS[test.op]
    negated = row.positive is not None
    op = row.positive or test.op
    if sure is not negated and op in {Op.IS, Op.ONE_OF} and kind is not FactType.TEXT:
        # None equals nothing, so an unknown fact comes out as it should without being asked for.
        positive = _MEANINGS[op](first, test, kind, names)
        return f"(not {positive})" if negated else positive
    positive = _MEANINGS[op](value, test, kind, names)
    holds = f"not {positive}" if negated else positive
    return f"({first} is not None and {holds})" if sure else f"({first} is None or {holds})"


def _open_test(first: str, value: str, test: FactTest, names: Names, sure: bool) -> str:
    # What is held for certain, or also what may be: which of the two a test asks turns round under a negation.
    if test.op in {Op.KNOWN, Op.UNKNOWN}:
        known = f"({first} is not None and not unsettled({value}))"
        return known if test.op is Op.KNOWN else f"(not {known})"
    row = OPERATORS[test.op]
    negated = row.positive is not None
    asked = value if sure is not negated else f"may({value})"
    positive = _MEANINGS[row.positive or test.op](asked, test, FactType.NAMES, names)
    holds = f"not {positive}" if negated else positive
    return f"({first} is not None and {holds})" if sure else f"({first} is None or {holds})"


Meaning = Callable[[str, FactTest, FactType, Names], str]


def _key(value: Any, kind: FactType) -> Any:
    return fold(str(value)) if kind is FactType.TEXT else value


def _read(value: str, kind: FactType) -> str:
    return f"fold({value})" if kind is FactType.TEXT else value


def _is(value: str, test: FactTest, kind: FactType, names: Names) -> str:
    return f"({_read(value, kind)} == {names.constant(_key(test.operands[0].value, kind))})"


def _one_of(value: str, test: FactTest, kind: FactType, names: Names) -> str:
    wanted = frozenset(_key(o.value, kind) for o in test.operands)
    return f"({_read(value, kind)} in {names.constant(wanted)})"


def _ordered(value: str, test: FactTest, kind: FactType, names: Names) -> str:
    wanted = test.operands[0].value
    if isinstance(wanted, Version):
        # Tuples compare much faster than the class around them.
        return f"({value}.key {_ORDER[test.op]} {names.constant(wanted.key)})"
    if kind is FactType.LEVEL:
        return f"(RANK[{value}] {_ORDER[test.op]} {RANK[str(wanted)]})"
    return f"({value} {_ORDER[test.op]} {names.constant(wanted)})"


def _has(value: str, test: FactTest, _kind: FactType, names: Names) -> str:
    return f"({names.constant(test.operands[0].text)} in {value})"


def _has_any(value: str, test: FactTest, _kind: FactType, names: Names) -> str:
    return f"(not {names.constant(frozenset(o.text for o in test.operands))}.isdisjoint({value}))"


def _has_all(value: str, test: FactTest, _kind: FactType, names: Names) -> str:
    return f"{names.constant(frozenset(o.text for o in test.operands))}.issubset({value})"


def _contains(value: str, test: FactTest, _kind: FactType, names: Names) -> str:
    return f"({names.constant(fold(test.operands[0].text))} in fold({value}))"


def _starts(value: str, test: FactTest, _kind: FactType, names: Names) -> str:
    return f"fold({value}).startswith({names.constant(fold(test.operands[0].text))})"


def _ends(value: str, test: FactTest, _kind: FactType, names: Names) -> str:
    return f"fold({value}).endswith({names.constant(fold(test.operands[0].text))})"


def _under(value: str, test: FactTest, _kind: FactType, names: Names) -> str:
    return f"is_under({value}, {names.constant(str(test.operands[0].value))})"


_MEANINGS: dict[Op, Meaning] = {
    Op.IS: _is,
    Op.ONE_OF: _one_of,
    Op.AT_LEAST: _ordered,
    Op.AT_MOST: _ordered,
    Op.ABOVE: _ordered,
    Op.BELOW: _ordered,
    Op.HAS: _has,
    Op.HAS_ANY: _has_any,
    Op.HAS_ALL: _has_all,
    Op.CONTAINS: _contains,
    Op.STARTS: _starts,
    Op.ENDS: _ends,
    Op.UNDER: _under,
}
