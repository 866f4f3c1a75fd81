"""What does nothing: rules that never fire, conditions that cannot vary, policies without which all would be the same.

Not here: what lint sees without the solver (`core/lint`).
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from caddrel.core.inventory.index import Inventory
from caddrel.core.language.nodes import Condition
from caddrel.core.prove.comparison import Comparison, Encoded
from caddrel.core.prove.encoding import Effects, EncodedPolicy, EncodedRule, Encoder, gather
from caddrel.core.prove.guarantees import as_enforced
from caddrel.core.prove.logic import Logic, all_of, none_of
from caddrel.core.prove.solver import Solver, TooLate
from caddrel.core.prove.space import Space
from caddrel.core.prove.witness import Wrong, attempt_of, explained
from caddrel.core.rulebook.edit.values import Value, value_of, with_value
from caddrel.core.rulebook.model import Policy, Rule, Rulebook

Kind = Literal["never-fires", "always-true", "always-false", "changes-nothing"]


@dataclass(frozen=True, slots=True)
class Idle:
    """Something that does nothing.

    Attributes
    ----------
    rule
        Its id; empty for a policy as a whole.
    because
        For a rule that never fires: the ids of the rules before it that leave it nothing; none where it is the scope,
        or the condition itself.
    surely
        Without it every attempt comes to the same, also where facts are unknown.
    """

    kind: Kind
    policy: str
    rule: str = ""
    index: int = -1
    because: tuple[str, ...] = ()
    scope: bool = False
    surely: bool = True


@dataclass(frozen=True, slots=True)
class IdleParts:
    """What does nothing; `whole` is false when time ran out before all was looked at."""

    items: tuple[Idle, ...]
    whole: bool


def idle(rulebook: Rulebook, inventory: Inventory | None, left: Callable[[], float]) -> IdleParts:
    """Return the rules and conditions of a rulebook that do nothing, policy by policy.

    Policies that are off are not told.

    Raises
    ------
    Wrong
        When what the solver found is not what the interpreter says.
    """
    found: list[Idle] = []
    whole = True
    for policy in rulebook.policies.values():
        if policy.mode == "off":
            continue
        try:
            found.extend(_of_policy(rulebook, policy, inventory, left))
        except TooLate:
            whole = False
    return IdleParts(tuple(found), whole)


def redundant(rulebook: Rulebook, inventory: Inventory | None, left: Callable[[], float]) -> IdleParts:
    """Return the policies without which every attempt comes to the same; those in shadow each as if enforced."""
    policies = [policy for policy in rulebook.policies.values() if policy.mode != "off"]
    space = Space(inventory)
    gather(space, rulebook, policies)
    first = Encoder(rulebook, space)
    first.outcome([first.policy(policy) for policy in policies])
    space.finish()
    if not space.exact:
        # Of what is not all looked at nothing can be said to be for nothing.
        return IdleParts((), False)
    encoder = Encoder(rulebook, space)
    encoded = {policy.id: encoder.policy(policy) for policy in policies}
    effects = {id: encoder.named(encoder.effects([each])) for id, each in encoded.items()}
    enforced = [policy for policy in policies if policy.mode == "enforced"]
    solver, around = Solver(space, left), _around(encoder, [effects[each.id] for each in enforced])
    places = {each.id: place for place, each in enumerate(enforced)}
    found: list[Idle] = []
    for policy in policies:
        others = [each for each in enforced if each.id != policy.id]
        beside = around[places.get(policy.id, len(enforced))]
        sides = (as_enforced(rulebook, [*others, policy]), as_enforced(rulebook, others))
        each = tuple(
            Encoded(encoder, [encoded[p.id] for p in chosen], encoder.together(doing))
            for chosen, doing in (([*others, policy], [*beside, effects[policy.id]]), (others, beside))
        )
        try:
            if not Comparison(space, sides, (each[0], each[1]), inventory, solver).differ_at_all():
                found.append(Idle("changes-nothing", policy.id))
        except TooLate:
            return IdleParts(tuple(found), False)
    return IdleParts(tuple(found), True)


def _around(encoder: Encoder, effects: Sequence[Effects]) -> list[list[Effects]]:
    """Return what all others of some policies do, for each of them, and last what all of them do.

    What those before one do together is that of one fewer and one more, and so from behind: so few are joined for each.
    """
    nothing = encoder.joined([])
    before, behind = [nothing], [nothing]
    for so_far, order in ((before, effects), (behind, effects[::-1])):
        for each in order:
            so_far.append(encoder.named(encoder.joined([so_far[-1], each])))
    count = len(effects)
    return [*([before[place], behind[count - place - 1]] for place in range(count)), [before[count]]]


def taken_out(text: str, idle: Idle) -> str | None:
    """Return a policy's text without what does nothing in it; None where nothing of the policy is left.

    Of a condition that always holds the rule is left; of one that never does, and of a rule that never fires, nothing.
    """
    value = value_of(text)
    if idle.kind == "changes-nothing" or not isinstance(value, dict):
        return None
    rules = value["rules"]
    assert isinstance(rules, list)
    rule = rules[idle.index]
    assert isinstance(rule, dict)
    kept: list[Value] = [{key: each for key, each in rule.items() if key != "when"}]
    left = [*rules[: idle.index], *(kept if idle.kind == "always-true" else []), *rules[idle.index + 1 :]]
    return with_value(text, ("policies", idle.policy), {**value, "rules": left}) if left else None


def _of_policy(
    rulebook: Rulebook, policy: Policy, inventory: Inventory | None, left: Callable[[], float]
) -> Iterator[Idle]:
    # What a policy says hangs on no other.
    alone = replace(rulebook, policies={policy.id: replace(policy, mode="enforced")})
    space = Space(inventory)
    gather(space, rulebook, [policy])
    Encoder(rulebook, space).policy(policy)
    space.finish()
    if not space.exact:
        raise TooLate
    encoder = Encoder(rulebook, space)
    encoded = encoder.policy(policy)
    solver = Solver(space, left)
    firing = [_fires(solver, space, each, alone, inventory) for each in encoded.rules]
    for place, (each, fires) in enumerate(zip(encoded.rules, firing, strict=True)):
        if fires is None:
            # Where any of them fires, somebody is in the scope.
            nowhere = not any(firing) and not solver.has(none_of(encoded.scope[1]))
            yield _never(encoder, solver, policy, each.rule, encoded, nowhere)
        # Where one behind it fires for somebody of whom all is known, its own condition is reached and not true there.
        elif each.rule.when is not None and "firmly" not in firing[place + 1 :]:
            yield from _constant(encoder, solver, policy, each.rule, each.reached, each.rule.when, fires == "firmly")
        elif each.rule.when is not None and fires != "firmly":
            yield Idle("always-false", policy.id, each.rule.id, each.rule.index, surely=False)
    for rule in policy.rules[len(encoded.rules) :]:
        # Behind one that holds whatever is the case.
        yield Idle("never-fires", policy.id, rule.id, rule.index, (encoded.rules[-1].rule.id,))


def _fires(
    solver: Solver, space: Space, rule: EncodedRule, alone: Rulebook, inventory: Inventory | None
) -> Literal["firmly", "perhaps"] | None:
    """Tell for whom a rule fires: for somebody of whom everything is known, for somebody else alone, for nobody."""
    # Asked for first among those of whom everything is known: where there is one, its condition can be true too.
    model = solver.find(rule.possible, space.know_all())
    fires: Literal["firmly", "perhaps"] = "firmly" if model is not None else "perhaps"
    model = model or solver.find(rule.possible)
    if model is None:
        return None
    attempt = attempt_of(space, model)
    (said,) = explained(alone, attempt, inventory).policies
    if rule.rule.id not in {each.id for each in said.says.rules}:
        raise Wrong(f"rule {rule.rule.id} of {said.policy.id} is not possible for {dict(attempt.reported)}")
    return fires


def _constant(
    encoder: Encoder, solver: Solver, policy: Policy, rule: Rule, reached: Logic, condition: Condition, firmly: bool
) -> Iterator[Idle]:
    """Yield that a condition is the same for every attempt with all facts known in which its rule is reached.

    Parameters
    ----------
    firmly
        Whether it is true for one of them.
    """
    known = all_of((encoder.space.know_all(), reached))
    yes, _ = encoder.condition(condition)
    if solver.has(known, none_of(yes)):
        if not firmly:
            # It can fire: for somebody of whom it is unknown.
            yield Idle("always-false", policy.id, rule.id, rule.index, surely=False)
        return
    if firmly:
        # Where it may be unknown, the rule may not be the one that holds, and without a condition it would be.
        surely = not solver.has(reached, none_of(yes))
        yield Idle("always-true", policy.id, rule.id, rule.index, surely=surely)


def _never(encoder: Encoder, solver: Solver, policy: Policy, rule: Rule, encoded: EncodedPolicy, nowhere: bool) -> Idle:
    """Return a rule that never fires, with what leaves it nothing."""
    if nowhere:
        return Idle("never-fires", policy.id, rule.id, rule.index, (), True)
    fails: Logic = False if rule.when is None else encoder.condition(rule.when)[1]
    here = all_of((none_of(encoded.scope[1]), none_of(fails)))
    if not solver.has(here):
        # Nobody in the scope meets the condition: the scope leaves it nothing, if anybody else would.
        return Idle("never-fires", policy.id, rule.id, rule.index, (), solver.has(none_of(fails)))
    before = [each for each in policy.rules if each.index < rule.index]
    needed = list(before)
    for each in before:
        rest = [other for other in needed if other is not each]
        taken = [none_of(True if o.when is None else encoder.condition(o.when)[0]) for o in rest]
        if not solver.has(here, *taken):
            needed = rest
    return Idle("never-fires", policy.id, rule.id, rule.index, tuple(each.id for each in needed))
