"""What is asked of the log: values of columns, conditions, a stretch of time, and where to go on; as SQL."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from sqlalchemy import ColumnElement, Connection, Select, func, or_, select

from caddrel.core.language.nodes import And, Condition, FactTest
from caddrel.core.language.operators import Op
from caddrel.store.filters import Asking, Judge, Judged, bundled, decided, fact_value
from caddrel.store.log_tables import bundles, decisions, signins
from caddrel.store.moments import to_stored
from caddrel.store.stretches import walking

_ROW = ("person", "app", "device", "outcome", "policy", "cause")
_DECISION = {"reason": "reason", "rule": "rule", "shadow_together": "shadow"}
# What a row of the list shows of a record's bundles: the group and the fact.
SHOWN = {
    "operation": ("attempt", "operation"),
    "flow": ("attempt", "flow"),
    "address": ("network", "network.ip"),
    "country": ("network", "network.country"),
    "anonymiser": ("network", "network.anonymiser"),
    "owner": ("device", "device.owner"),
    "platform": ("device", "device.platform"),
    "client": ("attempt", "client.kind"),
    "credentials": ("attempt", "auth.credentials"),
}
# What a list may be filtered by, one value each.
FILTERS = (*_ROW, *_DECISION, *(name for name in SHOWN if name != "address"), "anonymiser", "recorded_outcome")
FILTERS = tuple(dict.fromkeys(FILTERS))
_FEW, _FEW_FACTS = ("person", "device"), ("person.id", "device.id")


@dataclass(frozen=True, slots=True)
class Query:
    """What to list: one value a column, a condition, a time window, and where to go on.

    `judge` is needed where there are `conditions`; `judged` keeps what it said.
    """

    equal: Mapping[str, str] = field(default_factory=dict)
    certain: bool | None = None
    since: datetime | None = None
    until: datetime | None = None
    before: tuple[int, int] | None = None
    limit: int = 50
    conditions: tuple[Condition, ...] = ()
    judge: Judge | None = None
    judged: dict[Condition, Judged] = field(default_factory=dict)


def newest_first(query: Query) -> Select[Any]:
    """Return sign-ins, newest first; the conditions of the query are not asked yet."""
    wanted = select(signins)
    if of_few(query):
        since, until = (None if end is None else to_stored(end) for end in (query.since, query.until))
        return walking(wanted, since, until if query.before is None else query.before[0])
    return wanted.order_by(signins.c.at.desc(), signins.c.seq.desc())


def of_few(query: Query) -> bool:
    """Tell whether a query is for sign-ins of certain people or devices."""
    pinned = {*query.equal, *(fact.removesuffix(".id") for fact in map(_pinned, query.conditions) if fact)}
    return not pinned.isdisjoint(_FEW)


def _pinned(condition: Condition) -> str:
    """Return the fact that a condition asks a certain value of, empty when there is none."""
    match condition:
        case And(parts=parts):
            found = list(map(_pinned, parts))
            return next((fact for fact in found if fact in _FEW_FACTS), "")
        case FactTest(fact=fact, op=Op.IS | Op.ONE_OF):
            return fact
        case _:
            return ""


def conditions_of(query: Query, connection: Connection) -> list[ColumnElement[bool]]:
    """Return what a query asks, as SQL for this connection."""
    found: list[ColumnElement[bool]] = []
    for name, value in query.equal.items():
        # Several values of one column are alternatives: outcome=blocked,challenged.
        found.append(_equal(name, value.split(",")))
    if query.conditions:
        assert query.judge is not None
        asking = Asking(connection, query.judge, query.judged)
        found.extend(asking.surely(condition) for condition in query.conditions)
    if query.certain is not None:
        found.append(decided(decisions.c.certain == query.certain))
    if query.since is not None:
        found.append(signins.c.at >= to_stored(query.since))
    if query.until is not None:
        found.append(signins.c.at < to_stored(query.until))
    return found


def _equal(name: str, values: list[str]) -> ColumnElement[bool]:
    def one_of(column: ColumnElement[Any]) -> ColumnElement[bool]:
        return or_(*(column == value for value in values))

    if name in _ROW:
        return one_of(signins.c[name])
    if name in _DECISION:
        return decided(one_of(decisions.c[_DECISION[name]]))
    if name == "recorded_outcome":
        return bundled("recorded", one_of(func.json_extract(bundles.c.document, "$.outcome")))
    group, fact = SHOWN[name]
    return bundled(group, one_of(fact_value(fact)))
