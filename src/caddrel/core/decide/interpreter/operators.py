"""What the operators mean for a known value; used by the interpreter alone.

Not here: unknown facts (`judge`), which operator fits which type (`language.operators`).
"""

from __future__ import annotations

import operator
from collections.abc import Callable
from typing import Any

from caddrel.core.facts.types import LEVELS, FactType, Value, fold, is_under
from caddrel.core.language.nodes import Operand
from caddrel.core.language.operators import OPERATORS, Op

Operands = tuple[Operand, ...]


def holds(op: Op, kind: FactType, value: Any, operands: Operands) -> bool:
    """Tell whether a comparison holds for a known value."""
    row = OPERATORS[op]
    if row.positive is not None:
        return not _MEANINGS[row.positive](kind, value, operands)
    return _MEANINGS[op](kind, value, operands)


def _equal(kind: FactType, value: Any, operand: Value | None) -> bool:
    if kind is FactType.TEXT:
        return fold(value) == fold(str(operand))
    return bool(value == operand)


def _ordered(compare: Callable[[Any, Any], bool]) -> Callable[[FactType, Any, Operands], bool]:
    def meaning(kind: FactType, value: Any, operands: Operands) -> bool:
        wanted: Any = operands[0].value
        if kind is FactType.LEVEL:
            return compare(LEVELS.index(value), LEVELS.index(wanted))
        return compare(value, wanted)

    return meaning


_MEANINGS: dict[Op, Callable[[FactType, Any, Operands], bool]] = {
    Op.FLAG: lambda _kind, value, _operands: value is True,
    Op.IS: lambda kind, value, operands: _equal(kind, value, operands[0].value),
    Op.ONE_OF: lambda kind, value, operands: any(_equal(kind, value, o.value) for o in operands),
    Op.AT_LEAST: _ordered(operator.ge),
    Op.AT_MOST: _ordered(operator.le),
    Op.ABOVE: _ordered(operator.gt),
    Op.BELOW: _ordered(operator.lt),
    Op.HAS: lambda _kind, value, operands: operands[0].text in value,
    Op.HAS_ANY: lambda _kind, value, operands: any(o.text in value for o in operands),
    Op.HAS_ALL: lambda _kind, value, operands: all(o.text in value for o in operands),
    Op.CONTAINS: lambda _kind, value, operands: fold(operands[0].text) in fold(value),
    Op.STARTS: lambda _kind, value, operands: fold(value).startswith(fold(operands[0].text)),
    Op.ENDS: lambda _kind, value, operands: fold(value).endswith(fold(operands[0].text)),
    Op.UNDER: lambda _kind, value, operands: is_under(value, str(operands[0].value)),
    Op.KNOWN: lambda _kind, _value, _operands: True,
}
