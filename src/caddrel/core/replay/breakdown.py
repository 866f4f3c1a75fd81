"""What changes by app, group, place, device and day: how many sign-ins and people for each.

Not here: from which outcome to which (`tally`).
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import timedelta
from itertools import pairwise
from typing import Any

import numpy as np

from caddrel.core.columnar.batch import EPOCH, Batch, Rows
from caddrel.core.decide.interpreter.judge import Judge
from caddrel.core.decide.truth import TRUE
from caddrel.core.facts.facts import Facts
from caddrel.core.replay.recorded import Coded, Numbers
from caddrel.core.replay.tally import Counted
from caddrel.core.rulebook.model import Rulebook

KINDS = ("app", "group", "place", "device", "day")
MOST_TOLD = 25
# Microseconds.
DAY = 86_400_000_000


class Breakdown:
    """Counts what changes under a rulebook; a sign-in counts for each group and place that it is of."""

    def __init__(self, rulebook: Rulebook) -> None:
        self._rulebook = rulebook
        self.counts: dict[str, dict[str, Counted]] = {kind: {} for kind in KINDS}

    def add(self, batch: Batch, people: Coded, rows: Rows) -> None:
        """Take in the sign-ins of a batch that change."""
        if not len(rows):
            return
        # What is asked of one group of facts is asked once of those that have it in common.
        for kind, group, names_of in (
            ("app", "app", _app), ("group", "person", _groups), ("place", "network", self._places),
            ("device", "device", _system),
        ):  # fmt: skip
            for entry, mine in _runs(batch.codes[group][rows], rows):
                for name in names_of(batch.entries[group][entry]):
                    self._count(kind, name, people, mine)
        timed = rows[batch.timed[rows]]
        for day, mine in _runs(batch.moments[timed] // DAY, timed):
            self._count("day", (EPOCH + timedelta(days=day)).date().isoformat(), people, mine)

    def _count(self, kind: str, name: str, people: Coded, rows: Rows) -> None:
        counted = self.counts[kind].setdefault(name, Counted())
        counted.count += len(rows)
        counted.people.update(people.names[code] for code in np.unique(people.codes[rows]) if code >= 0)

    def _places(self, facts: Facts) -> Sequence[str]:
        judge = Judge(self._rulebook, facts)
        return [name for name in self._rulebook.places if judge.place(name).truth is TRUE] or ["in no place"]


def _app(facts: Facts) -> Sequence[str]:
    return [str(facts.values.get("app.id", "unknown"))]


def _groups(facts: Facts) -> Sequence[str]:
    groups = facts.values.get("person.groups")
    return sorted(groups) if isinstance(groups, frozenset) else []


def _system(facts: Facts) -> Sequence[str]:
    values = facts.values
    return [" ".join(str(values[name]) for name in ("device.platform", "device.os_version") if name in values)
            or "unknown"]  # fmt: skip


def _runs(values: Numbers, rows: Rows) -> Iterator[tuple[int, Rows]]:
    """Yield the different values, each with the rows that have it."""
    order = np.argsort(values, kind="stable")
    ordered = values[order]
    ends = np.flatnonzero(np.append(ordered[1:] != ordered[:-1], True)) + 1 if len(values) else ordered
    for begin, end in pairwise([0, *ends.tolist()]):
        yield int(ordered[begin]), rows[order[begin:end]]


def breakdown_json(breakdown: Breakdown) -> dict[str, list[dict[str, Any]]]:
    """Return by kind the names with most sign-ins first; days in their order."""
    found = {}
    for kind, counts in breakdown.counts.items():
        ordered = sorted(counts.items(), key=lambda each: (-each[1].count, each[0]))
        chosen = sorted(ordered, key=lambda each: each[0]) if kind == "day" else ordered[:MOST_TOLD]
        found[kind] = [{"name": name, "count": each.count, "people": len(each.people)} for name, each in chosen]
    return found
