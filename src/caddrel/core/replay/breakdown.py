"""What changes by app, group, place, device and day: how many sign-ins and people for each.

Not here: from which outcome to which (`tally`).
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime
from typing import Any

from caddrel.core.decide.interpreter.judge import Judge
from caddrel.core.decide.truth import TRUE
from caddrel.core.facts.facts import Facts
from caddrel.core.replay.tally import Changed, Counted
from caddrel.core.rulebook.model import Rulebook

KINDS = ("app", "group", "place", "device", "day")
MOST_TOLD = 25


class Breakdown:
    """Counts what changes under a rulebook; a sign-in counts for each group and place that it is of."""

    def __init__(self, rulebook: Rulebook) -> None:
        self._rulebook = rulebook
        self.counts: dict[str, dict[str, Counted]] = {kind: {} for kind in KINDS}

    def add(self, changed: Changed, facts: Facts) -> None:
        """Take in a sign-in that changes, with its facts."""
        for kind, name in self._names(facts):
            counted = self.counts[kind].setdefault(name, Counted())
            counted.count += 1
            if changed.person is not None:
                counted.people.add(changed.person)

    def _names(self, facts: Facts) -> Iterator[tuple[str, str]]:
        values = facts.values
        yield "app", str(values.get("app.id", "unknown"))
        groups = values.get("person.groups")
        yield from (("group", group) for group in (groups if isinstance(groups, frozenset) else ()))
        judge = Judge(self._rulebook, facts)
        places = [name for name in self._rulebook.places if judge.place(name).truth is TRUE]
        yield from (("place", place) for place in places or ["in no place"])
        system = " ".join(str(values[name]) for name in ("device.platform", "device.os_version") if name in values)
        yield "device", system or "unknown"
        at = values.get("time.at")
        if isinstance(at, datetime):
            yield "day", at.date().isoformat()


def breakdown_json(breakdown: Breakdown) -> dict[str, list[dict[str, Any]]]:
    """Return by kind the names with most sign-ins first; days in their order."""
    found = {}
    for kind, counts in breakdown.counts.items():
        ordered = sorted(counts.items(), key=lambda each: (-each[1].count, each[0]))
        chosen = sorted(ordered, key=lambda each: each[0]) if kind == "day" else ordered[:MOST_TOLD]
        found[kind] = [{"name": name, "count": each.count, "people": len(each.people)} for name, each in chosen]
    return found
