"""What is each attempt's own: its moment, the ages of its device's entries, and those of its methods.

Worked out for many attempts at once, column by column: one step for many takes much less time than all steps for each.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Mapping, Sequence
from datetime import datetime
from typing import Any, NamedTuple, Protocol

from caddrel.core.facts.catalogue import FACTS
from caddrel.core.facts.types import Methods
from caddrel.core.facts.values import read_moment, read_told, reported_duration, show_moment

# Ages that follow from the moment of an attempt, and those of its methods; in this order wherever they come together.
DEVICE_AGES = ("device.state_age", "device.listed_for")
METHODS_AGE = "auth.age"
AGES = (*DEVICE_AGES, METHODS_AGE)
MOST_REMEMBERED = 10_000
Ages = tuple[float | None, float | None, float | None]
Columns = Mapping[str, Sequence[Any]]
# Moments in UTC and whole seconds, and not at the very ends of the calendar: read and shown without a second look.
_PLAIN = re.compile(r"((?!000[01]|9999)\d{4}-\d\d-\d\dT\d\d:\d\d:\d\dZ\n)*", re.ASCII).fullmatch
_LENGTH = len("2026-11-02T07:10:00Z\n")


class Device(Protocol):
    """What is asked of a device: since when its entries are as they are, and what the rulebook assumes without that."""

    since: tuple[datetime | None, datetime | None]
    assumed: tuple[float | None, float | None]


class Own(NamedTuple):
    """What is their own of many attempts, column by column.

    Attributes
    ----------
    documents
        The facts as JSON: name to origin and value.
    ages
        In seconds, in the order of `AGES`.
    methods
        Methods with their ages, None when none was reported with an age.
    default_ages
        Of methods reported without an age.
    """

    moments: Sequence[datetime]
    documents: Sequence[str]
    ages: Sequence[Ages]
    methods: Sequence[Methods | None]
    default_ages: Sequence[float | None]


class _Aged(NamedTuple):
    """Methods as they were reported: with their ages, of which the oldest, and the same as JSON; all None without."""

    methods: Methods | None
    oldest: float | None
    document: str


_WITHOUT = _Aged(None, None, "")


class OwnFacts:
    """Works out what is each attempt's own.

    Parameters
    ----------
    assumed_age
        The age of methods that the rulebook assumes where none is reported; seconds.
    """

    def __init__(self, assumed_age: float | None) -> None:
        self._assumed_age = assumed_age
        self._aged: dict[Any, _Aged] = {}

    def of(self, columns: Columns, devices: Sequence[Device]) -> Own:
        """Return what is their own of attempts that report the same facts.

        Parameters
        ----------
        columns
            The values reported, by fact; there is ``time.at``.

        Raises
        ------
        ValueError, TypeError, AttributeError
            When any value is wrong.
        """
        moments, texts = _moments(columns["time.at"])
        state, state_texts = _device_ages(0, columns, devices, moments)
        listed, listed_texts = _device_ages(1, columns, devices, moments)
        aged = self._methods(columns.get("auth.methods"), len(moments))
        ages, age_texts, defaults = self._methods_ages(columns, aged)
        documents = [
            f'{{"time.at":["reported","{text}"]{of_state}{of_listed}{each.document}{of_methods}}}'
            for text, of_state, of_listed, each, of_methods in zip(
                texts, state_texts, listed_texts, aged, age_texts, strict=True
            )
        ]
        return Own(
            moments, documents, list(zip(state, listed, ages, strict=True)), [each.methods for each in aged], defaults
        )

    def _methods(self, column: Sequence[Any] | None, count: int) -> Sequence[_Aged]:
        if column is None:
            return [_WITHOUT] * count
        known = self._aged.get
        return [
            _WITHOUT if type(reported) is not dict
            else known(tuple(reported.items())) or self._with_ages(reported)
            for reported in column
        ]  # fmt: skip

    def _with_ages(self, reported: dict[str, Any]) -> _Aged:
        """Return methods with their ages; what is none of them is kept with their bundle, which knows of no ages."""
        methods: Any = read_told(FACTS["auth.methods"], reported)[0]
        ages = [age for age in methods.values() if age is not None]
        document = f',"auth.methods":{_encoded(["reported", methods])}' if ages else ""
        found = _Aged(methods, max(ages, default=None), document)
        # A flag is no age, though Python takes True for 1: what may be mistaken for one is not remembered.
        if 0 not in ages and 1 not in ages:
            if len(self._aged) > MOST_REMEMBERED:
                self._aged.clear()
            self._aged[tuple(reported.items())] = found
        return found

    def _methods_ages(
        self, columns: Columns, aged: Sequence[_Aged]
    ) -> tuple[Sequence[float | None], Sequence[str], Sequence[float | None]]:
        """Return the ages of all methods together, the same as JSON, and the ages of methods reported without one."""
        reported = columns.get(METHODS_AGE)
        if reported is not None:
            ages: Sequence[float | None] = list(map(reported_duration, reported))
            return ages, [f',"{METHODS_AGE}":["reported",{age}]' for age in ages], ages
        assumed = self._assumed_age
        without = "" if assumed is None else f',"{METHODS_AGE}":["assumed",{assumed}]'
        texts = [
            without if each.oldest is None else f',"{METHODS_AGE}":["computed",{each.oldest}]' for each in aged
        ]  # fmt: skip
        return [assumed if each.oldest is None else each.oldest for each in aged], texts, [assumed] * len(aged)


def _moments(reported: Sequence[Any]) -> tuple[Sequence[datetime], Sequence[str]]:
    """Return moments, and their texts as they are shown."""
    together = "\n".join(reported) + "\n"
    if len(together) == _LENGTH * len(reported) and _PLAIN(together):
        return list(map(datetime.fromisoformat, reported)), reported
    moments = list(map(read_moment, reported))
    return moments, list(map(show_moment, moments))


def _device_ages(
    which: int, columns: Columns, devices: Sequence[Device], moments: Sequence[datetime]
) -> tuple[Sequence[float | None], Sequence[str]]:
    """Return an age that devices have at the moments of attempts, and the same as JSON."""
    name = DEVICE_AGES[which]
    reported = columns.get(name)
    if reported is not None:
        known = list(map(reported_duration, reported))
        return known, [f',"{name}":["reported",{age}]' for age in known]
    ages: list[float | None] = []
    texts: list[str] = []
    inventory, assumption = f',"{name}":["inventory",', f',"{name}":["assumed",'
    for device, at in zip(devices, moments, strict=True):
        since = device.since[which]
        # Before the report, or before the device was listed, there is no age to tell.
        if since is not None and at >= since:
            age: float | None = (at - since).total_seconds()
            texts.append(f"{inventory}{age}]")
        else:
            age = device.assumed[which]
            texts.append("" if age is None else f"{assumption}{age}]")
        ages.append(age)
    return ages, texts


_encoded: Callable[[Any], str] = json.JSONEncoder(ensure_ascii=False, separators=(",", ":")).encode
