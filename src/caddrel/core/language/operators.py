"""The one table of what can be asked of a fact: spelling, types, meaning for unknowns.

Checker, evaluators, completion and the reference page read it.
"""

from __future__ import annotations

import enum
from dataclasses import dataclass

from caddrel.core.facts.types import FactType


class Op(enum.StrEnum):
    """What a test asks of one fact; the value is the spelling without its operand."""

    FLAG = ""
    IS = "is"
    IS_NOT = "is not"
    ONE_OF = "is one of"
    NOT_ONE_OF = "is not one of"
    AT_LEAST = "is at least"
    AT_MOST = "is at most"
    ABOVE = "is above"
    BELOW = "is below"
    HAS = "has"
    HAS_ANY = "has any of"
    HAS_ALL = "has all of"
    HAS_NONE = "has none of"
    CONTAINS = "contains"
    STARTS = "starts with"
    ENDS = "ends with"
    UNDER = "is under"
    NOT_UNDER = "is not under"
    KNOWN = "is known"
    UNKNOWN = "is unknown"


@dataclass(frozen=True, slots=True)
class Operator:
    """One row: operand shape, the fact types it fits, and what it means.

    `operand` is ``none``, ``one`` or ``list``; `positive` is the operator that this one negates.
    """

    op: Op
    operand: str
    types: frozenset[FactType]
    doc: str
    positive: Op | None = None


_EQUAL = frozenset(FactType) - {FactType.FLAG, FactType.NAMES, FactType.METHODS}
_ORDERED = frozenset({FactType.VERSION, FactType.LEVEL, FactType.NUMBER, FactType.DURATION, FactType.MOMENT})
SETS = frozenset({FactType.NAMES, FactType.METHODS})
_TEXT = frozenset({FactType.TEXT})
_PATH = frozenset({FactType.PATH})
_ALL = frozenset(FactType)
_UNKNOWN = "Unknown when the fact is unknown."

OPERATORS: dict[Op, Operator] = {
    row.op: row
    for row in (
        Operator(Op.FLAG, "none", frozenset({FactType.FLAG}), f"The flag is yes. {_UNKNOWN}"),
        Operator(Op.IS, "one", _EQUAL, f"Equal, as the type compares. {_UNKNOWN}"),
        Operator(Op.IS_NOT, "one", _EQUAL, f"Not equal. {_UNKNOWN}", Op.IS),
        Operator(Op.ONE_OF, "list", _EQUAL, f"Equal to one of the list. {_UNKNOWN}"),
        Operator(Op.NOT_ONE_OF, "list", _EQUAL, f"Equal to none of the list. {_UNKNOWN}", Op.ONE_OF),
        Operator(Op.AT_LEAST, "one", _ORDERED, f"Equal or greater. {_UNKNOWN}"),
        Operator(Op.AT_MOST, "one", _ORDERED, f"Equal or smaller. {_UNKNOWN}"),
        Operator(Op.ABOVE, "one", _ORDERED, f"Greater. {_UNKNOWN}"),
        Operator(Op.BELOW, "one", _ORDERED, f"Smaller. {_UNKNOWN}"),
        Operator(Op.HAS, "one", SETS, f"The set holds the id. {_UNKNOWN}"),
        Operator(Op.HAS_ANY, "list", SETS, f"The set holds at least one of them. {_UNKNOWN}"),
        Operator(Op.HAS_ALL, "list", SETS, f"The set holds every one of them. {_UNKNOWN}"),
        Operator(Op.HAS_NONE, "list", SETS, f"The set holds none of them. {_UNKNOWN}", Op.HAS_ANY),
        Operator(Op.CONTAINS, "one", _TEXT, f"The text occurs in it, any case. {_UNKNOWN}"),
        Operator(Op.STARTS, "one", _TEXT, f"It starts so, any case. {_UNKNOWN}"),
        Operator(Op.ENDS, "one", _TEXT, f"It ends so, any case. {_UNKNOWN}"),
        Operator(Op.UNDER, "one", _PATH, f"The path is this one or below it. {_UNKNOWN}"),
        Operator(Op.NOT_UNDER, "one", _PATH, f"Neither this path nor below it. {_UNKNOWN}", Op.UNDER),
        Operator(Op.KNOWN, "none", _ALL, "The fact has a value; itself never unknown."),
        Operator(Op.UNKNOWN, "none", _ALL, "The fact has no value; itself never unknown.", Op.KNOWN),
    )
}


def fitting(fact_type: FactType) -> tuple[Op, ...]:
    """Return the operators that fit a type, in table order."""
    return tuple(op for op, row in OPERATORS.items() if fact_type in row.types)
