"""The columnar evaluator: decides many attempts at once, policy by policy, each for those that it can be about.

A reading of sections 3 to 5 of its own: it imports no other evaluator, and a property holds it to the interpreter.
Not here: what a decision says beside outcome, reason, certainty, deciding rules and shadow; those are made one by one.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from caddrel.core.columnar.batch import Batch, Flags, Rows
from caddrel.core.columnar.conditions import Conditions
from caddrel.core.columnar.entry_tests import Spans
from caddrel.core.columnar.group_tables import Groups, GroupTables
from caddrel.core.columnar.layout import Layout, ScopedPolicy
from caddrel.core.columnar.levels import FALSE, TRUE, Levels, all_true
from caddrel.core.columnar.requirement_items import (
    EVERY_WAY,
    MET,
    MET_MILDLY,
    MILD_WAYS,
    REACHED,
    REACHED_MILDLY,
    REACHED_WITHOUT,
    Bits8,
    RequirementItems,
)
from caddrel.core.columnar.row_classes import RowClasses
from caddrel.core.columnar.stances import CLOSED, EFFECT, UNMEETABLE, Stances, before_policies
from caddrel.core.decide.decision import RuleRef
from caddrel.core.rulebook.model import OUTCOMES, Policy, Rule, Rulebook

ALLOWED, CHALLENGED, BLOCKED = range(len(OUTCOMES))


@dataclass(frozen=True, slots=True)
class Spoken:
    """A rule and the rows that it was asked about, as they are laid out.

    Attributes
    ----------
    possible
        For which of the rows it is among the possible effects of its policy.
    ways
        Of a rule that requires, for each of the rows: the ways in which its formula holds; None of others.
    """

    ref: RuleRef
    kind: str
    rows: Rows
    possible: Flags
    ways: Bits8 | None = None


@dataclass(frozen=True, slots=True)
class _Decided:
    """What attempts come to that were decided one by one; as `Decisions` has it, and the rules that have a say.

    Attributes
    ----------
    in_shadow
        Gives the outcomes if each shadow policy were enforced too, by id, and if all were: most who ask do not want it.
    spoken
        The rules of enforced policies that have a say, by policy id and in order.
    order
        The attempts in the order in which they are laid out.
    """

    outcomes: Levels
    reasons: Levels
    certain: Flags
    in_shadow: Callable[[], tuple[dict[str, Levels], Levels]]
    spoken: Sequence[Spoken]
    order: Rows

    def deciding(self, wanted: Flags) -> Iterator[tuple[RuleRef, Rows]]:
        """Yield every rule that decides anywhere among the attempts that are asked about, with where it does."""
        order, everything = self.order, bool(wanted.all())
        laid, all_reasons, all_outcomes = wanted[order], self.reasons[order], self.outcomes[order]
        for spoken in self.spoken:
            asked = spoken.possible if everything else spoken.possible & laid.take(spoken.rows)
            places = np.flatnonzero(asked)
            rows = spoken.rows.take(places)
            reasons, outcomes = all_reasons.take(rows), all_outcomes.take(rows)
            match spoken.kind:
                case "block":
                    decides = reasons == EFFECT
                case "allow":
                    decides = outcomes == ALLOWED
                case "require":
                    assert spoken.ways is not None
                    ways = spoken.ways.take(places)
                    decides = outcomes == ALLOWED
                    decides |= (outcomes == CHALLENGED) & (ways & MET == 0)
                    decides |= (reasons == UNMEETABLE) & (ways & REACHED == 0)
                case _:
                    continue
            if decides.any():
                yield spoken.ref, order.take(rows[decides])


class Decisions:
    """The decisions on a batch.

    Parameters
    ----------
    like
        Which of the attempts that were decided each attempt is like; None where each was decided by itself.

    Attributes
    ----------
    outcomes
        By their places in `OUTCOMES`.
    """

    def __init__(self, decided: _Decided, like: Rows | None) -> None:
        self._decided, self._like = decided, like
        self.outcomes: Levels = self._spread(decided.outcomes)
        self.certain: Flags = self._spread(decided.certain)

    def _spread(self, column: NDArray[Any]) -> NDArray[Any]:
        return column if self._like is None else column[self._like]

    @property
    def reasons(self) -> Levels:
        """By their places in `REASONS`."""
        return self._spread(self._decided.reasons)

    @property
    def each(self) -> dict[str, Levels]:
        """The outcomes if a shadow policy were enforced too, by its id."""
        return {id: self._spread(levels) for id, levels in self._decided.in_shadow()[0].items()}

    @property
    def together(self) -> Levels:
        """The outcomes if all shadow policies were enforced."""
        return self._spread(self._decided.in_shadow()[1])

    def deciding(self, wanted: Flags | None = None) -> Iterator[tuple[RuleRef, Rows]]:
        """Yield every rule that decides anywhere, with the rows where it does.

        Parameters
        ----------
        wanted
            Which rows are asked about; all of them without it.
        """
        decided, like = self._decided, self._like
        if like is None:
            yield from decided.deciding(np.ones(len(self.outcomes), np.bool_) if wanted is None else wanted)
            return
        rows = np.arange(len(like)) if wanted is None else np.flatnonzero(wanted)
        mine = like[rows]
        among = np.zeros(len(decided.outcomes), np.bool_)
        among[mine] = True
        for ref, each in decided.deciding(among):
            there = np.zeros(len(among), np.bool_)
            there[each] = True
            yield ref, rows[there[mine]]


class ColumnarRulebook:
    """A rulebook made ready for deciding batches of attempts."""

    def __init__(self, rulebook: Rulebook) -> None:
        self.rulebook = rulebook
        groups = Groups(rulebook)
        counting = [policy for _, policy in sorted(rulebook.policies.items()) if policy.mode != "off"]
        self._ready = _Ready(rulebook, [ScopedPolicy.of(policy, groups) for policy in counting])
        self._classes = RowClasses(rulebook, self._ready.policies, groups)
        self._groups, self._spans = groups, dict[int, Spans]()
        self._tables: GroupTables | None = None

    def decide(self, batch: Batch) -> Decisions:
        """Return the decisions on a batch."""
        tables = self._tables = GroupTables(self.rulebook, self._groups, self._spans, batch.entries, self._tables)
        # One of those between which no difference is seen is decided, for all of them.
        classes = self._classes.of(batch, tables)
        if classes is None:
            return Decisions(_Reading(self._ready, tables, batch).decided(), None)
        first, like = classes
        return Decisions(_Reading(self._ready, tables, batch.taken(first)).decided(), like)


@dataclass(frozen=True, slots=True)
class _Ready:
    """What is made once for a rulebook."""

    rulebook: Rulebook
    policies: Sequence[ScopedPolicy]


# The kinds of effect that are possible, a bit each.
_KINDS = {"allow": 1, "block": 2, "require": 4, "abstain": 8}
_ALLOW, _BLOCK, _REQUIRE, _ABSTAIN = (np.uint8(bit) for bit in _KINDS.values())
# Below this part of all rows it takes less to ask about those alone that are left.
_MOSTLY = 0.3
# What policies come to, a bit each: any may block, any surely lets in; and in the mild reading.
_BLOCKS, _LETS_IN, _BLOCKS_MILDLY, _LETS_IN_MILDLY = (np.uint8(1 << place) for place in range(4))


@dataclass(frozen=True, slots=True)
class _Says:
    """What one policy comes to, for each of its rows.

    Attributes
    ----------
    said
        The bits from `_BLOCKS` on.
    ways
        The ways in which all formulas of possible requirements hold, as `requirement_items` counts them.
    """

    said: Bits8
    ways: Bits8


class _Sum:
    """What policies come to together, for every row.

    In one number, as most of the time it takes is finding the rows: what any says, and above it the ways in which some
    formula does not hold.
    """

    def __init__(self, count: int) -> None:
        self._said: NDArray[np.uint16] = np.zeros(count, np.uint16)

    def add(self, rows: Rows, says: _Says) -> None:
        """Take in what a policy says of some rows; each row stands among them once."""
        self._said[rows] |= says.said | (~says.ways).astype(np.uint16) << 8

    def copy(self) -> _Sum:
        """Return the same, to be added to."""
        found = _Sum(0)
        found._said = self._said.copy()
        return found

    @property
    def said(self) -> Bits8:
        """The bits from `_BLOCKS` on."""
        return self._said.astype(np.uint8)

    @property
    def ways(self) -> Bits8:
        """The ways in which all formulas hold."""
        return ~(self._said >> 8).astype(np.uint8)


class _Reading:
    """One batch, read under one rulebook."""

    def __init__(self, ready: _Ready, tables: GroupTables, batch: Batch) -> None:
        self._ready = ready
        self._layout = Layout(ready.policies, tables, batch)
        # From here on rows are counted in the order of the layout, until the decisions are handed out.
        batch = self._batch = batch.taken(self._layout.order)
        self._conditions = Conditions(ready.rulebook, tables, batch)
        self._items = RequirementItems(ready.rulebook, batch, tables, self._conditions)
        self._stances = Stances(ready.rulebook, batch)
        # Only where an app is closed by its own line does it matter which policies name it.
        self._naming = bool(self._stances.own_strict.any() or self._stances.own_mild.any())
        self._sum = _Sum(batch.count)
        self._shadow: list[tuple[str, Rows, _Says]] = []
        self._spoken: list[Spoken] = []

    def decided(self) -> _Decided:
        policies = self._ready.policies
        for place, scoped in enumerate(policies):
            rows, scope = self._layout.rows(place)
            if not len(rows):
                continue
            levels = [self._conditions.ask(part, rows) for part in scoped.others]
            active = scoped.policy.scope.active
            if active is not None:
                levels.append(self._conditions.between(active.start, active.end, rows))
            if levels:
                scope = all_true([scope, *levels], len(rows))
                kept = scope != FALSE
                rows, scope = rows[kept], scope[kept]
            if len(rows):
                self._policy(scoped, rows, scope)
        before = before_policies(self._batch)
        outcomes, reasons = self._outcomes(self._sum, before)
        certain = self._certain(outcomes, before)
        order = self._layout.order
        back = np.empty(len(order), np.intp)
        back[order] = np.arange(len(order))

        def in_shadow() -> tuple[dict[str, Levels], Levels]:
            each, together = self._in_shadow(before, outcomes)
            return {id: levels.take(back) for id, levels in each.items()}, together.take(back)

        return _Decided(
            outcomes.take(back), reasons.take(back), certain.take(back), cache(in_shadow), self._spoken, order
        )

    def _in_shadow(self, before: Levels, outcomes: Levels) -> tuple[dict[str, Levels], Levels]:
        """Return the outcomes if each shadow policy were enforced too, and if all of them were."""
        together = self._sum.copy()
        each = {scoped.policy.id: outcomes for scoped in self._ready.policies if scoped.policy.mode == "shadow"}
        for id, rows, says in self._shadow:
            alone = self._sum.copy()
            alone.add(rows, says)
            together.add(rows, says)
            each[id], _ = self._outcomes(alone, before)
        return each, self._outcomes(together, before)[0] if self._shadow else outcomes

    def _policy(self, scoped: ScopedPolicy, rows: Rows, scope: Levels) -> None:
        """Walk the rules of a policy for the rows where its scope is not false."""
        kinds, ways, mildly = self._walk(scoped.policy, scoped.policy.rules, rows)
        kinds |= (scope != TRUE) * _ABSTAIN
        self._combine(scoped, rows, kinds, ways, mildly)

    def _walk(self, policy: Policy, rules: Sequence[Rule], rows: Rows) -> tuple[Bits8, Bits8, Bits8]:
        """Return for rows that no rule so far has surely taken what the rules from here on come to.

        The kinds of effect that are possible; the ways in which all formulas hold; and those in which any does.
        """
        count = len(rows)
        kinds, mildly = np.zeros(count, np.uint8), np.zeros(count, np.uint8)
        ways, left = np.full(count, EVERY_WAY), np.ones(count, np.bool_)
        for place, rule in enumerate(rules, 1):
            if rule.when is None:
                possible, left = left, np.zeros(count, np.bool_)
            else:
                when = self._conditions.ask(rule.when, rows)
                possible, left = left & (when != FALSE), left & (when != TRUE)
            kinds |= possible * np.uint8(_KINDS[rule.effect.kind])
            self._rule(policy, rule, rows, possible, ways, mildly)
            many = np.count_nonzero(left)
            # While most are left it takes less to ask about all of them than to pick those.
            if many < count * _MOSTLY and (place < len(rules) or not many):
                if many:
                    some = np.flatnonzero(left)
                    found = self._walk(policy, rules[place:], rows.take(some))
                    kinds[some] |= found[0]
                    ways[some] &= found[1]
                    mildly[some] |= found[2]
                return kinds, ways, mildly
        kinds |= left * _ABSTAIN
        return kinds, ways, mildly

    def _rule(self, policy: Policy, rule: Rule, rows: Rows, possible: Flags, ways: Bits8, mildly: Bits8) -> None:
        """Take in what a rule requires where its effect is possible, and note that it has a say."""
        found = None
        if rule.effect.formula is not None:
            found = self._items.ways(rule.effect.formula).take(rows)
            here = possible * EVERY_WAY
            ways &= found | ~here
            # Of several requirements one is enough in the mild reading.
            mildly |= found & here
        if policy.mode == "enforced":
            self._spoken.append(Spoken(RuleRef(policy.id, rule.id), rule.effect.kind, rows, possible, found))

    def _combine(self, scoped: ScopedPolicy, rows: Rows, kinds: Bits8, ways: Bits8, mildly: Bits8) -> None:
        policy = scoped.policy
        lets_in = kinds & (_BLOCK | _ABSTAIN) == 0
        perhaps = kinds & (_ALLOW | _REQUIRE) != 0
        if self._naming:
            naming = self._conditions.ask(scoped.naming, rows)
            lets_in &= (naming == TRUE) | ~self._stances.own_strict[rows]
            perhaps &= (naming != FALSE) | ~self._stances.own_mild[rows]
        blocks = kinds & _BLOCK != 0
        said = blocks * _BLOCKS | lets_in * _LETS_IN
        if policy.mode != "enforced":
            self._shadow.append((policy.id, rows, _Says(said, ways)))
            return
        said |= (kinds == _BLOCK) * _BLOCKS_MILDLY | perhaps * _LETS_IN_MILDLY
        needs = (kinds & _REQUIRE != 0) & (kinds & (_ALLOW | _ABSTAIN) == 0)
        mild = np.where(needs, mildly, EVERY_WAY) & MILD_WAYS
        self._sum.add(rows, _Says(said, ways & ~MILD_WAYS | mild))

    def _outcomes(self, sum_: _Sum, before: Levels, reached: np.uint8 = REACHED) -> tuple[Levels, Levels]:
        said, ways = sum_.said, sum_.ways
        closed = self._stances.strict & (said & _LETS_IN == 0)
        return _read(before, said & _BLOCKS != 0, closed, ways & MET != 0, ways & reached != 0)

    def _certain(self, outcomes: Levels, before: Levels) -> Flags:
        sum_ = self._sum
        said, ways = sum_.said, sum_.ways
        closed = self._stances.mild & (said & _LETS_IN_MILDLY == 0)
        met, reached = ways & MET_MILDLY != 0, ways & REACHED_MILDLY != 0
        mild, _ = _read(before, said & _BLOCKS_MILDLY != 0, closed, met, reached)
        certain: Flags = mild == outcomes
        without = (outcomes == CHALLENGED) & ~self._items.factors_known
        if without.any():
            bare, _ = self._outcomes(sum_, before, REACHED_WITHOUT)
            certain &= ~without | (bare == CHALLENGED)
        return certain


def _read(before: Levels, blocks: Flags, closed: Flags, met: Flags, reached: Flags) -> tuple[Levels, Levels]:
    """Return outcomes and reasons: what comes first counts."""
    reasons = np.select(
        [before != 0, blocks, closed, reached],
        [before, np.uint8(EFFECT), np.uint8(CLOSED), np.uint8(0)],
        np.uint8(UNMEETABLE),
    ).astype(np.uint8)
    outcomes = np.where(reasons != 0, np.uint8(BLOCKED), np.where(met, np.uint8(ALLOWED), np.uint8(CHALLENGED)))
    return outcomes.astype(np.uint8), reasons
