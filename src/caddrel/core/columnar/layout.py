"""Attempts laid out by what the scopes of policies see of person, app and operation.

Attempts that a policy can be about lie together then, and all others are not looked at. That is allowed, as a scope is
false there by its truth for just these entries, with all of their facts: nothing is left out of the judgement.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from caddrel.core.columnar.batch import Batch, Rows, different_of
from caddrel.core.columnar.group_tables import Groups, GroupTables
from caddrel.core.columnar.levels import FALSE, TRUE, Levels, all_true
from caddrel.core.language.nodes import Condition, FactTest, Not, Operand, Or
from caddrel.core.language.operators import Op
from caddrel.core.rulebook.model import Policy, Selector

# The groups by which attempts are laid out.
_LAID = ("person", "app", "attempt")


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
                all_true((tables.of(part, group)[used] for part in scoped.laid.get(group, ())), len(used))
                for scoped in policies
            ]
            seen = np.stack(levels, axis=1) if levels else np.zeros((len(used), 1), np.uint8)
            different, classes = alike(seen)
            self._levels[group] = list(different.T) if levels else []
            self._everywhere[group] = [bool((each == TRUE).all()) for each in self._levels[group]]
            combined = combined * len(different) + classes[codes]
        found, starts, self.order = _runs(combined)
        self._starts = np.append(starts, count)
        # What each combination is, group by group.
        self._parts: dict[str, Rows] = {}
        for group in reversed(_LAID):
            size = len(self._levels[group][0]) if self._levels[group] else 1
            self._parts[group] = found % size
            found = found // size
        # Those of one kind of person follow one another.
        people = self._parts[_LAID[0]]
        kinds = len(self._levels[_LAID[0]][0]) if self._levels[_LAID[0]] else 1
        self._of_person = np.searchsorted(people, np.arange(kinds + 1))

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
        live, sizes = _ranges(begins, ends)
        levels = np.repeat(truth[person], sizes)
        for group in others:
            found = self._levels[group][place].take(self._parts[group].take(live))
            kept = np.flatnonzero(found != FALSE)
            live, levels = live.take(kept), np.minimum(levels.take(kept), found.take(kept))
        places, sizes = _ranges(self._starts.take(live), self._starts.take(live + 1))
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
