"""Guarantees: each holds for all attempts, or fails with one (semantics, section 9)."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal

from caddrel.core.decide.interpreter.interpreter import Explained
from caddrel.core.decide.interpreter.judge import Judge
from caddrel.core.decide.requirements import Requirements, formula_holds
from caddrel.core.decide.truth import FALSE, TRUE, Truth, all_true, any_true, opposite, truth_of
from caddrel.core.inventory.index import Inventory
from caddrel.core.language.nodes import Condition, items_of
from caddrel.core.language.printer import print_condition, print_effect
from caddrel.core.prove.encoding import Encoder, Outcome, gather
from caddrel.core.prove.logic import Logic, all_of, any_of, none_of
from caddrel.core.prove.solver import Solver, TooLate
from caddrel.core.prove.space import Space
from caddrel.core.prove.witness import Attempt, Wrong, attempt_of, explained, smallest
from caddrel.core.rulebook.model import Guarantee, Policy, Rule, Rulebook, Scope

# With more people and devices than this a counterexample is of anybody.
MOST_TRIED = 3_000
Answer = Literal["holds", "fails", "undecided"]


@dataclass(frozen=True, slots=True)
class Counterexample:
    """An attempt that breaks a guarantee, with what the interpreter makes of it."""

    attempt: Attempt
    explained: Explained

    @property
    def outcome(self) -> str:
        """What it comes to."""
        return self.explained.decision.outcome


@dataclass(frozen=True, slots=True)
class Proven:
    """The answer to a guarantee.

    Attributes
    ----------
    empty
        It asks nothing: no attempt is one that it speaks of, or nothing could break it.
    """

    guarantee: Guarantee
    answer: Answer
    counterexample: Counterexample | None = None
    empty: bool = False


def prove(
    rulebook: Rulebook,
    guarantee: Guarantee,
    inventory: Inventory | None,
    left: Callable[[], float],
) -> Proven:
    """Return whether a guarantee holds, as `Prover` does for several."""
    return Prover(rulebook, [guarantee], inventory, left).prove(guarantee)


def has_few(inventory: Inventory | None) -> bool:
    """Tell whether an inventory has people, and so few that each can be tried first."""
    return inventory is not None and 0 < len(inventory.people) + len(inventory.devices) <= MOST_TRIED


class Prover:
    """Proves guarantees of one rulebook, which becomes formulas once for all of them.

    Parameters
    ----------
    guarantees
        All that will be asked for.
    inventory
        What apps there are, and for ``who: inventory`` what people and devices; None where none is at hand.
    left
        Tells how many seconds are left.
    more
        Policies that are not in the rulebook, and of which it will be asked what they mend.
    """

    def __init__(
        self,
        rulebook: Rulebook,
        guarantees: Sequence[Guarantee],
        inventory: Inventory | None,
        left: Callable[[], float],
        more: Sequence[Policy] = (),
    ) -> None:
        self._rulebook = rulebook
        self._more = more
        self._guarantees = guarantees
        self._inventory = inventory
        self._left = left
        self._attempts: dict[tuple[bool, bool], _Attempts] = {}

    def prove(self, guarantee: Guarantee) -> Proven:
        """Return whether a guarantee holds; one that fails is shown by somebody of the inventory, where it can be.

        Raises
        ------
        Wrong
            When what the solver found is not what the interpreter says.
        """
        own = guarantee.who == "inventory"
        if not own and has_few(self._inventory):
            found = self._prove(guarantee, own=True)
            if found.answer == "fails":
                return found
        return self._prove(guarantee, own)

    def mends(self, guarantee: Guarantee, policy: Policy) -> bool:
        """Tell whether a guarantee holds once one of the further policies is in force too."""
        own = guarantee.who == "inventory"
        attempts = self._of(guarantee, own)
        if attempts.exact:
            return attempts.prove(guarantee, policy).answer == "holds"
        after = replace(self._rulebook, policies={**self._rulebook.policies, policy.id: policy})
        return prove(after, guarantee, self._inventory, self._left).answer == "holds"

    def _of(self, guarantee: Guarantee, own: bool) -> _Attempts:
        key = (own, guarantee.with_shadow)
        if key not in self._attempts:
            alike = [each for each in self._guarantees if each.with_shadow == guarantee.with_shadow]
            self._attempts[key] = _Attempts(self._rulebook, alike, self._inventory, own, self._left, self._more)
        return self._attempts[key]

    def _prove(self, guarantee: Guarantee, own: bool) -> Proven:
        attempts = self._of(guarantee, own)
        found = attempts.prove(guarantee)
        if found.answer == "undecided" and not attempts.exact and len(self._guarantees) + len(self._more) > 1:
            # Another of them may be what cannot all be looked at.
            alone = _Attempts(self._rulebook, [guarantee], self._inventory, own, self._left)
            return alone.prove(guarantee)
        return found


class _Attempts:
    """The attempts of guarantees for which the same policies count, and what they come to."""

    def __init__(
        self,
        rulebook: Rulebook,
        guarantees: Sequence[Guarantee],
        inventory: Inventory | None,
        own: bool,
        left: Callable[[], float],
        more: Sequence[Policy] = (),
    ) -> None:
        self._inventory = inventory
        policies = [policy for policy in rulebook.policies.values() if counts(policy, guarantees[0].with_shadow)]
        space = self._space = Space(inventory, own)
        formulas = [each.effect.formula for each in guarantees if each.effect is not None]
        items = [item for formula in formulas if formula is not None for item in items_of(formula)]
        gather(space, rulebook, [*policies, *more], [c for each in guarantees for c in _conditions(each)], items)
        first = Encoder(rulebook, space)
        asked = first.outcome([first.policy(policy) for policy in (*policies, *more)])
        for each in guarantees:
            _broken(first, each, asked)
        space.finish()
        self._encoder = Encoder(rulebook, space)
        self._encoded = [self._encoder.policy(policy) for policy in policies]
        self._outcome = self._encoder.outcome(self._encoded)
        self._solver = Solver(space, left)
        self._rulebook, self._policies = rulebook, policies

    @property
    def exact(self) -> bool:
        """Whether all attempts are looked at."""
        return self._space.exact

    def prove(self, guarantee: Guarantee, also: Policy | None = None) -> Proven:
        """Return whether a guarantee holds for these attempts.

        Parameters
        ----------
        also
            A further policy that is in force.
        """
        space, solver, inventory = self._space, self._solver, self._inventory
        outcome = self._outcome
        if also is not None:
            outcome = self._encoder.outcome([*self._encoded, self._encoder.policy(also)])
        spoken_of, broken = _broken(self._encoder, guarantee, outcome)
        judged = _in_force(self._rulebook, [*self._policies, *([also] if also is not None else ())])

        def breaks(attempt: Attempt, surely: bool = False) -> bool:
            found = explained(judged, attempt, inventory)
            return _is_broken(found, guarantee) and (not surely or _speaks_of(found, guarantee) is TRUE)

        try:
            # An attempt of which everything is known is told first: what is unknown needs more telling.
            model = solver.find(spoken_of, broken, space.know_all()) or solver.find(spoken_of, broken)
            if model is None:
                empty = not solver.has(spoken_of)
                return Proven(guarantee, "holds" if space.exact else "undecided", None, empty)
        except TooLate:
            return Proven(guarantee, "undecided")
        attempt = attempt_of(space, model)
        if not breaks(attempt):
            raise Wrong(f"the guarantee {guarantee.id} is not broken by {dict(attempt.reported)}")
        surely = breaks(attempt, surely=True)
        attempt = smallest(attempt, lambda fewer: breaks(fewer, surely=surely), inventory)
        return Proven(guarantee, "fails", Counterexample(attempt, explained(judged, attempt, inventory)))


def remedy(guarantee: Guarantee) -> tuple[str, dict[str, Any]] | None:
    """Return a policy that asks for what a guarantee says is never done without: its id, and what it is.

    None for a guarantee that nobody is treated worse: what is too strict is mended by hand.
    """
    if guarantee.bound != "at_least" or guarantee.effect is None:
        return None
    scope = guarantee.scope
    chosen = {
        key: [each.text for each in getattr(scope, key)]
        for key in ("people", "except_people", "apps", "except_apps")
        if getattr(scope, key)
    }
    rule = {"then": print_effect(guarantee.effect)}
    if guarantee.when is not None:
        rule = {"when": print_condition(guarantee.when), **rule}
    policy: dict[str, Any] = {
        "title": guarantee.title or guarantee.id,
        "why": f"So that the guarantee {guarantee.id} holds.",
        "mode": "enforced",
        **chosen,
        "operations": list(scope.operations),
        "rules": [rule],
    }
    return f"keeps-{guarantee.id}", policy


def mended(rulebook: Rulebook, guarantee: Guarantee) -> Rulebook | None:
    """Return a rulebook with the remedy of a guarantee in it, as a draft would have it; None where there is none."""
    found = remedy(guarantee)
    if found is None:
        return None
    rules = (Rule("r1", 0, guarantee.when, guarantee.effect),) if guarantee.effect is not None else ()
    policy = Policy(found[0], "", "", "", "", "enforced", (), "", guarantee.scope, rules)
    return replace(rulebook, policies={**rulebook.policies, policy.id: policy})


def counts(policy: Policy, with_shadow: bool) -> bool:
    """Tell whether a policy counts for a guarantee."""
    return policy.mode == "enforced" or (with_shadow and policy.mode == "shadow")


def as_enforced(rulebook: Rulebook, policies: Iterable[Policy]) -> Rulebook:
    """Return a rulebook in which some policies are enforced, and all others off."""
    chosen = {policy.id for policy in policies}
    return replace(
        rulebook,
        policies={
            id: replace(policy, mode="enforced" if id in chosen else "off") for id, policy in rulebook.policies.items()
        },
    )


def _in_force(rulebook: Rulebook, policies: Iterable[Policy]) -> Rulebook:
    """Return a rulebook in which some policies are enforced, and there are no others."""
    return replace(rulebook, policies={policy.id: replace(policy, mode="enforced") for policy in policies})


def without_and_with(rulebook: Rulebook, policy: str) -> tuple[Rulebook, Rulebook]:
    """Return a rulebook as it is without a policy, and with it enforced."""
    others = [each for each in rulebook.policies.values() if each.mode == "enforced" and each.id != policy]
    return as_enforced(rulebook, others), as_enforced(rulebook, [*others, rulebook.policies[policy]])


def _conditions(guarantee: Guarantee) -> Iterator[Condition]:
    scope = guarantee.scope
    for selector in (*scope.people, *scope.except_people, *scope.apps, *scope.except_apps):
        yield selector.condition
    if guarantee.when is not None:
        yield guarantee.when


def _broken(encoder: Encoder, guarantee: Guarantee, outcome: Outcome) -> tuple[Logic, Logic]:
    """Return which attempts a guarantee speaks of, and which break it."""
    yes, no = encoder.scope(guarantee.scope)
    holds, fails = (True, False) if guarantee.when is None else encoder.condition(guarantee.when)
    if guarantee.bound == "at_most":
        spoken_of = all_of((yes, holds, encoder.space.know_all()))
        worse = outcome.blocked if guarantee.outcome == "challenged" else none_of(outcome.allowed)
        return spoken_of, worse
    spoken_of = all_of((none_of(no), none_of(fails)))
    effect = guarantee.effect
    if effect is None or effect.formula is None:
        return spoken_of, any_of((outcome.allowed, outcome.challenged))
    return spoken_of, all_of((outcome.allowed, none_of(encoder.formula(effect.formula))))


def _is_broken(found: Explained, guarantee: Guarantee) -> bool:
    """Tell whether the interpreter says of an attempt that it breaks a guarantee."""
    speaks = _speaks_of(found, guarantee)
    outcome = found.decision.outcome
    if guarantee.bound == "at_most":
        # Left out are only facts on which neither the outcome nor whether it is spoken of hangs.
        worse = outcome == "blocked" if guarantee.outcome == "challenged" else outcome != "allowed"
        return speaks is TRUE and worse and found.decision.certain
    if speaks is FALSE:
        return False
    effect = guarantee.effect
    if effect is None or effect.formula is None:
        return outcome != "blocked"
    requirements: Requirements = found.requirements
    return outcome == "allowed" and not formula_holds(effect.formula, lambda item: requirements.met(item) is TRUE)


def _speaks_of(found: Explained, guarantee: Guarantee) -> Truth:
    """Return whether a guarantee speaks of an attempt."""
    when = TRUE if guarantee.when is None else found.judge.judge(guarantee.when).truth
    return all_true((_scope_truth(found.judge, guarantee.scope), when))


def _scope_truth(judge: Judge, scope: Scope) -> Truth:
    """Return the truth of a guarantee's scope, which has no hours."""
    parts = []
    for selectors, positive in (
        (scope.people, True), (scope.except_people, False), (scope.apps, True), (scope.except_apps, False),
    ):  # fmt: skip
        if selectors or positive:
            chosen = any_true(judge.selected(selector).truth for selector in selectors)
            parts.append(chosen if positive else opposite(chosen))
    operation = judge.values.get("operation")
    parts.append(truth_of(operation in scope.operations))
    return all_true(parts)
