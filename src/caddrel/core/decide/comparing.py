"""What the operators mean for a known value; shared by nothing but the interpreter.

Not here: unknown facts (`judging`), which operator fits which type (`language.operators`).
"""

from __future__ import annotations

from typing import Any

from caddrel.core.facts.types import LEVELS, FactType, Value, fold, is_under
from caddrel.core.language.nodes import Operand
from caddrel.core.language.operators import Op


def holds(op: Op, kind: FactType, value: Any, operands: tuple[Operand, ...]) -> bool:
    """Tell whether a comparison holds for a known value."""
    match op:
        case Op.FLAG:
            return value is True
        case Op.IS:
            return _equal(kind, value, operands[0].value)
        case Op.IS_NOT:
            return not _equal(kind, value, operands[0].value)
        case Op.ONE_OF:
            return any(_equal(kind, value, o.value) for o in operands)
        case Op.NOT_ONE_OF:
            return not any(_equal(kind, value, o.value) for o in operands)
        case Op.AT_LEAST | Op.AT_MOST | Op.ABOVE | Op.BELOW:
            return _ordered(op, _rank(kind, value), _rank(kind, operands[0].value))
        case Op.HAS | Op.HAS_ANY:
            return any(o.text in value for o in operands)
        case Op.HAS_ALL:
            return all(o.text in value for o in operands)
        case Op.HAS_NONE:
            return not any(o.text in value for o in operands)
        case Op.CONTAINS:
            return fold(operands[0].text) in fold(value)
        case Op.STARTS:
            return fold(value).startswith(fold(operands[0].text))
        case Op.ENDS:
            return fold(value).endswith(fold(operands[0].text))
        case Op.UNDER:
            return is_under(value, str(operands[0].value))
        case Op.NOT_UNDER:
            return not is_under(value, str(operands[0].value))
        case Op.KNOWN:
            return True
        case Op.UNKNOWN:
            return False


def _equal(kind: FactType, value: Any, operand: Value | None) -> bool:
    if kind is FactType.TEXT:
        return fold(value) == fold(str(operand))
    return bool(value == operand)


def _rank(kind: FactType, value: Any) -> Any:
    return LEVELS.index(value) if kind is FactType.LEVEL else value


def _ordered(op: Op, left: Any, right: Any) -> bool:
    match op:
        case Op.AT_LEAST:
            return bool(left >= right)
        case Op.AT_MOST:
            return bool(left <= right)
        case Op.ABOVE:
            return bool(left > right)
        case _:
            return bool(left < right)


