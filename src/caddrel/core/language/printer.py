"""Writing trees back as text, in the one canonical way: ``parse(print(tree)) == tree``."""

from __future__ import annotations

from functools import lru_cache

from caddrel.core.facts.values import show_duration
from caddrel.core.language.formulas import Effect
from caddrel.core.language.lexer import is_bare
from caddrel.core.language.nodes import (
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

# Words that would be read as part of the comparison if they stood bare as its value.
_AMBIGUOUS = {"not", "one", "at", "above", "below", "under", "known", "unknown", "any", "all", "of"}


@lru_cache(maxsize=4096)
def print_value(text: str) -> str:
    """Return a value as written in a condition, quoted only where it must be."""
    if is_bare(text) and text not in _AMBIGUOUS:
        return text
    escaped = text.replace("\\", "\\\\").replace('"', '\\"')
    return f'"{escaped}"'


def _list(operands: tuple[Operand, ...]) -> str:
    return f"[{', '.join(print_value(o.text) for o in operands)}]"


def print_condition(tree: Condition) -> str:
    """Return the canonical text of a condition."""
    match tree:
        case And(parts=parts):
            return " and ".join(_part(p) for p in parts)
        case Or(parts=parts):
            return " or ".join(_part(p) for p in parts)
        case Not(part=part):
            return f"not {_part(part)}"
        case Surely(part=part):
            return f"surely {_part(part)}"
        case FactTest():
            return _fact_test(tree)
        case FromPlace(places=places, listed=listed):
            return f"from any of {_list(places)}" if listed else f"from {print_value(places[0].text)}"
        case Passes(standard=standard):
            return f"device passes {print_value(standard.text)}"
        case During(schedule=schedule):
            return f"during {print_value(schedule.text)}"


def _part(tree: Condition) -> str:
    text = print_condition(tree)
    return f"({text})" if isinstance(tree, And | Or) else text


def _fact_test(test: FactTest) -> str:
    if not test.operands:
        return f"{test.fact} {test.op.value}".rstrip()
    listed = test.op.value.endswith("of")
    operand = _list(test.operands) if listed else print_value(test.operands[0].text)
    return f"{test.fact} {test.op.value} {operand}"


def print_item(item: Item) -> str:
    """Return one requirement as written in formulas; the limit in the largest unit that divides it."""
    name = f" {print_value(item.name)}" if item.name else ""
    within = f" within {show_duration(item.within)}" if item.within is not None else ""
    return f"{item.kind}{name}{within}"


def print_formula(formula: Formula) -> str:
    """Return the canonical text of a requirement formula."""
    match formula:
        case Item():
            return print_item(formula)
        case AllOf(parts=parts):
            return " and ".join(_formula_part(p) for p in parts)
        case AnyOf(parts=parts):
            return " or ".join(_formula_part(p) for p in parts)


def _formula_part(formula: Formula) -> str:
    text = print_formula(formula)
    return text if isinstance(formula, Item) else f"({text})"


def print_effect(effect: Effect) -> str:
    """Return the canonical text of what a rule does."""
    return f"require {print_formula(effect.formula)}" if effect.formula else effect.kind
