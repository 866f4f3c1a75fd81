"""Guarantees: each holds for all attempts, or fails with one (semantics, section 9)."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal
from zlib import crc32

from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.decide.decision import Decision
from caddrel.core.decide.interpreter.interpreter import Explained, Others
from caddrel.core.decide.interpreter.judge import Judge
from caddrel.core.decide.requirements import Requirements, formula_holds
from caddrel.core.decide.truth import FALSE, TRUE, Truth, all_true, any_true, opposite, truth_of
from caddrel.core.inventory.index import Inventory
from caddrel.core.language.nodes import Condition, items_of
from caddrel.core.language.printer import print_condition, print_effect
from caddrel.core.prove.encoding import Effects, EncodedPolicy, Encoder, Outcome, gather
from caddrel.core.prove.logic import Logic, all_of, any_of, none_of
from caddrel.core.prove.solver import Solver, TooLate
from caddrel.core.prove.space import Space
from caddrel.core.prove.witness import Attempt, Wrong, attempt_of, explained, facts_of, smallest
from caddrel.core.rulebook.model import Guarantee, Policy, Rule, Rulebook, Scope

# With more people and devices than this a counterexample is of anybody.
MOST_TRIED = 3_000
# Into so many parts policies are put, so that one that is another is not all of them; so often that is done.
_BLOCKS, _MOST_TAKEN = 24, 200
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
            return attempts.holds(guarantee, policy)
        after = replace(self._rulebook, policies={**self._rulebook.policies, policy.id: policy})
        return prove(after, guarantee, self._inventory, self._left).answer == "holds"

    @property
    def is_warm(self) -> bool:
        """Whether any of it became formulas already."""
        return bool(self._attempts)

    def edited(self, rulebook: Rulebook, guarantees: Sequence[Guarantee], left: Callable[[], float]) -> Prover | None:
        """Return a prover of a rulebook of which some policies are others, with as much of this one's as does for it.

        This one is to be asked no more. None where more than policies is another.
        """
        if self._more or not self._rulebook.differs_in_policies_alone(rulebook):
            return None
        found = Prover(rulebook, guarantees, self._inventory, left)
        for key, attempts in self._attempts.items():
            alike = [each for each in guarantees if each.with_shadow == key[1]]
            if alike and attempts.take(rulebook, alike, left):
                found._attempts[key] = attempts
        return found

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
        self._inventory, self._with_shadow = inventory, guarantees[0].with_shadow
        policies = self._counting(rulebook)
        space = self._space = Space(inventory, own)
        _ask(space, rulebook, [*policies, *more], guarantees)
        space.finish()
        self._encoder = Encoder(rulebook, space)
        self._solver = Solver(space, left)
        # What policies do, some of them together, by which those are.
        self._blocks: dict[int, tuple[list[EncodedPolicy], Effects]] = {}
        self._taken = 0
        self._put(rulebook, policies)

    def _counting(self, rulebook: Rulebook) -> list[Policy]:
        return [policy for policy in rulebook.policies.values() if counts(policy, self._with_shadow)]

    def _put(self, rulebook: Rulebook, policies: Sequence[Policy]) -> None:
        encoder = self._encoder
        parted: dict[int, list[EncodedPolicy]] = {}
        for policy in policies:
            parted.setdefault(crc32(policy.id.encode()) % _BLOCKS, []).append(encoder.policy(policy))
        before, self._blocks = self._blocks, {}
        for number, encoded in parted.items():
            known = before.get(number)
            same = known is not None and list(map(id, known[0])) == list(map(id, encoded))
            effects = known[1] if same and known is not None else encoder.named(encoder.effects(encoded))
            self._blocks[number] = encoded, effects
        self._effects = encoder.named(encoder.joined([effects for _, effects in self._blocks.values()]))
        self._outcome = encoder.together([self._effects])
        self._judged, self._others = _in_force(rulebook, policies), Others()
        self._compiled: CompiledRulebook | None = None

    def take(self, rulebook: Rulebook, guarantees: Sequence[Guarantee], left: Callable[[], float]) -> bool:
        """Be about a rulebook of which some policies are others; False where what those ask is not told apart here."""
        policies = self._counting(rulebook)
        new = [policy for policy in policies if not self._encoder.knows(policy)]
        more = Space(self._inventory, self._space.own)
        _ask(more, rulebook, new, guarantees)
        # Each time some names are left behind that nothing asks for any more.
        if self._taken >= _MOST_TAKEN or not self._space.tells_apart(more):
            return False
        self._taken += 1
        self._solver.left = left
        self._put(rulebook, policies)
        return True

    @property
    def exact(self) -> bool:
        """Whether all attempts are looked at."""
        return self._space.exact

    def holds(self, guarantee: Guarantee, also: Policy) -> bool:
        """Tell whether a guarantee holds once a further policy is in force; False where it cannot be told in time."""
        encoder = self._encoder
        outcome = encoder.together([self._effects, encoder.effects([encoder.policy(also)])])
        try:
            return not self._solver.has(*_broken(encoder, guarantee, outcome))
        except TooLate:
            return False

    def prove(self, guarantee: Guarantee) -> Proven:
        """Return whether a guarantee holds for these attempts."""
        space, solver, inventory = self._space, self._solver, self._inventory
        spoken_of, broken = _broken(self._encoder, guarantee, self._outcome)
        try:
            # An attempt of which everything is known is told first: what is unknown needs more telling.
            model = solver.find(spoken_of, broken, space.know_all()) or solver.find(spoken_of, broken)
            if model is None:
                empty = not solver.has(spoken_of)
                return Proven(guarantee, "holds" if space.exact else "undecided", None, empty)
        except TooLate:
            return Proven(guarantee, "undecided")
        attempt = attempt_of(space, model)
        found = self._explained(attempt)
        if not _is_broken(found, guarantee):
            raise Wrong(f"the guarantee {guarantee.id} is not broken by {dict(attempt.reported)}")
        attempt = smallest(attempt, self._breaking(guarantee, _speaks_of(found.judge, guarantee) is TRUE), inventory)
        found = self._explained(attempt)
        if not _is_broken(found, guarantee):
            raise Wrong(f"the guarantee {guarantee.id} is not broken by so little: {dict(attempt.reported)}")
        return Proven(guarantee, "fails", Counterexample(attempt, found))

    def _explained(self, attempt: Attempt) -> Explained:
        return explained(self._judged, attempt, self._inventory, self._others)

    def _breaking(self, guarantee: Guarantee, surely: bool) -> Callable[[Attempt], bool]:
        """Return what tells whether an attempt breaks a guarantee, and is surely spoken of where that is asked.

        By the compiled evaluator, as some dozens of attempts are asked about: whatever it says, the one that is shown
        is decided by the interpreter.
        """
        compiled = self._compiled = self._compiled or CompiledRulebook(self._judged)

        def breaks(attempt: Attempt) -> bool:
            facts = facts_of(self._judged, attempt, self._inventory)
            judge = Judge(self._judged, facts)
            speaks = _speaks_of(judge, guarantee)
            if speaks is FALSE or (surely and speaks is not TRUE):
                return False
            requirements = Requirements(self._judged, facts, lambda name: judge.standard(name).truth)
            return _breaks(guarantee, speaks, compiled.decide(facts), requirements)

        return breaks


def _ask(space: Space, rulebook: Rulebook, policies: Sequence[Policy], guarantees: Sequence[Guarantee]) -> None:
    """Have a space told what policies and guarantees ask."""
    formulas = [each.effect.formula for each in guarantees if each.effect is not None]
    items = [item for formula in formulas if formula is not None for item in items_of(formula)]
    gather(space, rulebook, policies, [c for each in guarantees for c in _conditions(each)], items)
    first = Encoder(rulebook, space)
    asked = first.outcome([first.policy(policy) for policy in policies])
    for each in guarantees:
        _broken(first, each, asked)


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
    return _breaks(guarantee, _speaks_of(found.judge, guarantee), found.decision, found.requirements)


def _breaks(guarantee: Guarantee, speaks: Truth, decision: Decision, requirements: Requirements) -> bool:
    """Tell whether an attempt breaks a guarantee, by whether it is spoken of and what it comes to."""
    if guarantee.bound == "at_most":
        # Left out are only facts on which neither the outcome nor whether it is spoken of hangs.
        blocked, allowed = decision.outcome == "blocked", decision.outcome == "allowed"
        worse = blocked if guarantee.outcome == "challenged" else not allowed
        return speaks is TRUE and worse and decision.certain
    if speaks is FALSE:
        return False
    effect = guarantee.effect
    if effect is None or effect.formula is None:
        return decision.outcome != "blocked"
    met = formula_holds(effect.formula, lambda item: requirements.met(item) is TRUE)
    return decision.outcome == "allowed" and not met


def _speaks_of(judge: Judge, guarantee: Guarantee) -> Truth:
    """Return whether a guarantee speaks of an attempt."""
    when = TRUE if guarantee.when is None else judge.judge(guarantee.when).truth
    return all_true((_scope_truth(judge, guarantee.scope), when))


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
