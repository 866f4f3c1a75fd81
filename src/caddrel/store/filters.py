"""Conditions over the columns of the log as SQL, with the same three-valued meaning.

A column is NULL where the fact is unknown, and SQL's own logic of NULL is Kleene's: only `surely` and `is known` need
words of their own. Tests of facts that have no column are not for SQL.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import ColumnElement, and_, false, func, not_, or_, true

from caddrel.core.facts.values import to_json
from caddrel.core.language.nodes import And, Condition, FactTest, Not, Or, Surely
from caddrel.core.language.operators import OPERATORS, Op
from caddrel.store.moments import to_stored
from caddrel.store.tables import signins

# Texts are compared by Unicode's folded case, which SQLite does not know: they are not here.
COLUMNS: Mapping[str, str] = {
    "person.id": "person",
    "app.id": "app",
    "device.id": "device",
    "operation": "operation",
    "flow": "flow",
    "network.ip": "address",
    "network.country": "country",
    "network.anonymiser": "anonymiser",
    "network.asn": "asn",
    "device.owner": "owner",
    "device.platform": "platform",
    "client.kind": "client",
    "auth.credentials": "credentials",
    "time.at": "at",
    "at": "at",
    "outcome": "outcome",
    "reason": "reason",
    "certain": "certain",
    "policy": "policy",
    "rule": "rule",
    "recorded": "recorded_outcome",
    "shadow": "shadow_together",
}
_ORDER: Mapping[Op, Callable[[Any, Any], ColumnElement[bool]]] = {
    Op.AT_LEAST: lambda column, value: column >= value,
    Op.AT_MOST: lambda column, value: column <= value,
    Op.ABOVE: lambda column, value: column > value,
    Op.BELOW: lambda column, value: column < value,
}


def to_sql(condition: Condition) -> ColumnElement[bool] | None:
    """Return a condition as SQL, None when it tests anything that has no column."""
    match condition:
        case And(parts=parts) | Or(parts=parts):
            made = [to_sql(part) for part in parts]
            known = [part for part in made if part is not None]
            if len(known) != len(made):
                return None
            return and_(true(), *known) if isinstance(condition, And) else or_(false(), *known)
        case Not(part=part):
            inner = to_sql(part)
            return None if inner is None else not_(inner)
        case Surely(part=part):
            inner = to_sql(part)
            return None if inner is None else func.coalesce(inner, false())
        case FactTest():
            return _test(condition)
        case _:
            return None


def _test(test: FactTest) -> ColumnElement[bool] | None:
    name = COLUMNS.get(test.fact)
    if name is None:
        return None
    column = signins.c[name]
    values = [_value(operand.value if operand.value is not None else operand.text) for operand in test.operands]
    row = OPERATORS[test.op]
    match row.positive or test.op:
        case Op.KNOWN:
            found: ColumnElement[bool] = column.is_not(None)
        case Op.FLAG:
            found = column
        case Op.IS:
            found = column == values[0]
        case Op.ONE_OF:
            found = column.in_(values)
        case op if op in _ORDER:
            found = _ORDER[op](column, values[0])
        case _:
            return None
    return found if row.positive is None else not_(found)


def _value(value: Any) -> Any:
    if isinstance(value, datetime):
        return to_stored(value.astimezone(UTC))
    return value if isinstance(value, int | float) else str(to_json(value))
