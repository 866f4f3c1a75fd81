"""Conditions and requirements as plain trees, for editors that show them as rows; and back.

``{"kind": "all" | "any", "parts": […]}``, ``{"kind": "not" | "surely", "parts": [one]}``, and tests:
``{"kind": "test", "test": "fact" | "from" | "passes" | "during", "fact": …, "op": …, "values": […]}``.
Requirements have items instead: ``{"kind": "item", "item": "proof", "name": "strong-key", "within": "12h"}``.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, TypeVar

from caddrel.core.diagnostics import shorten
from caddrel.core.facts.values import ValueRefused, read_duration, show_duration
from caddrel.core.language.formulas import EFFECTS, Effect
from caddrel.core.language.nodes import (
    ITEM_KINDS,
    NAMED_ITEMS,
    AllOf,
    And,
    AnyOf,
    Condition,
    During,
    FactTest,
    Formula,
    FromPlace,
    Item,
    Not,
    Operand,
    Or,
    Passes,
    Surely,
)
from caddrel.core.language.operators import OPERATORS, Op

DEEPEST = 20
Tree = dict[str, Any]
T = TypeVar("T")

# How each test of a part starts, what it is in words, and the section of the part.
PART_TESTS: Mapping[str, tuple[str, str, str]] = {
    "from": ("from", "from a place", "places"),
    "passes": ("device passes", "device passes", "standards"),
    "during": ("during", "during", "schedules"),
}


def condition_tree(node: Condition) -> Tree:
    """Return a condition as a plain tree."""
    match node:
        case And(parts=parts):
            return {"kind": "all", "parts": [condition_tree(part) for part in parts]}
        case Or(parts=parts):
            return {"kind": "any", "parts": [condition_tree(part) for part in parts]}
        case Not(part=part):
            return {"kind": "not", "parts": [condition_tree(part)]}
        case Surely(part=part):
            return {"kind": "surely", "parts": [condition_tree(part)]}
        case FactTest(fact=fact, op=op, operands=operands):
            values = [operand.text for operand in operands]
            return {"kind": "test", "test": "fact", "fact": fact, "op": op.value, "values": values}
        case FromPlace(places=places, listed=listed):
            form = "any of" if listed else ""
            return {"kind": "test", "test": "from", "fact": "", "op": form, "values": [place.text for place in places]}
        case Passes(standard=standard):
            return {"kind": "test", "test": "passes", "fact": "", "op": "", "values": [standard.text]}
        case During(schedule=schedule):
            return {"kind": "test", "test": "during", "fact": "", "op": "", "values": [schedule.text]}


def effect_tree(effect: Effect) -> Tree:
    """Return what a rule does as a plain tree; `formula` is None unless it requires something."""
    return {"effect": effect.kind, "formula": None if effect.formula is None else _formula_tree(effect.formula)}


def _formula_tree(formula: Formula) -> Tree:
    if isinstance(formula, Item):
        within = "" if formula.within is None else show_duration(formula.within)
        return {"kind": "item", "item": formula.kind, "name": formula.name, "within": within}
    kind = "all" if isinstance(formula, AllOf) else "any"
    return {"kind": kind, "parts": [_formula_tree(part) for part in formula.parts]}


def read_condition_tree(tree: Any) -> Condition:
    """Return the condition that a plain tree stands for.

    Raises
    ------
    ValueRefused
        When it stands for none.
    """
    return _condition(tree, 0)


def read_effect_tree(tree: Any) -> Effect:
    """Return the effect that a plain tree stands for.

    Raises
    ------
    ValueRefused
        When it stands for none.
    """
    kind = tree.get("effect") if isinstance(tree, dict) else None
    if kind not in EFFECTS:
        raise ValueRefused(f"`{shorten(str(kind))}`", f"one of {', '.join(EFFECTS)}", EFFECTS)
    return Effect(kind, _formula(tree.get("formula"), 0) if kind == "require" else None)


def _parts(tree: Tree, depth: int, read: Callable[[Any, int], T]) -> tuple[T, ...]:
    parts = tree.get("parts")
    if depth > DEEPEST or not isinstance(parts, list) or not parts:
        raise ValueRefused("an empty group" if parts == [] else "this group", "parts, not too deep")
    return tuple(read(part, depth + 1) for part in parts)


def _condition(tree: Any, depth: int) -> Condition:
    kind = tree.get("kind") if isinstance(tree, dict) else None
    match kind:
        case "all" | "any":
            parts = _parts(tree, depth, _condition)
            return parts[0] if len(parts) == 1 else And(parts) if kind == "all" else Or(parts)
        case "not" | "surely":
            part = _parts(tree, depth, _condition)[0]
            return Not(part) if kind == "not" else Surely(part)
        case "test":
            return _test(tree)
        case _:
            raise ValueRefused(f"`{shorten(str(kind))}`", "all, any, not, surely or test")


def _test(tree: Tree) -> Condition:
    values = tree.get("values")
    if not isinstance(values, list) or not all(isinstance(value, str) and value for value in values):
        raise ValueRefused("the value of a test", "texts")
    operands = tuple(Operand(value) for value in values)
    test, op = tree.get("test"), tree.get("op")
    if test == "fact":
        fact, found = tree.get("fact"), next((each for each in Op if each.value == op), None)
        if found is None or not isinstance(fact, str) or not fact:
            raise ValueRefused(f"`{shorten(str(op))}`", "a comparison of a fact")
        wanted = OPERATORS[found].operand
        if not {"none": not operands, "one": len(operands) == 1, "list": bool(operands)}[wanted]:
            raise ValueRefused(f"`{fact} {op}`".rstrip(), {"none": "no value", "one": "a value"}.get(wanted, "values"))
        return FactTest(fact, found, operands)
    if not operands or (len(operands) > 1 and test != "from"):
        raise ValueRefused(f"`{shorten(str(test))}`", "the name of a part")
    if test == "from":
        return FromPlace(operands, len(operands) > 1 or op == "any of")
    if test == "passes":
        return Passes(operands[0])
    if test == "during":
        return During(operands[0])
    raise ValueRefused(f"`{shorten(str(test))}`", "fact, from, passes or during")


def _formula(tree: Any, depth: int) -> Formula:
    kind = tree.get("kind") if isinstance(tree, dict) else None
    if kind in {"all", "any"}:
        parts = _parts(tree, depth, _formula)
        return parts[0] if len(parts) == 1 else AllOf(parts) if kind == "all" else AnyOf(parts)
    item = tree.get("item") if kind == "item" else None
    if item not in ITEM_KINDS:
        raise ValueRefused(f"`{shorten(str(item))}`", f"one of {', '.join(ITEM_KINDS)}", ITEM_KINDS)
    name, within = tree.get("name") or "", tree.get("within") or ""
    if not isinstance(name, str) or not isinstance(within, str) or bool(name) != (item in NAMED_ITEMS):
        raise ValueRefused(f"`{item}`", "the name of a part" if item in NAMED_ITEMS else "no name")
    return Item(item, name, read_duration(within) if within else None)
