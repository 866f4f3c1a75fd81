"""The columnar evaluator: decides many attempts at once, policy by policy, each for those that it can be about.

A reading of sections 3 to 5 of its own: it imports no other evaluator, and a property holds it to the interpreter.
Attempts are laid out by what the scopes see of person, app and operation, so that the attempts a policy can be about
lie together, and all others are not looked at. That is allowed since a scope is taken as not false there by its truth
for just these entries, with all of their facts.
Not here: what a decision says beside outcome, reason, certainty, deciding rules and shadow; those are made one by one.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from functools import reduce
from typing import assert_never

import numpy as np

from caddrel.core.columnar.batch import BIT, Batch, Flags, Rows
from caddrel.core.columnar.conditions import Conditions, Groups
from caddrel.core.columnar.entry_tests import Spans
from caddrel.core.columnar.levels import FALSE, TRUE, Levels, all_true
from caddrel.core.columnar.requirement_items import RequirementItems
from caddrel.core.decide.decision import RuleRef
from caddrel.core.facts.facts import Facts
from caddrel.core.language.nodes import AllOf, AnyOf, Condition, FactTest, Formula, Item, Not, Operand, Or
from caddrel.core.language.operators import Op
from caddrel.core.rulebook.model import OUTCOMES, Policy, Rule, Rulebook, Selector

ALLOWED, CHALLENGED, BLOCKED = range(len(OUTCOMES))
REASONS = (None, "effect", "closed", "unmeetable", "credentials", "locked-out")
EFFECT, CLOSED, UNMEETABLE, CREDENTIALS, LOCKED_OUT = range(1, len(REASONS))
# The groups by which attempts are laid out.
_LAID = ("person", "app", "attempt")


@dataclass(frozen=True, slots=True)
class Spoken:
    """A rule that is among the possible effects of its policy for some rows.

    Attributes
    ----------
    unmet, unreachable
        Of a rule that requires, for each of these rows: that its formula does not hold with what is met, nor with what
        can be; None of others.
    """

    ref: RuleRef
    kind: str
    rows: Rows
    unmet: Flags | None = None
    unreachable: Flags | None = None


@dataclass(frozen=True, slots=True)
class Decisions:
    """The decisions on a batch.

    Attributes
    ----------
    outcomes
        By their places in `OUTCOMES`.
    reasons
        By their places in `REASONS`.
    each, together
        The outcomes if a shadow policy were enforced too, by its id; and if all of them were.
    spoken
        The rules of enforced policies that have a say, by policy id and in order.
    """

    outcomes: Levels
    reasons: Levels
    certain: Flags
    each: dict[str, Levels]
    together: Levels
    spoken: Sequence[Spoken]

    def deciding(self) -> Iterator[tuple[RuleRef, Rows]]:
        """Yield every rule that decides anywhere, with the rows where it does."""
        for spoken in self.spoken:
            reasons, outcomes = self.reasons[spoken.rows], self.outcomes[spoken.rows]
            match spoken.kind:
                case "block":
                    decides = reasons == EFFECT
                case "allow":
                    decides = outcomes == ALLOWED
                case "require":
                    assert spoken.unmet is not None
                    assert spoken.unreachable is not None
                    decides = outcomes == ALLOWED
                    decides |= (outcomes == CHALLENGED) & spoken.unmet
                    decides |= (reasons == UNMEETABLE) & spoken.unreachable
                case _:
                    continue
            if decides.any():
                yield spoken.ref, spoken.rows[decides]


@dataclass(frozen=True, slots=True)
class _Scoped:
    """A policy with the parts of its scope: those about one of the groups laid out by, and the others."""

    policy: Policy
    naming: Condition
    laid: dict[str, list[Condition]] = field(default_factory=dict)
    others: list[Condition] = field(default_factory=list)


class ColumnarRulebook:
    """A rulebook made ready for deciding batches of attempts."""

    def __init__(self, rulebook: Rulebook) -> None:
        self.rulebook = rulebook
        self._groups = Groups(rulebook)
        self._spans: dict[int, Spans] = {}
        counting = [policy for _, policy in sorted(rulebook.policies.items()) if policy.mode != "off"]
        self._policies = [self._scoped(policy) for policy in counting]
        self._naming = any(entry.stance == "closed" for entry in rulebook.apps.values())

    def _scoped(self, policy: Policy) -> _Scoped:
        scope, found = policy.scope, _Scoped(policy, _any(policy.scope.naming))
        operations = tuple(Operand(name, value=name) for name in scope.operations)
        parts: list[Condition] = [_any(scope.people), FactTest("operation", Op.ONE_OF, operations), _any(scope.apps)]
        parts += [Not(_any(selectors)) for selectors in (scope.except_people, scope.except_apps) if selectors]
        for part in parts:
            # A scope without any selector takes in nobody; it is about no group, and asked as it is.
            group = self._groups.of(part)
            if group in _LAID:
                found.laid.setdefault(group, []).append(part)
            else:
                found.others.append(part)
        return found

    def decide(self, batch: Batch) -> Decisions:
        """Return the decisions on a batch."""
        return _Deciding(self.rulebook, self._policies, self._groups, self._spans, self._naming, batch).decisions()


def _any(selectors: tuple[Selector, ...]) -> Condition:
    return Or(tuple(selector.condition for selector in selectors))


@dataclass(slots=True)
class _Sum:
    """What policies come to, for every row: see `decide.combine` for what each part means."""

    blocks: Flags
    lets_in: Flags
    met: Flags
    reachable: Flags
    bare: Flags

    @classmethod
    def nothing(cls, count: int) -> _Sum:
        yes, no = np.ones(count, np.bool_), np.zeros(count, np.bool_)
        return cls(no.copy(), no.copy(), yes.copy(), yes.copy(), yes.copy())

    def copy(self) -> _Sum:
        return _Sum(*(each.copy() for each in (self.blocks, self.lets_in, self.met, self.reachable, self.bare)))

    def add(self, rows: Rows, says: _Says) -> None:
        """Take in what a policy says of some rows; each row stands among them once."""
        self.blocks[rows] |= says.kinds["block"]
        self.lets_in[rows] |= says.lets_in
        self.met[rows] &= says.met
        self.reachable[rows] &= says.reachable
        self.bare[rows] &= says.bare


@dataclass(slots=True)
class _Says:
    """What one policy says, for each of its rows.

    Attributes
    ----------
    kinds
        Where an effect of a kind is possible.
    lets_in
        Where it surely lets in, into an app closed by its own line too.
    met, reachable, bare
        Where all formulas of possible requirements hold with what is met, with what can be, and with what could be
        without any factors where those are unknown.
    """

    kinds: dict[str, Flags]
    lets_in: Flags
    met: Flags
    reachable: Flags
    bare: Flags


class _Deciding:
    def __init__(
        self,
        rulebook: Rulebook,
        policies: Sequence[_Scoped],
        groups: Groups,
        spans: dict[int, Spans],
        naming: bool,
        batch: Batch,
    ) -> None:
        self._rulebook, self._policies, self._batch, self._naming = rulebook, policies, batch, naming
        self._conditions = Conditions(rulebook, groups, spans, batch)
        self._items = RequirementItems(rulebook, batch, self._conditions)
        self._stances = _Stances(rulebook, batch)
        self._groups = groups
        count = batch.count
        self._enforced = _Sum.nothing(count)
        self._shadow: list[tuple[str, Rows, _Says]] = []
        self._spoken: list[Spoken] = []
        # The mild reading.
        self._blocked, self._let_in = np.zeros(count, np.bool_), np.zeros(count, np.bool_)
        self._mild_met, self._mild_reachable = np.ones(count, np.bool_), np.ones(count, np.bool_)

    def decisions(self) -> Decisions:
        layout = _Layout(self._policies, self._conditions, self._batch)
        for place, scoped in enumerate(self._policies):
            rows, scope = layout.rows(place)
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
        before = _before(self._batch)
        outcomes, reasons = self._outcomes(self._enforced, before)
        together = self._enforced.copy()
        each = {s.policy.id: outcomes for s in self._policies if s.policy.mode == "shadow"}
        for id, rows, says in self._shadow:
            alone = self._enforced.copy()
            alone.add(rows, says)
            together.add(rows, says)
            each[id], _ = self._outcomes(alone, before)
        with_all, _ = self._outcomes(together, before)
        certain = self._certain(outcomes, before)
        return Decisions(outcomes, reasons, certain, each, with_all, self._spoken)

    def _policy(self, scoped: _Scoped, rows: Rows, scope: Levels) -> None:
        """Walk the rules of a policy for the rows where its scope is not false."""
        policy, count = scoped.policy, len(rows)
        left = np.ones(count, np.bool_)
        kinds = {kind: np.zeros(count, np.bool_) for kind in ("allow", "block", "require", "abstain")}
        said: list[tuple[Rule, Flags]] = []
        for rule in policy.rules:
            if rule.when is None:
                possible = left
                left = np.zeros(count, np.bool_)
            else:
                at = np.flatnonzero(left)
                when = self._conditions.ask(rule.when, rows[at])
                possible, gone = np.zeros(count, np.bool_), at[when == TRUE]
                possible[at[when != FALSE]] = True
                left = left.copy()
                left[gone] = False
            if possible.any():
                kinds[rule.effect.kind] |= possible
                said.append((rule, possible))
            if not left.any():
                break
        kinds["abstain"] |= left | (scope != TRUE)
        self._combine(scoped, rows, kinds, said)

    def _combine(self, scoped: _Scoped, rows: Rows, kinds: dict[str, Flags], said: list[tuple[Rule, Flags]]) -> None:
        policy, count = scoped.policy, len(rows)
        enforced = policy.mode == "enforced"
        strict, mild = self._stances.own_strict[rows], self._stances.own_mild[rows]
        named, perhaps_named = np.ones(count, np.bool_), np.ones(count, np.bool_)
        if self._naming and (strict.any() or mild.any()):
            naming = self._conditions.ask(scoped.naming, rows)
            named, perhaps_named = naming == TRUE, naming != FALSE
        met, reachable, bare = (np.ones(count, np.bool_) for _ in range(3))
        mild_met, mild_reachable = np.zeros(count, np.bool_), np.zeros(count, np.bool_)
        for rule, possible in said:
            formula = rule.effect.formula
            ref = RuleRef(policy.id, rule.id)
            if formula is None:
                if enforced:
                    self._spoken.append(Spoken(ref, rule.effect.kind, rows[possible]))
                continue
            mine = rows[possible]
            now, can, with_none = (self._holds(formula, way, mine) for way in (self._met, self._reach, self._bare))
            met[possible] &= now
            reachable[possible] &= can
            bare[possible] &= with_none
            if enforced:
                self._spoken.append(Spoken(ref, "require", mine, ~now, ~can))
                mild_met[possible] |= self._holds(formula, self._mildly, mine)
                mild_reachable[possible] |= self._holds(formula, self._mildly_reach, mine)
        lets_in = ~kinds["block"] & ~kinds["abstain"] & (named | ~strict)
        says = _Says(kinds, lets_in, met, reachable, bare)
        if not enforced:
            self._shadow.append((policy.id, rows, says))
            return
        self._enforced.add(rows, says)
        milder = kinds["allow"] | kinds["abstain"]
        self._blocked[rows] |= kinds["block"] & ~milder & ~kinds["require"]
        self._let_in[rows] |= (kinds["allow"] | kinds["require"]) & (perhaps_named | ~mild)
        needs = kinds["require"] & ~milder
        self._mild_met[rows] &= ~needs | mild_met
        self._mild_reachable[rows] &= ~needs | mild_reachable

    def _met(self, item: Item, rows: Rows) -> Flags:
        found: Flags = self._items.met(item)[rows] == TRUE
        return found

    def _reach(self, item: Item, rows: Rows) -> Flags:
        return self._met(item, rows) | self._items.attainable(item)[0][rows]

    def _bare(self, item: Item, rows: Rows) -> Flags:
        return self._met(item, rows) | self._items.attainable(item)[1][rows]

    def _mildly(self, item: Item, rows: Rows) -> Flags:
        found: Flags = self._items.met(item)[rows] != FALSE
        return found

    def _mildly_reach(self, item: Item, rows: Rows) -> Flags:
        return self._mildly(item, rows) | self._items.attainable(item)[0][rows]

    def _holds(self, formula: Formula, counts: Callable[[Item, Rows], Flags], rows: Rows) -> Flags:
        match formula:
            case Item():
                return counts(formula, rows)
            case AllOf(parts=parts):
                return reduce(np.logical_and, [self._holds(part, counts, rows) for part in parts])
            case AnyOf(parts=parts):
                return reduce(np.logical_or, [self._holds(part, counts, rows) for part in parts])
            case _:
                assert_never(formula)

    def _outcomes(self, sum_: _Sum, before: Levels, bare: bool = False) -> tuple[Levels, Levels]:
        closed = self._stances.strict & ~sum_.lets_in
        # With what can be met, or with what is met already: formulas never ask that something is not.
        reachable = (sum_.bare if bare else sum_.reachable) | sum_.met
        return _read(before, sum_.blocks, closed, sum_.met, reachable)

    def _certain(self, outcomes: Levels, before: Levels) -> Flags:
        closed = self._stances.mild & ~self._let_in
        mild, _ = _read(before, self._blocked, closed, self._mild_met, self._mild_reachable | self._mild_met)
        certain: Flags = mild == outcomes
        without = (outcomes == CHALLENGED) & ~self._items.factors_known
        if without.any():
            bare, _ = self._outcomes(self._enforced, before, bare=True)
            certain &= ~without | (bare == CHALLENGED)
        return certain


def _read(before: Levels, blocks: Flags, closed: Flags, met: Flags, reachable: Flags) -> tuple[Levels, Levels]:
    """Return outcomes and reasons: what comes first counts."""
    reasons = np.select(
        [before != 0, blocks, closed, met, reachable],
        [before, np.uint8(EFFECT), np.uint8(CLOSED), np.uint8(0), np.uint8(0)],
        np.uint8(UNMEETABLE),
    ).astype(np.uint8)
    outcomes = np.where(reasons != 0, np.uint8(BLOCKED), np.where(met, np.uint8(ALLOWED), np.uint8(CHALLENGED)))
    return outcomes.astype(np.uint8), reasons


def _before(batch: Batch) -> Levels:
    """Return why attempts are blocked before any policy is asked, by the place in `REASONS`."""
    entries, codes, methods = batch.entries["attempt"], batch.codes["attempt"], batch.methods
    wrong = np.array([e.values.get("auth.credentials") == "wrong" for e in entries], np.bool_)[codes]
    locked = np.array([e.values.get("auth.locked_out") is True for e in entries], np.bool_)[codes]
    # A password was tried, or nobody knows what was.
    tried = ~methods.known | methods.partly | (methods.used & np.uint32(BIT["pwd"]) != 0)
    found = np.where(wrong, np.uint8(CREDENTIALS), np.uint8(0))
    return np.where(locked & (wrong | tried), np.uint8(LOCKED_OUT), found)


class _Stances:
    """Whether the apps of attempts are closed, in the strict and in the mild reading; and by their own lines."""

    def __init__(self, rulebook: Rulebook, batch: Batch) -> None:
        closed = rulebook.settings.stance == "closed"
        lines = {entry.stance for entry in rulebook.apps.values()}
        apps, asked = batch.entries["app"], batch.entries["attempt"]
        found = [_stance(rulebook, closed, lines, entry) for entry in apps]
        strict, own, mild, own_mild, unlisted = np.array(found, np.bool_).reshape(-1, 5).T
        operations = [entry.values.get("operation") for entry in asked]
        signs_in = np.array([each in {None, "sign-in"} for each in operations], np.bool_)[batch.codes["attempt"]]
        known = np.array([each is not None for each in operations], np.bool_)[batch.codes["attempt"]]
        codes = batch.codes["app"]
        # An app that the inventory does not know is closed to whoever comes now.
        now = batch.live & unlisted[codes]
        self.strict: Flags = signs_in & (strict[codes] | now)
        self.own_strict: Flags = signs_in & own[codes]
        self.mild: Flags = signs_in & known & (mild[codes] | now)
        self.own_mild: Flags = signs_in & known & own_mild[codes]


def _stance(
    rulebook: Rulebook, closed: bool, lines: set[str | None], entry: Facts
) -> tuple[bool, bool, bool, bool, bool]:
    """Return of an app: closed, by its own line, both in the mild reading, and unknown to the inventory."""
    app = entry.values.get("app.id")
    if isinstance(app, str):
        listed = rulebook.apps.get(app)
        line = listed.stance if listed is not None else None
        shut = line == "closed" if line else closed
        return shut, line == "closed", shut, line == "closed", not entry.app_listed
    # An app that says nothing of its own may be meant, and has the setting's stance.
    return closed or "closed" in lines, "closed" in lines, closed and "open" not in lines, False, False


class _Layout:
    """Rows laid out by what the scopes see of the groups they are laid out by."""

    def __init__(self, policies: Sequence[_Scoped], conditions: Conditions, batch: Batch) -> None:
        count = batch.count
        combined = np.zeros(count, np.int64)
        self._levels: dict[str, list[Levels]] = {}
        self._classes: dict[str, Rows] = {}
        for group in _LAID:
            entries = len(batch.entries[group])
            levels = [
                all_true((conditions.table(part, group) for part in scoped.laid.get(group, ())), entries)
                for scoped in policies
            ]
            seen = np.stack(levels, axis=1) if levels else np.zeros((entries, 1), np.uint8)
            different, classes = np.unique(seen, axis=0, return_inverse=True)
            self._levels[group] = list(different.T) if levels else []
            self._classes[group] = classes.reshape(-1)
            combined = combined * len(different) + self._classes[group][batch.codes[group]]
        found, starts, self._order = _runs(combined)
        self._starts = np.append(starts, count)
        # What each combination is, group by group.
        self._parts: dict[str, Rows] = {}
        for group in reversed(_LAID):
            size = len(self._levels[group][0]) if self._levels[group] else 1
            self._parts[group] = found % size
            found = found // size

    def rows(self, place: int) -> tuple[Rows, Levels]:
        """Return the rows for which a policy's scope is not false by these groups, and its truth there by them."""
        parts = [self._levels[group][place][self._parts[group]] for group in _LAID]
        levels = np.minimum.reduce(parts)
        live = np.flatnonzero(levels != FALSE)
        if not len(live):
            return np.zeros(0, np.intp), np.zeros(0, np.uint8)
        starts, ends = self._starts[live], self._starts[live + 1]
        sizes = ends - starts
        # All rows of these runs, one after the other.
        total = int(sizes.sum())
        places = np.arange(total) + np.repeat(starts - np.append(0, np.cumsum(sizes)[:-1]), sizes)
        return self._order[places], np.repeat(levels[live], sizes)


def _runs(values: Rows) -> tuple[Rows, Rows, Rows]:
    """Return the different values, where each begins among the rows in their order, and that order."""
    order = np.argsort(values, kind="stable")
    ordered = values[order]
    begins = np.flatnonzero(np.append(True, ordered[1:] != ordered[:-1])) if len(values) else np.zeros(0, np.intp)
    return ordered[begins], begins, order
