"""Two rulebooks compared by what they mean: which attempts come to something else, and none where they mean the same.

What is outstanding is a smallest set of items, which no formula says shortly. So attempts are looked for in which what
is asked for differs at all; the interpreter says whether that makes another decision, and where it does not, all
attempts alike in it are left out and the next is looked for.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property, partial
from typing import Any

import z3

from caddrel.core.decide.decision import Decision
from caddrel.core.decide.requirements import MOST_SEARCHED, covers
from caddrel.core.inventory.index import Inventory
from caddrel.core.language.nodes import AllOf, Condition, Formula, Item, items_of
from caddrel.core.prove.encoding import OUTCOMES, EncodedPolicy, Encoder, Outcome, gather, says_the_same
from caddrel.core.prove.guarantees import has_few
from caddrel.core.prove.logic import Logic, all_of, any_of, differ, is_true_in, none_of, stated
from caddrel.core.prove.solver import Solver, TooLate
from caddrel.core.prove.space import Space
from caddrel.core.prove.witness import Attempt, Wrong, attempt_of, explained, smallest
from caddrel.core.rulebook.model import Rulebook

# So many ways of asking for the same are looked at before it is left undecided.
_MOST_LOOKS = 400


@dataclass(frozen=True, slots=True)
class Change:
    """A kind of change, with an attempt that shows it, and what the interpreter makes of that on both sides."""

    before: Decision
    after: Decision
    attempt: Attempt

    @property
    def kind(self) -> tuple[str, str]:
        """From which outcome to which."""
        return self.before.outcome, self.after.outcome


@dataclass
class Encoded:
    """What a rulebook comes to: its policies that count, and their outcome."""

    encoder: Encoder
    policies: list[EncodedPolicy]
    outcome: Outcome

    def _unmet(self, parts: Callable[[Formula], Iterable[Formula]]) -> dict[Formula, Logic]:
        found: dict[Formula, list[Logic]] = {}
        for policy in self.policies:
            for each in policy.rules:
                formula = each.rule.effect.formula
                for part in parts(formula) if formula is not None else ():
                    found.setdefault(part, []).append(all_of((each.possible, none_of(self.encoder.formula(part)))))
        return {formula: any_of(each) for formula, each in found.items()}

    @cached_property
    def whole(self) -> dict[Formula, Logic]:
        """Where each formula is asked for and not met."""
        return self._unmet(lambda formula: (formula,))

    @cached_property
    def asked(self) -> dict[Formula, Logic]:
        """The same said by as few formulas as it takes, where there are `few` candidates.

        All of several items are each asked for alone: with any of them not met the whole is not, so all the same items
        are candidates. And one is asked for nothing beside another that covers it: every set that has what covers the
        one has what covers the other, and no smallest set has it in place of that.
        """
        found = self._unmet(_parts)
        alone = [formula for formula in found if isinstance(formula, Item)]
        return {
            formula: all_of((where, *(none_of(found[o]) for o in alone if o != formula and covers(o, formula))))
            if isinstance(formula, Item)
            else where
            for formula, where in found.items()
        }

    @cached_property
    def few(self) -> Logic:
        """Where the candidates are so few that a smallest set is searched for: of more one is made step by step."""
        if len(self.items) <= MOST_SEARCHED:
            return True
        where = {item: any_of(w for f, w in self.whole.items() if item in items_of(f)) for item in self.items}
        candidates = [all_of((here, none_of(self.encoder.item(item)[0]))) for item, here in where.items()]
        return z3.AtMost(*[stated(each) for each in candidates], MOST_SEARCHED)

    @cached_property
    def items(self) -> list[Item]:
        """What the rules require, each item once (proofs, device standards, notices …)."""
        formulas = [each.rule.effect.formula for policy in self.policies for each in policy.rules]
        return list(dict.fromkeys(item for f in formulas if f is not None for item in items_of(f)))

    def knows(self, item: Item) -> bool:
        """Tell whether the rulebook has what an item names."""
        parts = {"proof": "proofs", "device passes": "standards", "notice": "notices"}
        section = parts.get(item.kind)
        return section is None or item.name in getattr(self.encoder.rulebook, section)

    @cached_property
    def kept(self) -> dict[str, dict[Any, Logic]]:
        """Where a limit of sessions is so long, by its name and length: what is shortest counts."""
        found: dict[str, dict[Any, list[Logic]]] = {}
        for policy in self.policies:
            for each in policy.rules:
                keep = each.rule.keep
                for name in ("session_at_most", "idle_at_most", "end_with_browser") if keep is not None else ():
                    value = getattr(keep, name)
                    if value is not None and value is not False:
                        found.setdefault(name, {}).setdefault(value, []).append(each.possible)
        return {name: {value: any_of(found[name][value]) for value in found[name]} for name in found}

    def lasts(self, name: str, longest: Any) -> Logic:
        """Return where a limit of sessions is at most so long."""
        return any_of(where for value, where in self.kept.get(name, {}).items() if value <= longest)


def _parts(formula: Formula) -> Iterator[Formula]:
    """Yield what a formula asks for: items that it asks for whatever else is met, and itself unless they are all."""
    parts = formula.parts if isinstance(formula, AllOf) else (formula,)
    items = [part for part in parts if isinstance(part, Item)]
    yield from items
    if len(items) < len(parts):
        yield formula


class Comparison:
    """The attempts of two rulebooks together, and where they come to something else.

    Parameters
    ----------
    sides
        The rulebooks, of which the enforced policies count.
    encoded
        What each comes to, in the same space.
    """

    def __init__(
        self,
        space: Space,
        sides: tuple[Rulebook, Rulebook],
        encoded: tuple[Encoded, Encoded],
        inventory: Inventory | None,
        solver: Solver,
    ) -> None:
        self.space = space
        self.sides = sides
        self.inventory = inventory
        self.solver = solver
        self._encoded = encoded
        self._otherwise: Logic | None = None
        # Where nothing differs whatever else is asked: found once.
        self._passed: list[Logic] = []

    def of(self, before: str, after: str) -> Logic:
        """Return where the outcome goes from one to another."""
        return all_of((self._encoded[0].outcome.of(before), self._encoded[1].outcome.of(after)))

    def otherwise(self) -> Logic:
        """Return where the same outcome may ask for something else, or hold for another time."""
        before, after = self._encoded
        same = any_of(self.of(each, each) for each in OUTCOMES if each != "blocked")
        asked = self._asked_otherwise()
        # The shortest is what counts: one differs where for some length one side has a limit that short.
        limits = [differ(before.lasts(*limit), after.lasts(*limit)) for limit in self._limits()]
        return all_of((same, any_of((all_of((self.of("challenged", "challenged"), asked)), any_of(limits)))))

    def _limits(self) -> Iterable[tuple[str, Any]]:
        """Return the names and lengths of the limits that either side has."""
        return dict.fromkeys((name, value) for each in self._encoded for name, of in each.kept.items() for value in of)

    def _asked_otherwise(self) -> Logic:
        one, other = self._encoded
        few = all_of((one.few, other.few))
        formulas = any_of(
            (
                all_of((few, _different(one.asked, other.asked))),
                all_of((none_of(few), _different(one.whole, other.whole))),
            )
        )
        # What is asked for may be the same, and yet another part of it be met already, or be within reach.
        items = dict.fromkeys(item for each in self._encoded for item in each.items)
        states = (
            differ(had, has)
            for item in items
            if all(each.knows(item) for each in self._encoded)
            for had, has in zip(one.encoder.item(item), other.encoder.item(item), strict=True)
        )
        return any_of((formulas, any_of(states)))

    def alike(self, model: Any) -> Logic:
        """Return where the same is outstanding as in a model, for the same time, on both sides.

        What is outstanding hangs on which formulas are asked for and not met, and on their items: on no other ones.
        """
        true = partial(is_true_in, model)
        found: list[Logic] = []
        few = all(true(each.few) for each in self._encoded)
        for each in self._encoded:
            asked = each.asked if few else each.whole
            items = dict.fromkeys(item for f, where in asked.items() if true(where) for item in items_of(f))
            states = [state for item in items for state in each.encoder.item(item)]
            limits = [each.lasts(*limit) for limit in self._limits()]
            found += [
                where if is_true_in(model, where) else none_of(where)
                for where in (each.few, *asked.values(), *limits, *states)
            ]
        return all_of((*found, any_of(self.of(each, each) for each in OUTCOMES)))

    def decided(self, attempt: Attempt) -> tuple[Decision, Decision]:
        """Return what the interpreter makes of an attempt on both sides."""
        before, after = (explained(side, attempt, self.inventory).decision for side in self.sides)
        return before, after

    def find(self, before: str, after: str, *wanted: Logic) -> Attempt | None:
        """Return an attempt whose outcome goes from one to another, and for which something else holds too.

        Raises
        ------
        Wrong
            When the interpreter does not agree.
        """
        model = self.solver.find(self.of(before, after), *wanted)
        if model is None:
            return None
        attempt = attempt_of(self.space, model)
        if tuple(each.outcome for each in self.decided(attempt)) != (before, after):
            raise Wrong(f"{dict(attempt.reported)} does not go from {before} to {after}")
        return attempt

    def occurs(self, change: Change, here: Logic) -> bool:
        """Tell whether a kind of change occurs where something holds."""
        if change.before.outcome != change.after.outcome:
            return self.find(*change.kind, here) is not None
        return self.find_otherwise(self.of(*change.kind), here) is not None

    def differ_at_all(self) -> bool:
        """Tell whether any attempt comes to something else.

        Raises
        ------
        TooLate
            When it cannot be told.
        """
        same = any_of(self.of(each, each) for each in OUTCOMES)
        return self.solver.has(none_of(same)) or self.find_otherwise() is not None

    def find_otherwise(self, *wanted: Logic) -> Attempt | None:
        """Return an attempt of the same outcome for which something else is outstanding, or holds for another time.

        Raises
        ------
        TooLate
            When it cannot be told.
        """
        if self._otherwise is None:
            self._otherwise = self.space.name(self.otherwise())
        for _ in range(_MOST_LOOKS):
            model = self.solver.find(self._otherwise, *self._passed, *wanted)
            if model is None:
                return None
            attempt = attempt_of(self.space, model)
            if differs(*self.decided(attempt)):
                return attempt
            self._passed.append(none_of(self.alike(model)))
        raise TooLate


def _different(one: Mapping[Formula, Logic], other: Mapping[Formula, Logic]) -> Logic:
    return any_of(differ(one.get(each, False), other.get(each, False)) for each in dict.fromkeys([*one, *other]))


def changes(
    before: Rulebook, after: Rulebook, inventory: Inventory | None, left: Callable[[], float]
) -> Iterator[Change]:
    """Yield each kind of change between two rulebooks, the outcomes that differ first; none where they mean the same.

    Raises
    ------
    TooLate
        When it cannot be told in time.
    """
    yield from kinds(*ready(before, after, inventory, left)[:2])


def ready(
    before: Rulebook,
    after: Rulebook,
    inventory: Inventory | None,
    left: Callable[[], float],
    conditions: Iterable[Condition] = (),
) -> tuple[Comparison, Comparison | None, dict[Condition, Logic]]:
    """Return two rulebooks ready to be compared: for anybody, and for those of the inventory where they are few."""
    anybody, where = compared(before, after, inventory, left, conditions)
    ours = compared(before, after, inventory, left, own=True)[0] if has_few(inventory) else None
    return anybody, ours, where


def compared(
    before: Rulebook,
    after: Rulebook,
    inventory: Inventory | None,
    left: Callable[[], float],
    conditions: Iterable[Condition] = (),
    own: bool = False,
) -> tuple[Comparison, dict[Condition, Logic]]:
    """Return two rulebooks made ready to be compared, and where conditions are true.

    Parameters
    ----------
    conditions
        Of the rulebook after, beside what its policies read: audiences and apps that will be asked for.
    own
        Whether people and devices are those of the inventory.
    """
    space, asked = Space(inventory, own), list(conditions)
    # Where their parts are the same, one encoder does for both: what a policy says hangs on those and on no other.
    alike = before.differs_in_policies_alone(after)
    gather(space, before, _counting(before))
    there = {policy.id: policy for policy in _counting(before)} if alike else {}
    new = [p for p in _counting(after) if p.id not in there or not says_the_same(there[p.id], p)]
    gather(space, after, new, asked)
    encoder: Encoder | None = None
    for side in (before, after):
        # What is going to be asked for is asked in the first pass too.
        first = encode(side, space, encoder)
        encoder = first.encoder if alike else None
        for item in (item for other in (before, after) for item in _items(other) if first.knows(item)):
            first.encoder.item(item)
        for condition in asked if side is after else ():
            first.encoder.condition(condition)
    space.finish()
    encoded = encode(before, space)
    sides = (encoded, encode(after, space, encoded.encoder if alike else None))
    where = {condition: sides[1].encoder.condition(condition)[0] for condition in asked}
    return Comparison(space, (before, after), sides, inventory, Solver(space, left)), where


def kinds(comparison: Comparison, ours: Comparison | None = None) -> Iterator[Change]:
    """Yield each kind of change, with as small an attempt as shows it.

    Parameters
    ----------
    ours
        The same for people and devices of the inventory: an attempt of theirs is told first.
    """
    for one in OUTCOMES:
        for other in OUTCOMES:
            if one == other:
                continue
            for tried in (ours, comparison):
                attempt = _known_first(tried, one, other) if tried is not None else None
                if attempt is not None:
                    yield _change(comparison, attempt, (one, other))
                    break
    for outcome in ("allowed", "challenged"):
        attempt = comparison.find_otherwise(comparison.of(outcome, outcome))
        if attempt is not None:
            yield _change(comparison, attempt, (outcome, outcome))


def _known_first(comparison: Comparison, one: str, other: str) -> Attempt | None:
    """Return an attempt of which everything is known, else any: what is unknown needs more telling."""
    return comparison.find(one, other, comparison.space.know_all()) or comparison.find(one, other)


def _change(comparison: Comparison, attempt: Attempt, kind: tuple[str, str]) -> Change:
    certain = tuple(each.certain for each in comparison.decided(attempt))

    def still(fewer: Attempt) -> bool:
        before, after = comparison.decided(fewer)
        if (before.certain, after.certain) != certain:
            return False
        return (before.outcome, after.outcome) == kind and differs(before, after)

    attempt = smallest(attempt, still)
    return Change(*comparison.decided(attempt), attempt)


def differs(before: Decision, after: Decision) -> bool:
    """Tell whether two decisions differ in outcome, in what is outstanding, or in how long a session lasts.

    Of who is blocked there is no session, however long one would have lasted.
    """
    if before.outcome == after.outcome == "blocked":
        return False
    return (before.outcome, before.outstanding, before.keep) != (after.outcome, after.outstanding, after.keep)


def _counting(side: Rulebook) -> list[Any]:
    return [policy for policy in side.policies.values() if policy.mode == "enforced"]


def encode(side: Rulebook, space: Space, encoder: Encoder | None = None) -> Encoded:
    """Return what a rulebook comes to.

    Parameters
    ----------
    encoder
        Of a rulebook whose parts are the same, for the same space.
    """
    encoder = encoder or Encoder(side, space)
    policies = [encoder.policy(policy) for policy in _counting(side)]
    return Encoded(encoder, policies, encoder.together([encoder.named(encoder.effects(policies))]))


def _items(side: Rulebook) -> Iterator[Item]:
    for policy in _counting(side):
        for rule in policy.rules:
            if rule.effect.formula is not None:
                yield from items_of(rule.effect.formula)
