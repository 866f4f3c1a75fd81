"""Tightening curves: how many each choice of a limit would have hit.

Every choice is a rulebook of its own, decided over the same attempts: nothing is guessed from one choice for another.
Not here: where limits stand (`rulebook.edit.limits`), and where attempts come from.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from caddrel.core.columnar.batch import Batch, Rows
from caddrel.core.columnar.fact_groups import group_of
from caddrel.core.columnar.levels import Levels
from caddrel.core.columnar.own_facts import AGES
from caddrel.core.columnar.rulebook import ALLOWED, BLOCKED, CHALLENGED
from caddrel.core.diagnostics import Diagnostic, RulebookError, shorten
from caddrel.core.facts.types import LEVELS, FactType
from caddrel.core.facts.values import ValueRefused, read_duration, read_number, read_version, show_duration
from caddrel.core.replay.recorded import Coded
from caddrel.core.replay.tally import Counted
from caddrel.core.rulebook.edit.limits import Limit, LimitRefused, with_limit
from caddrel.core.rulebook.edit.objects import Path, with_object
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.references import Ref, where_used
from caddrel.core.rulebook.source import Source

MOST_CHOICES = 30
# More different values than these are thinned out, evenly by the attempts that have them.
MOST_VALUES = 16
MOST_OBSERVED = 20_000
# Durations and numbers that people choose.
_DURATIONS = tuple(
    read_duration(text)
    for text in "5m 15m 30m 1h 2h 4h 8h 12h 1d 2d 3d 7d 14d 30d 60d 90d 180d 365d".split()
)  # fmt: skip
_SETTINGS: Mapping[str, Sequence[int]] = {
    "above_kmh": (100, 200, 300, 500, 700, 900, 1000, 1200, 1500, 2000, 5000),
    "km": (10, 25, 50, 100, 200, 500, 1000, 2000, 5000, 10000),
    "at_least": (1, 2, 3, 4, 5, 6, 8, 10, 15, 20, 30, 50),
    "after": (1, 2, 3, 5, 8, 10, 15, 20, 30, 50),
}
# Below and above whatever anybody reports of a fact; what a signal is set to has ends of its own.
_ENDS: Mapping[FactType, tuple[str, str]] = {
    FactType.VERSION: ("0", "999999999"), FactType.LEVEL: (LEVELS[0], LEVELS[-1]),
    FactType.NUMBER: ("-999999999", "999999999"), FactType.DURATION: ("0s", "99999d"),
}  # fmt: skip
_SETTING_ENDS: Mapping[FactType, tuple[str, str]] = {
    FactType.NUMBER: ("1", "1000000"), FactType.DURATION: ("1s", "99999d"),
}  # fmt: skip


@dataclass(slots=True)
class Point:
    """What one choice comes to: whom it would stop who got in, and whom it would ask for more.

    Attributes
    ----------
    hit
        Both together.
    """

    value: str
    current: bool
    stopped: Counted = field(default_factory=Counted)
    asked: Counted = field(default_factory=Counted)
    hit: Counted = field(default_factory=Counted)


class Variants:
    """A rulebook with one of its limits moved.

    Attributes
    ----------
    counted
        The policies in shadow that are taken as enforced, as they are what the limit is in.

    Parameters
    ----------
    objects
        The texts of the rulebook's objects.
    """

    def __init__(
        self, rulebook: Rulebook, sources: Sequence[Source], objects: Mapping[Path, str], limit: Limit
    ) -> None:
        self.limit, self._rulebook = limit, rulebook
        self._sources, self._objects = sources, objects
        mine = _policies_of(rulebook, limit.path)
        self.counted = [id for id, policy in rulebook.policies.items() if id in mine and policy.mode == "shadow"]

    def of(self, value: str) -> Rulebook:
        """Return the rulebook with another value.

        Raises
        ------
        RulebookError
            When that is none.
        """
        text = with_limit(self._objects, self.limit, value)
        result = read_rulebook(with_object(self._sources, self.limit.path, text))
        if result.rulebook is None:
            raise RulebookError(result.diagnostics)
        found = result.rulebook
        policies = {
            id: replace(policy, mode="enforced") if id in self.counted else policy
            for id, policy in found.policies.items()
        }
        return replace(found, policies=policies)

    def ends(self) -> tuple[Rulebook, Rulebook]:
        """Return the rulebook with the limit below and above everything that it is compared with."""
        least, most = (_ENDS if self.limit.fact else _SETTING_ENDS)[self.limit.kind]
        return self.of(least), self.of(most)

    def without(self) -> list[Rulebook]:
        """Return rulebooks in which the limit does nothing: at both ends, and without the policy that it is in."""
        found = list(self.ends())
        section, id = self.limit.path
        if section == "policies":
            # No level is above all others: whom a rule takes at each of them it takes for all that.
            policy = replace(self._rulebook.policies[id], mode="off")
            found.append(replace(self._rulebook, policies={**self._rulebook.policies, id: policy}))
        return found


def _policies_of(rulebook: Rulebook, path: Path) -> set[str]:
    """Return the policies that an object of a rulebook is part of, through other objects too."""
    users = where_used(rulebook)
    todo = [Ref({"policies": "policy", "standards": "standard", "signals": "signal"}[path[0]], path[1])]
    found: set[Ref] = set(todo)
    while todo:
        for user in users.get(todo.pop(), ()):
            if user not in found:
                found.add(user)
                todo.append(user)
    return {ref.id for ref in found if ref.kind == "policy"}


class Observed:
    """The values of a fact in attempts for which its limit makes a difference, with how many have each."""

    def __init__(self, limit: Limit) -> None:
        self._fact = limit.fact
        self._counts: dict[Any, int] = {}

    def add(self, batch: Batch, rows: Rows) -> None:
        """Take in attempts."""
        if not len(rows):
            return
        if self._fact in AGES:
            ages = batch.ages[self._fact][rows]
            values, counts = np.unique(ages[~np.isnan(ages)], return_counts=True)
            pairs: Iterable[tuple[Any, int]] = zip(values.tolist(), counts.tolist(), strict=True)
        else:
            group = group_of(self._fact)
            codes, counts = np.unique(batch.codes[group][rows], return_counts=True)
            entries = batch.entries[group]
            pairs = ((entries[code].values.get(self._fact), n) for code, n in zip(codes, counts.tolist(), strict=True))
        for value, count in pairs:
            if value is not None and (value in self._counts or len(self._counts) < MOST_OBSERVED):
                self._counts[value] = self._counts.get(value, 0) + count

    def values(self) -> list[Any]:
        """Return the values in order; of very many some, so that as many attempts lie between each two."""
        ordered: list[Any] = sorted(self._counts, key=_level_place)
        if len(ordered) <= MOST_VALUES:
            return ordered
        reached = np.cumsum([self._counts[value] for value in ordered])
        wanted = np.linspace(0, reached[-1], MOST_VALUES)
        places = {int(place) for place in np.searchsorted(reached, wanted)} | {0, len(ordered) - 1}
        return [ordered[place] for place in sorted(places) if place < len(ordered)]


def _level_place(value: Any) -> Any:
    return LEVELS.index(value) if value in LEVELS else value


def choices(limit: Limit, observed: Observed | None) -> list[str]:
    """Return the values worth trying, in order, with the one that the limit has.

    Parameters
    ----------
    observed
        What the fact was, where the limit is compared with one.
    """
    match limit.kind:
        case FactType.LEVEL:
            return list(LEVELS)
        case FactType.DURATION:
            wanted: Iterable[Any] = _DURATIONS
            seen = observed.values() if observed is not None else []
            if seen:
                # One beyond each end of what there was, so that it is seen where nobody is hit any more.
                below = [each for each in _DURATIONS if each < seen[0]][-1:]
                above = [each for each in _DURATIONS if each > seen[-1]][:1]
                wanted = [*below, *(each for each in _DURATIONS if seen[0] <= each <= seen[-1]), *above]
            return ordered(limit, [show_duration(each) for each in wanted])
        case _ if observed is not None:
            return ordered(limit, [_shown(value) for value in observed.values()])
        case _:
            return ordered(limit, [str(each) for each in _SETTINGS[str(limit.field[-1])]])


def _shown(value: Any) -> str:
    # As numbers are written in a rulebook: without an exponent.
    return f"{value:f}".rstrip("0").rstrip(".") if isinstance(value, float) else str(value)


def ordered(limit: Limit, values: Iterable[str]) -> list[str]:
    """Return values in their order, each once, with the one that the limit has.

    Raises
    ------
    LimitRefused
        When one of them is no value of the limit, or there are too many.
    """
    known: dict[Any, str] = {_read(limit, limit.value): limit.value}
    for text in values:
        known.setdefault(_read(limit, text), text)
    if len(known) > MOST_CHOICES:
        raise LimitRefused(Diagnostic("too-many-choices", f"at most {MOST_CHOICES} choices are tried at once"))
    return [known[value] for value in sorted(known)]


_READ: Mapping[FactType, Callable[[str], Any]] = {
    FactType.VERSION: read_version, FactType.NUMBER: read_number, FactType.DURATION: read_duration,
    FactType.LEVEL: LEVELS.index,
}  # fmt: skip


def _read(limit: Limit, text: str) -> Any:
    try:
        return _READ[limit.kind](text)
    except (ValueRefused, ValueError):
        message = f"`{shorten(text)}` is no {limit.kind.value} for {limit.words}"
        raise LimitRefused(Diagnostic("wrong-value", message, f"such as {limit.value}")) from None


class Curve:
    """Counts what each choice comes to."""

    def __init__(self, limit: Limit, values: Sequence[str]) -> None:
        self.points = [Point(value, _read(limit, value) == _read(limit, limit.value)) for value in values]
        self.attempts = 0

    def add(
        self, before: Levels, without: Sequence[Levels], after: Sequence[Levels], people: Coded, devices: Coded
    ) -> None:
        """Take in what attempts come to.

        Parameters
        ----------
        before
            What came of them.
        without
            What comes of them where the limit does nothing.
        after
            What comes of them with each choice.
        """
        self.attempts += len(before)
        # Whoever is stopped with every choice is stopped by something else: by what has changed since the log was made.
        mildest = np.minimum.reduce([*without, *after])
        for point, outcomes in zip(self.points, after, strict=True):
            mine = outcomes > mildest
            stopped = mine & (before != BLOCKED) & (outcomes == BLOCKED)
            asked = mine & (before == ALLOWED) & (outcomes == CHALLENGED)
            for counted, rows in ((point.stopped, stopped), (point.asked, asked), (point.hit, stopped | asked)):
                found = np.flatnonzero(rows)
                counted.add(Counted(len(found), people.among(found), devices.among(found)))

    def shown(self) -> list[Point]:
        """Return the points between which something changes, and the one that the limit has."""

        def counts(place: int) -> tuple[int, int]:
            point = self.points[place]
            return point.stopped.count, point.asked.count

        last = len(self.points) - 1
        found = []
        for place, point in enumerate(self.points):
            beside = counts(max(place - 1, 0)), counts(min(place + 1, last))
            if point.current or beside != (counts(place), counts(place)):
                found.append(point)
        return found

    def strictest(self, fewer_than: int) -> Point | None:
        """Return the choice that hits most sign-ins of fewer than so many people, of several the nearest to now."""
        now = next((place for place, point in enumerate(self.points) if point.current), 0)
        # Whoever is known to nobody is hit all the same.
        good = [
            (-point.hit.count, abs(place - now), place)
            for place, point in enumerate(self.points)
            if len(point.hit.people) < fewer_than and (fewer_than > 1 or not point.hit.count)
        ]
        return self.points[min(good)[2]] if good else None
