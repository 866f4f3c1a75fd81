"""Conditions about one group of facts: a truth for each of the group's entries, however many attempts share it.

Not here: conditions about several groups, or about facts of an attempt's own (`columnar.conditions`).
"""

from __future__ import annotations

from collections.abc import Callable, Container, Iterator, Mapping, Sequence
from typing import Any, assert_never

import numpy as np

from caddrel.core.columnar.entry_tests import EntryFacts, Spans
from caddrel.core.columnar.fact_groups import group_of
from caddrel.core.columnar.levels import FALSE, TRUE, UNKNOWN, Levels, all_true, any_true, opposite, surely
from caddrel.core.facts.facts import Facts
from caddrel.core.language.nodes import And, Condition, During, FactTest, FromPlace, Not, Or, Passes, Surely
from caddrel.core.rulebook.model import PlaceParts, Rulebook

METHODS = "auth.methods"
_PARTS = (("countries", "network.country"), ("anonymisers", "network.anonymiser"), ("asns", "network.asn"))


class Groups:
    """Finds the group of facts that a condition reads, when it reads one group alone."""

    def __init__(self, rulebook: Rulebook) -> None:
        self._rulebook = rulebook
        # By the node itself, which the rulebook keeps: two nodes that are equal may stand in many places.
        self._known: dict[int, str] = {}

    def of(self, node: Condition) -> str:
        """Return the group, empty when there are several, or when it is about facts of an attempt's own."""
        found = self._known.get(id(node))
        if found is None:
            found = self._known[id(node)] = self._of(node)
        return found

    def _of(self, node: Condition) -> str:
        match node:
            case FactTest(fact=fact):
                return "" if fact == METHODS else group_of(fact)
            case And(parts=parts) | Or(parts=parts):
                return self._one([self.of(part) for part in parts])
            case Not(part=part) | Surely(part=part):
                return self.of(part)
            case FromPlace():
                return "network"
            case Passes(standard=standard):
                return self._one([self.of(check.must) for check in self._rulebook.standards[standard.text].checks])
            case During():
                return ""
            case _:
                assert_never(node)

    @staticmethod
    def _one(groups: Sequence[str]) -> str:
        return groups[0] if groups and len(set(groups)) == 1 else ""


class GroupTables:
    """Asks conditions of one rulebook of the entries of each group.

    Parameters
    ----------
    spans
        Networks of places, by the place's parts: made once for a rulebook.
    before
        Tables of the batch before: where entries are the same list, which may only have grown, what is known of their
        facts is taken over.
    """

    def __init__(
        self,
        rulebook: Rulebook,
        groups: Groups,
        spans: dict[int, Spans],
        entries: Mapping[str, Sequence[Facts]],
        before: GroupTables | None = None,
    ) -> None:
        self._rulebook, self._spans, self._entries = rulebook, spans, entries
        self.groups = groups
        self.facts: dict[str, EntryFacts] = {}
        for group, each in entries.items():
            known = before.facts[group] if before is not None else None
            same = known is not None and known.entries is each
            self.facts[group] = known if known is not None and same else EntryFacts(each, rulebook.catalogue)
            self.facts[group].grow()
        # By the node itself, as in `Groups`.
        self._tables: dict[int, Levels] = {}
        self._places: dict[str, Levels] = {}

    def of(self, node: Condition, group: str) -> Levels:
        """Return the truth of a condition about one group for each of its entries."""
        found = self._tables.get(id(node))
        if found is None:
            found = self._tables[id(node)] = self._table(node, group)
        return found

    def _table(self, node: Condition, group: str) -> Levels:
        count = len(self._entries[group])
        match node:
            case FactTest():
                return self.facts[group].levels(node)
            case And(parts=parts):
                return all_true((self.of(part, group) for part in parts), count)
            case Or(parts=parts):
                return any_true((self.of(part, group) for part in parts), count)
            case Not(part=part):
                return opposite(self.of(part, group))
            case Surely(part=part):
                return surely(self.of(part, group))
            case FromPlace(places=places):
                return any_true((self._place(place.text) for place in places), count)
            case Passes(standard=standard):
                checks = self._rulebook.standards[standard.text].checks
                return all_true((self.of(check.must, group) for check in checks), count)
            case During():
                raise AssertionError("a schedule is about the moment, which is each attempt's own")
            case _:
                assert_never(node)

    def _place(self, name: str) -> Levels:
        if name not in self._places:
            place, count = self._rulebook.places[name], len(self._entries["network"])
            inside = any_true(self._parts(place.parts), count)
            self._places[name] = np.minimum(inside, opposite(any_true(self._parts(place.without), count)))
        return self._places[name]

    def _parts(self, parts: PlaceParts) -> Iterator[Levels]:
        facts, entries = self.facts["network"], self._entries["network"]
        if parts.networks:
            spans = self._spans.get(id(parts)) or self._spans.setdefault(id(parts), Spans(parts.networks))
            yield spans.levels(facts.addresses())
        for name in parts.lists:
            # What an address list held at the time goes with the attempt; without one nobody knows.
            yield np.array([_listed(entry, name) for entry in entries], np.uint8)
        for key, fact in _PARTS:
            if listed := getattr(parts, key):
                yield facts.of(fact, _among(frozenset(listed)))
        for name in parts.places:
            yield self._place(name)


def _among(listed: Container[Any]) -> Callable[[Any], int]:
    return lambda value: UNKNOWN if value is None else TRUE if value in listed else FALSE


def _listed(entry: Facts, name: str) -> int:
    address: Any = entry.values.get("network.ip")
    kept = entry.lists.get(name)
    return UNKNOWN if address is None or kept is None else TRUE if address in kept else FALSE
