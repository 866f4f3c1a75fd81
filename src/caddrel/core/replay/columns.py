"""Recorded attempts as columns under one rulebook: their facts read, re-assumed, and put into a batch.

Not here: reading records from where they are kept.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from datetime import datetime
from typing import Any, TypeVar

import numpy as np

from caddrel.core.columnar.batch import (
    BIT,
    Batch,
    MethodColumns,
    Rows,
    Seconds,
    age_columns,
    different_of,
    moment_columns,
    seconds,
)
from caddrel.core.columnar.fact_groups import GROUPS, group_of
from caddrel.core.columnar.own_facts import AGES, DEVICE_AGES, METHODS_AGE
from caddrel.core.facts.facts import Facts
from caddrel.core.facts.types import PartlyRead, Value
from caddrel.core.replay.recorded import ASSUMED, REPORTED, Numbers, Recorded

Entry = tuple[Facts, Mapping[str, float | None]]


class RecordedColumns:
    """Makes batches of records under one rulebook's assumptions; each bundle is read once, and all batches share them.

    Parameters
    ----------
    entries_of
        Gives the facts of bundles by their group and numbers, as they count under the rulebook; and ages that their
        device has whenever it comes, where the inventory of now is asked.
    """

    def __init__(
        self, assume: Mapping[str, Value], entries_of: Callable[[str, Sequence[int]], Sequence[Entry]]
    ) -> None:
        self._assume, self._entries_of = assume, entries_of
        self._places: dict[str, dict[int, int]] = {group: {} for group in GROUPS}
        self._entries: dict[str, list[Facts]] = {group: [] for group in GROUPS}
        self._constant: list[Mapping[str, float | None]] = []

    def batch(self, recorded: Recorded) -> Batch:
        """Return records as a batch."""
        codes = {group: self._codes(group, recorded.numbers[group]) for group in GROUPS}
        entries, constant = self._entries, self._constant
        ages = {name: self._ages(name, recorded, constant, codes["device"]) for name in AGES}
        return Batch(
            len(recorded),
            dict(entries),
            codes,
            recorded.moments,
            recorded.timed,
            ages,
            self._methods(recorded, entries["attempt"], codes["attempt"]),
            recorded.live,
        )

    def _codes(self, group: str, numbers: Numbers) -> Rows:
        """Return the places of bundles among the entries; those that were not there are added."""
        different, codes = different_of(numbers)
        places, wanted = self._places[group], different.tolist()
        missing = [number for number in wanted if number not in places]
        if missing:
            for number, (facts, ages) in zip(missing, self._entries_of(group, missing), strict=True):
                places[number] = len(places)
                self._entries[group].append(facts)
                if group == "device":
                    self._constant.append(ages)
        return np.array([places[number] for number in wanted], np.intp).take(codes)

    def _ages(
        self, name: str, recorded: Recorded, constant: Sequence[Mapping[str, float | None]], codes: Rows
    ) -> Seconds:
        # What was assumed then counts no more; what is assumed now counts where nothing is known.
        origins = recorded.origins[name]
        found = np.where(origins == ASSUMED, np.nan, recorded.ages[name])
        if name in DEVICE_AGES and any(constant):
            now = seconds([ages.get(name) for ages in constant])[codes]
            found = np.where(origins == REPORTED, found, now)
        assumed = self._assume.get(name)
        if isinstance(assumed, int | float):
            found[np.isnan(found)] = assumed
        return found

    def _methods(self, recorded: Recorded, entries: Sequence[Facts], codes: Rows) -> MethodColumns:
        held = [entry.values.get("auth.methods") for entry in entries]
        known = np.array([isinstance(each, dict) for each in held], np.bool_)[codes]
        partly = np.array([isinstance(each, PartlyRead) for each in held], np.bool_)[codes]
        bits = [sum(BIT[name] for name in each) if isinstance(each, dict) else 0 for each in held]
        used = np.array(bits, np.uint32)[codes]
        assumed = self._assume.get(METHODS_AGE)
        fallback = assumed if isinstance(assumed, int | float) else np.nan
        default = np.where(recorded.origins[METHODS_AGE] == REPORTED, recorded.default_age, fallback)
        return MethodColumns(known, partly, used, recorded.methods_ages, default)


def batch_of(attempts: Sequence[Facts]) -> Batch:
    """Return attempts whose facts are completed as a batch; those that have a group of facts in common share it."""
    entries: dict[str, list[Facts]] = {group: [] for group in GROUPS}
    codes: dict[str, list[int]] = {group: [] for group in GROUPS}
    known: dict[Any, int] = {}
    for facts in attempts:
        apart: dict[str, dict[str, Value]] = {group: {} for group in GROUPS}
        for name, value in facts.values.items():
            group = group_of(name)
            if group and name != "auth.methods":
                apart[group][name] = value
        for group, values in apart.items():
            # A set of which something is open is another than one of which nothing is.
            parts = tuple(sorted((n, repr(v), repr(getattr(v, "open", None))) for n, v in values.items()))
            key = (group, parts, facts.app_listed, id(facts.lists) if facts.lists else 0)
            place = known.get(key)
            if place is None:
                place = known[key] = len(entries[group])
                entries[group].append(replace(facts, values=values))
            codes[group].append(place)
    moments, timed = moment_columns([_as(datetime, facts.values.get("time.at")) for facts in attempts])
    ages = [[_number(facts.values.get(name)) for name in AGES] for facts in attempts]
    methods = [_as(dict, facts.values.get("auth.methods")) for facts in attempts]
    return Batch(
        len(attempts),
        entries,
        {group: np.array(found, np.intp) for group, found in codes.items()},
        moments,
        timed,
        age_columns(ages),
        MethodColumns.of(methods, [facts.default_age for facts in attempts]),
        np.array([facts.live for facts in attempts], np.bool_),
    )


T = TypeVar("T")


def _as(kind: type[T], value: object) -> T | None:
    return value if isinstance(value, kind) else None


def _number(value: object) -> float | None:
    return value if isinstance(value, int | float) else None
