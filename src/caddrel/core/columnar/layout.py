"""Attempts laid out by what the scopes of policies see of person, app and operation.

Attempts that a policy can be about lie together then, and all others are not looked at. That is allowed, as a scope is
false there by its truth for just these entries, with all of their facts: nothing is left out of the judgement.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from math import prod

import numpy as np

from caddrel.core.columnar.batch import Batch, Rows, different_of
from caddrel.core.columnar.group_tables import Groups, GroupTables
from caddrel.core.columnar.levels import FALSE, TRUE, Levels, all_true
from caddrel.core.language.nodes import Condition, FactTest, Not, Operand, Or
from caddrel.core.language.operators import Op
from caddrel.core.rulebook.model import Policy, Selector

# The groups by which attempts are laid out.
_LAID = ("person", "app", "attempt")
# Where so many combinations could be for each attempt, those that are there are looked up by their number.
_PAIRS = 4


@dataclass(frozen=True, slots=True)
class ScopedPolicy:
    """A policy with the parts of its scope.

    Attributes
    ----------
    naming
        Whether one of its selectors names the app.
    laid
        Parts about one of the groups that attempts are laid out by.
    others
        All other parts but the window in which it is active.
    """

    policy: Policy
    naming: Condition
    laid: dict[str, list[Condition]] = field(default_factory=dict)
    others: list[Condition] = field(default_factory=list)

    @classmethod
    def of(cls, policy: Policy, groups: Groups) -> ScopedPolicy:
        """Return a policy with the parts of its scope."""
        scope, found = policy.scope, cls(policy, _any(policy.scope.naming))
        operations = tuple(Operand(name, value=name) for name in scope.operations)
        parts: list[Condition] = [_any(scope.people), FactTest("operation", Op.ONE_OF, operations), _any(scope.apps)]
        parts += [Not(_any(selectors)) for selectors in (scope.except_people, scope.except_apps) if selectors]
        for part in parts:
            # A scope without any selector takes in nobody; it is about no group, and asked as it is.
            group = groups.of(part)
            if group in _LAID:
                found.laid.setdefault(group, []).append(part)
            else:
                found.others.append(part)
        return found


def _any(selectors: tuple[Selector, ...]) -> Condition:
    return Or(tuple(selector.condition for selector in selectors))


class Layout:
    """Rows laid out by what the scopes see of the groups they are laid out by.

    Attributes
    ----------
    order
        The rows in the order of the layout: what a policy can be about lies together in memory then.
    """

    def __init__(self, policies: Sequence[ScopedPolicy], tables: GroupTables, batch: Batch) -> None:
        count = batch.count
        combined = np.zeros(count, np.int64)
        self._levels: dict[str, list[Levels]] = {}
        # Which policies' scopes are true by a group whatever it is.
        self._everywhere: dict[str, list[bool]] = {}
        for group in _LAID:
            # Often a few of all entries: those that these attempts have.
            used, codes = different_of(batch.codes[group])
            levels = [
                all_true((tables.of(part, group).take(used) for part in scoped.laid.get(group, ())), len(used))
                for scoped in policies
            ]
            seen = np.stack(levels, axis=1) if levels else np.zeros((len(used), 1), np.uint8)
            different, classes = alike(seen)
            self._levels[group] = list(different.T) if levels else []
            self._everywhere[group] = [bool((each == TRUE).all()) for each in self._levels[group]]
            combined = combined * len(different) + classes.take(codes)
        combinations, starts, self.order = _runs(combined)
        self._starts = np.append(starts, count)
        self._sizes = [len(self._levels[group][0]) if self._levels[group] else 1 for group in _LAID]
        # What each combination is, group by group.
        self._parts: dict[str, Rows] = {}
        left = combinations
        for group, size in zip(reversed(_LAID), reversed(self._sizes), strict=True):
            self._parts[group], left = left % size, left // size
        # Those of one kind of person follow one another.
        self._of_person = np.searchsorted(self._parts[_LAID[0]], np.arange(self._sizes[0] + 1))
        # Where not very many combinations could be, which of them there are, looked up by number.
        self._at: Rows | None = None
        if prod(self._sizes) <= _PAIRS * count:
            there = np.bincount(combinations, minlength=prod(self._sizes))
            self._at = np.append(0, np.cumsum(there))

    def rows(self, place: int) -> tuple[Rows, Levels]:
        """Return the rows for which a policy's scope is not false by these groups, and its truth there by them.

        Rows are counted in the order of the layout.
        """
        first, *others = _LAID
        # Most policies are about few people: the combinations of all others are not looked at.
        truth = self._levels[first][place]
        person = np.flatnonzero(truth != FALSE)
        begins, ends = self._of_person[person], self._of_person[person + 1]
        others = [group for group in others if not self._everywhere[group][place]]
        if not others:
            # All of these people's rows, one person after another.
            places, sizes = _ranges(self._starts[begins], self._starts[ends])
            return places, np.repeat(truth.take(person), sizes)
        if self._at is not None:
            return self._by_number(place, person, truth)
        live, sizes = _ranges(begins, ends)
        levels = np.repeat(truth[person], sizes)
        for group in others:
            found = self._levels[group][place].take(self._parts[group].take(live))
            kept = np.flatnonzero(found != FALSE)
            live, levels = live.take(kept), np.minimum(levels.take(kept), found.take(kept))
        places, sizes = _ranges(self._starts.take(live), self._starts.take(live + 1))
        return places, np.repeat(levels, sizes)

    def _by_number(self, place: int, people: Rows, truth: Levels) -> tuple[Rows, Levels]:
        """Return the same, by the numbers of all combinations for which the scope is not false."""
        assert self._at is not None
        numbers, levels = people, truth.take(people)
        for group, size in zip(_LAID[1:], self._sizes[1:], strict=True):
            of_group = self._levels[group][place]
            kinds = np.flatnonzero(of_group != FALSE)
            numbers = (numbers[:, None] * size + kinds).ravel()
            levels = np.minimum.outer(levels, of_group.take(kinds)).ravel()
        begins, ends = self._at.take(numbers), self._at.take(numbers + 1)
        places, sizes = _ranges(self._starts.take(begins), self._starts.take(ends))
        return places, np.repeat(levels, sizes)


def _ranges(starts: Rows, ends: Rows) -> tuple[Rows, Rows]:
    """Return the numbers of ranges, one range after the other, and how many each has."""
    sizes = ends - starts
    before = np.cumsum(sizes) - sizes
    return np.arange(int(sizes.sum())) + np.repeat(starts - before, sizes), sizes


def alike(rows: Levels) -> tuple[Levels, Rows]:
    """Return the different rows of a table, and which of them each row is."""
    places: dict[bytes, int] = {}
    text, width = rows.tobytes(), rows.shape[1]
    each = [places.setdefault(text[at : at + width], len(places)) for at in range(0, len(text), width)]
    different = np.frombuffer(b"".join(places), np.uint8).reshape(-1, width)
    return different, np.array(each, np.intp)


def _runs(values: Rows) -> tuple[Rows, Rows, Rows]:
    """Return the different values, where each begins among the rows in their order, and that order."""
    different, codes = different_of(values)
    order = _ordered(codes, len(different))
    ordered = values.take(order)
    begins = np.flatnonzero(np.append(True, ordered[1:] != ordered[:-1])) if len(values) else np.zeros(0, np.intp)
    return ordered[begins], begins, order


def _ordered(codes: Rows, different: int) -> Rows:
    """Return the order of numbers below a limit; those that are the same stay in theirs.

    Of numbers of 16 bits it is found without comparing any two of them; so of larger ones first by their lower half.
    """
    order = np.argsort(codes.astype(np.uint16), kind="stable")
    above = different >> 16
    shift = 16
    while above:
        order = order.take(np.argsort((codes >> shift).astype(np.uint16).take(order), kind="stable"))
        above >>= 16
        shift += 16
    return order
