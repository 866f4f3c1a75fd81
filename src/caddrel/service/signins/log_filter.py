"""What is asked of the log: read here, asked by the store; what SQL cannot tell is judged for bundles of facts."""

from __future__ import annotations

import base64
import re
from collections.abc import Callable, Mapping
from datetime import UTC, date, datetime, timedelta
from typing import Any

import msgspec

from caddrel.core.columnar.fact_groups import group_of
from caddrel.core.decide.compiled.named_parts import LISTS, Parts
from caddrel.core.facts.record import RecordedList, value_from_json
from caddrel.core.facts.types import Value
from caddrel.core.facts.values import ValueRefused, read_duration, read_moment
from caddrel.core.language.nodes import And, Condition, During, FromPlace, Passes
from caddrel.core.logs.filters import FilterRefused, for_log, read_filter
from caddrel.core.rulebook.model import Rulebook
from caddrel.service.problems import ServiceError
from caddrel.service.signins.filter_words import filter_words, refuse_unknown_names
from caddrel.service.state.context import State
from caddrel.store.moments import from_stored
from caddrel.store.queries import Query
from caddrel.wire.decoding import decode

LONGEST = 20_000
_DATE = re.compile(r"[0-9]{4}-[0-9]{2}-[0-9]{2}")


def read_where(state: State, text: str) -> tuple[tuple[Condition, ...], LogJudge | None]:
    """Return what a filter asks, and what judges it; nothing for an empty text.

    Raises
    ------
    ServiceError
        With every finding at its place, when the filter cannot be read.
    """
    if not text.strip():
        return (), None
    if len(text) > LONGEST:
        raise ServiceError(413, "too-large", f"a filter has at most {LONGEST} characters")
    rulebook = for_log(state.rulebooks.in_force())
    try:
        condition = read_filter(text, rulebook)
    except FilterRefused as refused:
        title = f"the filter cannot be read: {refused.problems[0].message}"
        raise ServiceError(422, "bad-filter", title, "", refused.problems) from None
    judge = LogJudge(rulebook)
    refuse_unknown_names(state, condition, text, judge)
    return (condition,), judge


class LogJudge:
    """Judges the tests of a filter for bundles of facts, under one rulebook."""

    def __init__(self, rulebook: Rulebook) -> None:
        self._rulebook = rulebook
        self._parts = Parts(rulebook)

    def group(self, test: Condition) -> str:
        """Return the group of facts that a test is about."""
        return "network" if isinstance(test, FromPlace) else group_of(test.fact)  # type: ignore[union-attr]

    def checks(self, test: Passes) -> Condition:
        """Return what a device standard asks for."""
        return And(tuple(check.must for check in self._rulebook.standards[test.standard.text].checks))

    def state(self, test: Condition) -> Callable[[Mapping[str, Any]], int]:
        """Return a function that gives the state of a test for a bundle as JSON."""
        compiled = self._parts.compiled(test)
        network = isinstance(test, FromPlace)
        catalogue = self._rulebook.catalogue
        specs = {name: catalogue[name] for name in (_NETWORK if network else (test.fact,))}  # type: ignore[union-attr]

        def state(bundle: Mapping[str, Any]) -> int:
            values: dict[str, Value] = {}
            held = bundle.get("values", {})
            for name, spec in specs.items():
                if name in held:
                    try:
                        value, _ = value_from_json(spec, bundle)
                    except ValueRefused:
                        continue
                    if value is not None:
                        values[name] = value
            lists = {name: RecordedList(there) for name, there in bundle.get("lists", {}).items()}
            return compiled(values, {LISTS: lists})

        return state

    def moments(self, test: During) -> tuple[int, Callable[[int], int]]:
        """Return a function that gives the state of a test for a moment, and for how long at least it stays so.

        Zones have been whole quarters of an hour from UTC since 1972, so a schedule turns at a quarter unless it is
        written with other minutes.
        """
        compiled = self._parts.compiled(test)
        schedule = self._rulebook.schedules[test.schedule.text]
        windows = [window for day in (*schedule.week, *schedule.open.values()) for window in day]
        quarters = all(window.start % 15 == 0 and window.end % 15 == 0 for window in windows)
        length = (15 if quarters else 1) * 60_000_000
        return length, lambda at: compiled({"time.at": from_stored(at)}, {LISTS: {}})


_NETWORK = ("network.ip", "network.country", "network.anonymiser", "network.asn")


def _at(state: State, asked: Mapping[str, str], name: str) -> datetime | None:
    text = asked.get(name, "")
    if not text:
        return None
    try:
        if _DATE.fullmatch(text):
            return datetime.combine(date.fromisoformat(text), datetime.min.time(), UTC)
        if text[-1] in "smhd":
            return state.clock() - timedelta(seconds=read_duration(text))
        return read_moment(text)
    except (ValueRefused, ValueError, OverflowError):
        hint = "2026-11-02T07:10:00Z, 2026-11-02, or back from now: 7d"
        raise ServiceError(400, "bad-parameter", f"`{name}` is not a moment", hint) from None


def log_query(state: State, asked: Mapping[str, str], limit: int) -> Query:
    """Return what is asked of the log.

    Parameters
    ----------
    asked
        The parameters of the request, by name.

    Raises
    ------
    ServiceError
        When one of them cannot be read.
    """
    certain = asked.get("certain", "")
    if certain not in {"", "yes", "no"}:
        raise ServiceError(400, "bad-parameter", "`certain` is yes or no")
    conditions, judge = read_where(state, asked.get("where", ""))
    return Query(
        filter_words(state, asked),
        {"yes": True, "no": False}.get(certain),
        _at(state, asked, "since"),
        _at(state, asked, "until"),
        _cursor(asked.get("after", "")),
        limit,
        conditions,
        judge,
    )


# Beyond this the store keeps no number.
_FARTHEST = 1 << 62


def _cursor(text: str) -> tuple[int, int] | None:
    if not text:
        return None
    try:
        at, seq = decode(base64.urlsafe_b64decode(text), tuple[int, int])
    except (ValueError, msgspec.DecodeError):
        at, seq = -1, -1
    if not (-_FARTHEST < at < _FARTHEST and 0 <= seq < _FARTHEST):
        raise ServiceError(400, "bad-cursor", "`after` is not a cursor that this service gave")
    return at, seq
