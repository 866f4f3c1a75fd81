"""Conditions over the log as SQL, with the meaning that they have for one attempt.

A condition is asked in two ways: is it surely true, is it surely false. Both are pushed down to the single tests, so
the SQL has two values only. A test of what stands in a row or a decision is SQL by itself; one of other facts is judged
once for each bundle of facts, and SQL asks for the bundles where it came out so.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator, Mapping
from datetime import UTC, datetime
from typing import Any, Protocol

import msgspec
from sqlalchemy import ColumnElement, Connection, and_, false, func, literal_column, not_, or_, select, true

from caddrel.core.decide import truth
from caddrel.core.facts.values import to_json
from caddrel.core.language.nodes import And, Condition, During, FactTest, Not, Or, Passes, Surely
from caddrel.core.language.operators import OPERATORS, Op
from caddrel.store.dictionary import COLUMNS
from caddrel.store.log_tables import bundles, decisions, signins, stretches
from caddrel.store.moments import to_stored
from caddrel.store.stretches import BITS

FALSE, TRUE = truth.FALSE.level, truth.TRUE.level
# Texts are compared by Unicode's folded case, which SQLite does not know: they are not here.
ROWS: Mapping[str, str] = {
    "person.id": "person",
    "app.id": "app",
    "device.id": "device",
    "device.state_age": "state_age",
    "device.listed_for": "listed_for",
    "auth.age": "auth_age",
    "time.at": "at",
    "at": "at",
    "outcome": "outcome",
    "policy": "policy",
}
DECISIONS = ("reason", "certain", "rule", "shadow")
_ORDER: Mapping[Op, Callable[[Any, Any], ColumnElement[bool]]] = {
    Op.AT_LEAST: lambda column, value: column >= value,
    Op.AT_MOST: lambda column, value: column <= value,
    Op.ABOVE: lambda column, value: column > value,
    Op.BELOW: lambda column, value: column < value,
}


class Judge(Protocol):
    """Says what a condition comes to; a state is 1 for false, 2 for unknown, 3 for true."""

    def group(self, test: Condition) -> str:
        """Return the group of facts that a test is about."""

    def state(self, test: Condition) -> Callable[[Mapping[str, Any]], int]:
        """Return a function that gives the state of a test for a bundle as JSON."""

    def checks(self, test: Passes) -> Condition:
        """Return what a device standard asks for."""

    def moments(self, test: During) -> tuple[int, Callable[[int], int]]:
        """Return a function that gives the state of a test for a moment, and for how long at least it stays so."""


class Asking:
    """Turns the conditions of one query into SQL on one connection.

    Parameters
    ----------
    judged
        The bundles for which tests are surely true, and surely false; kept by the caller, so that what was judged once
        is not judged again.
    """

    def __init__(self, connection: Connection, judge: Judge, judged: dict[Condition, Judged]) -> None:
        self._connection = connection
        self._judge = judge
        self._judged = judged

    def surely(self, condition: Condition, wanted: bool = True) -> ColumnElement[bool]:
        """Return whether a condition is surely true, or surely false, as SQL."""
        match condition:
            case And(parts=parts):
                asked = [self.surely(part, wanted) for part in sorted(parts, key=_cost)]
                return and_(true(), *asked) if wanted else or_(false(), *asked)
            case Or(parts=parts):
                asked = [self.surely(part, wanted) for part in sorted(parts, key=_cost)]
                return or_(false(), *asked) if wanted else and_(true(), *asked)
            case Not(part=part):
                return self.surely(part, not wanted)
            case Surely(part=part):
                inner = self.surely(part)
                return inner if wanted else not_(func.coalesce(inner, literal_column("0")))
            case Passes():
                return self.surely(self._judge.checks(condition), wanted)
            case During():
                return self._during(condition, wanted)
            case FactTest(fact=fact) if fact in ROWS:
                return _settled(_test(condition, signins.c[ROWS[fact]]), wanted)
            case FactTest(fact=fact) if fact in DECISIONS:
                return decided(_settled(_test(condition, decisions.c[fact]), wanted))
            case FactTest(fact="recorded"):
                said = func.json_extract(bundles.c.document, "$.outcome")
                return bundled("recorded", _settled(_test(condition, said), wanted))
            case _:
                return self._bundles(condition, wanted)

    def _during(self, test: During, wanted: bool) -> ColumnElement[bool]:
        """Return the stretches of the log's time in which a schedule is open, or is not, as SQL."""
        judged = self._judged.setdefault(test, Judged())
        length, state = self._judge.moments(test)
        if not judged.true and not judged.false:
            for slot in self._slots(length):
                (judged.true if state(slot * length) == TRUE else judged.false).append(slot)
        return _one_of(signins.c.at // length, judged.true if wanted else judged.false)

    def _slots(self, length: int) -> Iterator[int]:
        """Yield the slots of time of a length in which the log may have anything: one odd moment is not all between."""
        ends = self._connection.execute(select(func.min(signins.c.at), func.max(signins.c.at))).one()
        if ends[0] is None:
            return
        first, last = ends[0] // length, ends[1] // length
        for number in self._connection.execute(select(stretches.c.number).order_by(stretches.c.number)).scalars():
            begin, end = (number << BITS) // length, (((number + 1) << BITS) - 1) // length
            yield from range(max(first, begin), min(last, end) + 1)
            first = max(first, end + 1)

    def _bundles(self, test: Condition, wanted: bool) -> ColumnElement[bool]:
        group = self._judge.group(test)
        judged = self._judged.setdefault(test, Judged())
        judged.go_on(self._connection, group, self._judge.state(test))
        return _one_of(signins.c[COLUMNS[group]], judged.true if wanted else judged.false)


class Judged:
    """The bundles for which a test is surely true, and surely false, as far as it has been judged."""

    def __init__(self) -> None:
        self.true: list[int] = []
        self.false: list[int] = []
        self._last = 0

    def go_on(self, connection: Connection, group: str, state: Callable[[Mapping[str, Any]], int]) -> None:
        """Judge the bundles that have come since the last time."""
        wanted = select(bundles.c.number, bundles.c.document).where(
            bundles.c.kind == group, bundles.c.number > self._last
        )
        for number, document in connection.execute(wanted.order_by(bundles.c.number)):
            found = state(msgspec.json.decode(document))
            if found == TRUE:
                self.true.append(number)
            elif found == FALSE:
                self.false.append(number)
            self._last = number


def _cost(condition: Condition) -> int:
    """Return the place of a condition among others: SQLite asks in the order written, so what is quick comes first."""
    match condition:
        case FactTest(fact=fact):
            return 0 if fact in ROWS else 1 if fact in DECISIONS else 2
        case And(parts=parts) | Or(parts=parts):
            return 3 + max(map(_cost, parts))
        case Not(part=part) | Surely(part=part):
            return _cost(part)
        case _:
            return 2


def _one_of(found: ColumnElement[Any], numbers: list[int]) -> ColumnElement[bool]:
    listed = func.json_each(json.dumps(numbers)).table_valued("value")
    return found.in_(select(listed.c.value)) if numbers else false()


def decided(condition: ColumnElement[bool]) -> ColumnElement[bool]:
    """Return the condition that a row's decision is one of those that a condition holds for."""
    return signins.c.decision.in_(select(decisions.c.number).where(condition))


def bundled(kind: str, condition: ColumnElement[bool]) -> ColumnElement[bool]:
    """Return the condition that a row's bundle of a kind is one of those that a condition holds for."""
    wanted = select(bundles.c.number).where(bundles.c.kind == kind, condition)
    return signins.c[COLUMNS[kind]].in_(wanted)


def fact_value(fact: str) -> ColumnElement[Any]:
    """Return the value of a fact in a bundle."""
    return func.json_extract(bundles.c.document, f'$.values."{fact}"[1]')


def _settled(test: ColumnElement[bool], wanted: bool) -> ColumnElement[bool]:
    """Return SQL that holds where a test surely has the given truth; unknown is NULL in SQL and not found."""
    return test if wanted else not_(test)


def _test(test: FactTest, found: ColumnElement[Any]) -> ColumnElement[bool]:
    values = [_value(operand.value if operand.value is not None else operand.text) for operand in test.operands]
    row = OPERATORS[test.op]
    match row.positive or test.op:
        case Op.KNOWN:
            asked: ColumnElement[bool] = found.is_not(None)
        case Op.FLAG:
            asked = found
        case Op.IS:
            asked = found == values[0]
        case Op.ONE_OF:
            asked = found.in_(values)
        case op if op in _ORDER:
            asked = _ORDER[op](found, values[0])
        case op:
            raise AssertionError(f"no column is asked with {op}")
    return asked if row.positive is None else not_(asked)


def _value(value: Any) -> Any:
    if isinstance(value, datetime):
        return to_stored(value.astimezone(UTC))
    return value if isinstance(value, int | float) else str(to_json(value))
