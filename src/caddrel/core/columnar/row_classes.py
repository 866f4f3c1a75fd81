"""Rows between which a rulebook sees no difference: one row of each class is decided, for all of them.

A decision follows from what is read of an attempt. Everything that `columnar.rulebook` reads is among what is told
apart here: of each group of facts the truths of the conditions that are about it alone, and what is read of it beside
conditions; of each attempt's own facts where they lie between the limits that are asked about, which schedules are
open, and which methods count. Whoever reads more there has to tell it apart here; a property holds rows that differ in
any one fact to the interpreter.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import datetime
from typing import Any, assert_never

import numpy as np
from numpy.typing import NDArray

from caddrel.core.columnar.batch import Batch, Rows, different_of, limits_reached, ticks
from caddrel.core.columnar.conditions import MOMENT
from caddrel.core.columnar.fact_groups import GROUPS
from caddrel.core.columnar.group_tables import METHODS, Groups, GroupTables
from caddrel.core.columnar.layout import ScopedPolicy, alike
from caddrel.core.columnar.methods_within import MethodsWithin
from caddrel.core.columnar.open_hours import open_at
from caddrel.core.columnar.own_facts import AGES
from caddrel.core.columnar.requirement_items import fact_asked, factors
from caddrel.core.columnar.stances import app_stances, signing_in, stopping
from caddrel.core.language.nodes import (
    And,
    Condition,
    During,
    FactTest,
    FromPlace,
    Item,
    Not,
    Or,
    Passes,
    Surely,
    items_of,
)
from caddrel.core.rulebook.model import Rulebook

# Where more than this part of all rows have a class of their own, each is decided by itself.
_WORTH = 0.5
# So many are looked at first; it is gone on with where there seem to be classes for no more than this part.
_SAMPLE, _FEW = 2_048, 0.15
_ASKED_AGAIN = 3
# Numbers that lie so close together are counted without sorting.
_CLOSE = 1_000_000


class RowClasses:
    """Finds the classes of rows under one rulebook.

    Parameters
    ----------
    policies
        Those that count.
    """

    def __init__(self, rulebook: Rulebook, policies: Sequence[ScopedPolicy], groups: Groups) -> None:
        self._rulebook, self._groups = rulebook, groups
        # By the node itself, as `Groups` has them.
        self._nodes: dict[str, dict[int, Condition]] = {group: {} for group in GROUPS}
        self._schedules: dict[str, None] = {}
        # Of each own fact that is asked about, also if only whether it is known.
        limits: dict[str, set[float]] = {}
        self._items: dict[Item, None] = {}
        self._was_worth_it = False
        # So many batches are decided row by row before it is looked at again whether that is worth it.
        self._not_asked = 0
        for scoped in policies:
            for condition in _conditions(scoped):
                self._look(condition, limits)
            self._items.update(dict.fromkeys(_items(scoped)))
            active = scoped.policy.scope.active
            if active is not None:
                ends = (ticks(each) for each in (active.start, active.end) if each is not None)
                limits.setdefault(MOMENT, set()).update(ends)
        for item in self._items:
            if item.kind == "device passes":
                self._standard(item.name, limits)
        # Moments are whole numbers, of which not all fit among the others.
        self._limits = {
            name: np.array(sorted(each), np.int64 if name == MOMENT else np.float64) for name, each in limits.items()
        }
        within = {item.within for item in self._items if item.kind in {"mfa", "proof"}}
        self._within = sorted(each for each in within if each is not None)

    def _look(self, node: Condition, limits: dict[str, set[float]]) -> None:
        """Note what a condition asks."""
        group = self._groups.of(node)
        if group:
            self._nodes[group][id(node)] = node
            return
        match node:
            case And(parts=parts) | Or(parts=parts):
                for part in parts:
                    self._look(part, limits)
            case Not(part=part) | Surely(part=part):
                self._look(part, limits)
            case Passes(standard=standard):
                self._standard(standard.text, limits)
            case During(schedule=schedule):
                self._schedules[schedule.text] = None
            case FactTest(fact=fact):
                # Which methods there are is told apart whole, and so is whether there is a moment or an age.
                if fact != METHODS:
                    assert fact == MOMENT or fact in AGES, fact
                    limits.setdefault(fact, set()).update(_number(operand.value) for operand in node.operands)
            case FromPlace():
                raise AssertionError("a place is about the network alone")
            case _:
                assert_never(node)

    def _standard(self, name: str, limits: dict[str, set[float]]) -> None:
        for check in self._rulebook.standards[name].checks:
            self._look(check.must, limits)

    def of(self, batch: Batch, tables: GroupTables) -> tuple[Rows, Rows] | None:
        """Return one row of each class, and which of these each row is like; None where too few are like others."""
        if batch.count > 4 * _SAMPLE and not self._was_worth_it:
            # Where it was not, it is not looked at again for a while: one part of a log is like the next.
            self._not_asked -= 1
            if self._not_asked >= 0:
                return None
            # How many of a few are like another tells how many classes there are: of that many days and people as many
            # have the same birthday.
            some = np.linspace(0, batch.count - 1, _SAMPLE).astype(np.intp)
            different = self._classes(batch.taken(some), tables, 1.0)
            if different is None or _SAMPLE - different[0] < _SAMPLE**2 / (2 * _FEW * batch.count):
                self._not_asked = _ASKED_AGAIN
                return None
        classes = self._classes(batch, tables, _WORTH)
        # One part of a log is like the next.
        self._was_worth_it = classes is not None
        if classes is None:
            return None
        count, like = classes
        first = np.zeros(count, np.intp)
        first[like[::-1]] = np.arange(batch.count)[::-1]
        return first, like

    def _classes(self, batch: Batch, tables: GroupTables, worth: float) -> tuple[int, Rows] | None:
        """Return how many classes there are, and which each row is of; None where they are too many to be worth it."""
        combined, size = np.zeros(batch.count, np.intp), 1
        for codes, different in self._told_apart(batch, tables):
            if different == 1:
                continue
            if size * different > max(_CLOSE, 4 * batch.count):
                # Counted anew, so that numbers lie close together, and none grows beyond what fits.
                found, combined = different_of(combined)
                size = len(found)
                if size > batch.count * worth:
                    return None
            combined *= different
            combined += codes
            size *= different
        found, combined = different_of(combined)
        return None if len(found) > batch.count * worth else (len(found), combined)

    def _told_apart(self, batch: Batch, tables: GroupTables) -> Iterator[tuple[NDArray[Any], int]]:
        """Yield numbers for each row, and how many of them there are: rows of one class have the same of each."""
        asked = [found for found in (fact_asked(item, tables) for item in self._items) if found is not None]
        for group in GROUPS:
            levels = [tables.of(node, group) for node in self._nodes[group].values()]
            levels += [each for of_group, each in asked if of_group == group]
            seen = [*self._beside(group, batch, tables), *(each.reshape(-1, 1) for each in levels)]
            together, codes = np.concatenate(seen, axis=1), batch.codes[group]
            if batch.count < len(together):
                used, codes = different_of(codes)
                together = together[used]
            different, classes = alike(together)
            # There are more rows than classes: what is in fewer bytes is taken and added in less time.
            yield classes.astype(np.min_scalar_type(len(different))).take(codes), len(different)
        for name, limits in self._limits.items():
            yield self._between(name, limits, batch)
        # What schedules and windows say of no moment is unknown, like all that is asked about it.
        yield batch.timed, 2
        for name in self._schedules:
            yield open_at(self._rulebook.schedules[name], batch), 3
        methods = batch.methods
        yield methods.known + 2 * methods.partly.astype(np.uint8) + 4 * batch.live.astype(np.uint8), 8
        yield from MethodsWithin(methods).told_apart(self._within)

    def _beside(self, group: str, batch: Batch, tables: GroupTables) -> Iterator[NDArray[np.uint8]]:
        """Yield what is read of each entry of a group beside conditions, a row for each."""
        entries = batch.entries[group]
        # Where nothing is asked all are alike.
        yield np.zeros((len(entries), 1), np.uint8)
        if group == "person":
            known, yielded = factors(tables)
            yield known.astype(np.uint8).reshape(-1, 1)
            yield np.ascontiguousarray(yielded).view(np.uint8).reshape(len(entries), yielded.itemsize)
        elif group == "app":
            yield app_stances(self._rulebook, entries).astype(np.uint8)
        elif group == "attempt":
            yield stopping(entries).astype(np.uint8)
            yield signing_in(entries).astype(np.uint8)

    def _between(self, name: str, limits: NDArray[Any], batch: Batch) -> tuple[NDArray[Any], int]:
        """Return between which limits a row's own fact lies, or on which of them."""
        values = batch.moments if name == MOMENT else batch.ages[name]
        # Each limit, and the next number above it, from which on a value is beyond it.
        beyond = limits + 1 if name == MOMENT else np.nextafter(limits, np.inf)
        places = limits_reached(np.sort(np.concatenate([limits, beyond])), values)
        if name != MOMENT:
            places[np.isnan(values)] = 2 * len(limits) + 1
        return places, 2 * len(limits) + 2


def _conditions(scoped: ScopedPolicy) -> Iterator[Condition]:
    """Yield the conditions that are asked for a policy, as they are asked."""
    for parts in scoped.laid.values():
        yield from parts
    yield from scoped.others
    yield scoped.naming
    yield from (rule.when for rule in scoped.policy.rules if rule.when is not None)


def _items(scoped: ScopedPolicy) -> Iterator[Item]:
    for rule in scoped.policy.rules:
        if rule.effect.formula is not None:
            yield from items_of(rule.effect.formula)


def _number(value: object) -> float:
    return ticks(value) if isinstance(value, datetime) else float(value)  # type: ignore[arg-type]
