"""Which policies speak about a person and an app at all, which ever decide for them, and what they can come to.

Everything but the person and the app is left open: every network, device, risk, method and moment.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

from caddrel.core.decide.decision import Decision
from caddrel.core.decide.interpreter.interpreter import Explained
from caddrel.core.inventory.index import Inventory
from caddrel.core.prove.encoding import OUTCOMES, EncodedPolicy, Encoder, Outcome, gather
from caddrel.core.prove.guarantees import as_enforced
from caddrel.core.prove.logic import Logic, all_of, any_of, none_of
from caddrel.core.prove.solver import Solver, TooLate
from caddrel.core.prove.space import Space
from caddrel.core.prove.witness import Attempt, Wrong, attempt_of, explained, smallest
from caddrel.core.rulebook.model import Policy, Rulebook


@dataclass(frozen=True, slots=True)
class Subject:
    """Whom and what is asked about: ids of the inventory; an empty one is anybody, or any app."""

    person: str = ""
    app: str = ""


@dataclass(frozen=True, slots=True)
class Case:
    """An outcome that can be come to, with an attempt that shows it."""

    outcome: str
    attempt: Attempt
    explained: Explained


@dataclass(frozen=True, slots=True)
class Part:
    """What a policy has to do with a person and an app.

    Attributes
    ----------
    speaks
        Whether its scope can hold.
    cases
        The outcomes for which it is ever among those that decide; one in shadow as if it were enforced.
    """

    policy: Policy
    speaks: bool
    cases: tuple[Case, ...]


@dataclass(frozen=True, slots=True)
class About:
    """What a person can come to in an app, and each policy's part in it; `whole` is false when time ran out."""

    outcomes: tuple[Case, ...]
    parts: tuple[Part, ...]
    whole: bool


def about(rulebook: Rulebook, subject: Subject, inventory: Inventory | None, left: Callable[[], float]) -> About:
    """Return what a person can come to in an app, and each policy's part in it; those that are off left out.

    Parameters
    ----------
    inventory
        Who and what there is; has what is asked about.
    left
        Tells how many seconds are left.

    Raises
    ------
    Wrong
        When what the solver found is not what the interpreter says.
    """
    asked = _Question(rulebook, subject, inventory, left)
    outcomes: list[Case] = []
    parts: list[Part] = []
    try:
        outcomes.extend(asked.outcomes())
        parts.extend(asked.part(policy) for policy in rulebook.policies.values() if policy.mode != "off")
    except TooLate:
        return About(tuple(outcomes), tuple(parts), False)
    return About(tuple(outcomes), tuple(parts), asked.exact)


class _Question:
    def __init__(
        self, rulebook: Rulebook, subject: Subject, inventory: Inventory | None, left: Callable[[], float]
    ) -> None:
        self._rulebook = rulebook
        self._subject = subject
        self._inventory = inventory
        policies = [policy for policy in rulebook.policies.values() if policy.mode != "off"]
        self._enforced = [policy for policy in policies if policy.mode == "enforced"]
        # Only they are there to be chosen: so the attempts are theirs, with what the inventory says of them.
        space = self._space = Space(_only(inventory, subject), own=bool(subject.person))
        gather(space, rulebook, policies)
        first = Encoder(rulebook, space)
        first.outcome([first.policy(policy) for policy in policies])
        first.fact("operation", "sign-in".__eq__)
        space.finish()
        encoder = self._encoder = Encoder(rulebook, space)
        self._encoded = {policy.id: encoder.policy(policy) for policy in policies}
        self._solver = Solver(space, left)
        wanted = (("person.id", subject.person), ("app.id", subject.app))
        # Who is asked about is named: what the inventory has of them is known.
        self._named: list[Logic] = [
            space.where_of(space.ways[fact], id.__eq__) for fact, id in wanted if id and fact in space.ways
        ]

    @property
    def exact(self) -> bool:
        """Whether every attempt was looked at."""
        return self._space.exact

    def outcomes(self) -> Iterator[Case]:
        """Yield the outcomes that can be come to."""
        judged = as_enforced(self._rulebook, self._enforced)
        outcome = self._outcome(self._enforced)
        for each in OUTCOMES:
            found = self._case(judged, each, outcome.of(each), lambda _decision: True)
            if found is not None:
                yield found

    def part(self, policy: Policy) -> Part:
        """Return what one policy has to do with it."""
        encoded = self._encoded[policy.id]
        if not self._solver.has(*self._named, none_of(encoded.scope[1])):
            return Part(policy, False, ())
        chosen = [each for each in self._enforced if each.id != policy.id] + [policy]
        judged = as_enforced(self._rulebook, chosen)

        def decides(decision: Decision) -> bool:
            return any(ref.policy == policy.id for ref in decision.deciding)

        outcome = self._outcome(chosen)
        cases = (self._case(judged, o, self._deciding(encoded, o, outcome), decides) for o in OUTCOMES)
        return Part(policy, True, tuple(case for case in cases if case is not None))

    def _outcome(self, policies: list[Policy]) -> Outcome:
        return self._encoder.outcome([self._encoded[policy.id] for policy in policies])

    def _deciding(self, encoded: EncodedPolicy, outcome: str, whole: Outcome) -> Logic:
        """Return where a rule of a policy is among those that decide (semantics, section 5)."""

        def any_rule(of: Callable[..., Logic]) -> Logic:
            return any_of(all_of((each.possible, of(each.rule.effect))) for each in encoded.rules)

        def unmet(effect: object, reachable: bool) -> Logic:
            formula = getattr(effect, "formula", None)
            return False if formula is None else none_of(self._encoder.formula(formula, reachable))

        if outcome == "allowed":
            return all_of((whole.allowed, any_rule(lambda effect: effect.kind in {"allow", "require"})))
        if outcome == "challenged":
            return all_of((whole.challenged, any_rule(lambda effect: unmet(effect, False))))
        blocks = any_rule(lambda effect: effect.kind == "block")
        unmeetable = all_of((whole.unmeetable, any_rule(lambda effect: unmet(effect, True))))
        return all_of((whole.blocked, any_of((blocks, unmeetable))))

    def _model(self, here: Logic) -> Any:
        """Return a model, of a sign-in rather than anything else, and of which all is known where that can be."""
        known, signing_in = self._space.know_all(), self._encoder.fact("operation", "sign-in".__eq__)[0]
        for first in ((signing_in, known), (signing_in,), (known,), ()):
            model = self._solver.find(*self._named, here, *first)
            if model is not None:
                return model
        return None

    def _case(self, judged: Rulebook, outcome: str, here: Logic, also: Callable[[Decision], bool]) -> Case | None:
        model = self._model(here)
        if model is None:
            return None
        found = attempt_of(self._space, model)
        named = {fact: id for fact, id in (("person.id", self._subject.person), ("app.id", self._subject.app)) if id}
        attempt = Attempt({**found.reported, **named}, found.lists)

        def decided(of: Attempt) -> Decision:
            return explained(judged, of, self._inventory).decision

        first = decided(attempt)

        def still(fewer: Attempt) -> bool:
            if any(fact not in fewer.reported for fact in named):
                return False
            decision = decided(fewer)
            # What is certain stays so: else it would be shown by what is not known of it.
            return decision.outcome == outcome and also(decision) and decision.certain >= first.certain

        if not still(attempt):
            raise Wrong(f"{dict(attempt.reported)} does not come to {outcome} as it was found to")
        attempt = smallest(attempt, still)
        return Case(outcome, attempt, explained(judged, attempt, self._inventory))


def _only(inventory: Inventory | None, subject: Subject) -> Inventory | None:
    """Return an inventory with one person, or one app, alone."""
    if inventory is None:
        return None
    found = inventory
    if subject.person:
        found = found.with_people([inventory.people[subject.person]])
    return found.with_apps([inventory.apps[subject.app]]) if subject.app else found
