"""Filters of the log: read here, asked by the store; what SQL cannot tell is judged for bundles of facts."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from caddrel.core.decide.compiled.parts import LISTS, Parts
from caddrel.core.facts.bundles import group_of
from caddrel.core.facts.record import RecordedList, value_from_json
from caddrel.core.facts.types import Value
from caddrel.core.facts.values import ValueRefused
from caddrel.core.language.nodes import And, Condition, During, FromPlace, Passes
from caddrel.core.logs.filters import FilterRefused, for_log, read_filter
from caddrel.core.rulebook.model import Rulebook
from caddrel.service.deps import Deps
from caddrel.service.errors import ServiceError
from caddrel.store.moments import from_stored

LONGEST = 20_000


def read_where(deps: Deps, text: str) -> tuple[tuple[Condition, ...], LogJudge | None]:
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
    rulebook = for_log(deps.rulebooks.need_current().rulebook)
    try:
        condition = read_filter(text, rulebook)
    except FilterRefused as refused:
        title = f"the filter cannot be read: {refused.problems[0].message}"
        raise ServiceError(422, "bad-filter", title, "", refused.problems) from None
    return (condition,), LogJudge(rulebook)


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
