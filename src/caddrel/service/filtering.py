"""Filters of the log: what SQL can ask goes to the store, the rest is judged on the records that SQL leaves."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from caddrel.core.decide.compiled.parts import LISTS, TRUE, Parts
from caddrel.core.facts.record import RecordedList
from caddrel.core.facts.types import Signals, Value
from caddrel.core.facts.values import ValueRefused, read_reported
from caddrel.core.language.nodes import And, Condition
from caddrel.core.logs.filters import RECORD_FACTS, FilterRefused, conjuncts, for_log, read_filter
from caddrel.core.rulebook.model import Rulebook
from caddrel.service.deps import Deps
from caddrel.service.errors import ServiceError
from caddrel.store.filters import COLUMNS, to_sql
from caddrel.store.signins import SigninRecord

LONGEST = 20_000
Matches = Callable[[SigninRecord], bool]


def split_filter(deps: Deps, text: str) -> tuple[tuple[Condition, ...], Matches | None]:
    """Return the conditions that SQL can ask, and a function that tells the rest of a record with its facts.

    Raises
    ------
    ServiceError
        With every finding at its place, when the filter cannot be read.
    """
    if not text.strip():
        return (), None
    if len(text) > LONGEST:
        raise ServiceError(413, "too-large", f"a filter has at most {LONGEST} characters")
    rulebook = for_log(deps.rulebooks.need_current().rulebook)
    try:
        condition = read_filter(text, rulebook)
    except FilterRefused as refused:
        title = f"the filter cannot be read: {refused.problems[0].message}"
        raise ServiceError(422, "bad-filter", title, "", refused.problems) from None
    asked: list[Condition] = []
    judged: list[Condition] = []
    for part in conjuncts(condition):
        (asked if to_sql(part) is not None else judged).append(part)
    return tuple(asked), _judging(And(tuple(judged)), rulebook) if judged else None


def _judging(condition: Condition, rulebook: Rulebook) -> Matches:
    state = Parts(rulebook).compiled(condition)
    catalogue = rulebook.catalogue

    def matches(record: SigninRecord) -> bool:
        values: dict[str, Value] = {}
        for name, (_, value) in record.facts["values"].items():
            spec = catalogue.get(name)
            if spec is not None:
                try:
                    values[name] = read_reported(spec, value)
                except ValueRefused:
                    continue
        fired = values.get("signals")
        if isinstance(fired, frozenset):
            values["signals"] = Signals(fired, record.facts.get("open_signals", ()))
        values["at"] = record.at
        for name in RECORD_FACTS:
            found: Any = record.columns.get(COLUMNS[name])
            if found is not None and name != "at":
                values[name] = found
        lists = {name: RecordedList(held) for name, held in record.facts.get("lists", {}).items()}
        return state(values, {LISTS: lists}) == TRUE

    return matches
