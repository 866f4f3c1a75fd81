"""Searching for remedies: the smallest sets of steps that lead to a better outcome, each decided anew."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, replace
from itertools import combinations

from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.decide.decision import Decision
from caddrel.core.decide.interpreter.interpreter import Explained, decide
from caddrel.core.decide.requirements import YIELDS
from caddrel.core.facts.facts import AddressData, Facts, Origin
from caddrel.core.facts.types import Value
from caddrel.core.inventory.index import Inventory
from caddrel.core.language.nodes import items_of
from caddrel.core.remedies.candidates import Wishes, with_starter_code
from caddrel.core.remedies.factors import FACTOR_WORDS
from caddrel.core.remedies.steps import Step, Who, taken
from caddrel.core.rulebook.model import ALWAYS, OUTCOMES, Rule

MOST_STEPS = 3
# More steps than this are not combined: the search stays within a moment.
MOST_CANDIDATES = 26
MOST_REMEDIES = 8
# Factors that a person can be asked to enrol.
_CAN_ENROL = ("authenticator-app", "security-key", "passkey")


@dataclass(frozen=True, slots=True)
class Remedy:
    """Steps that together lead to a better outcome; none of them can be left out."""

    steps: tuple[Step, ...]
    decision: Decision

    @property
    def who(self) -> Who:
        """Who is needed at most."""
        return max(step.who for step in self.steps)


def remedies(
    explained: Explained,
    compiled: CompiledRulebook,
    inventory: Inventory,
    address_data: AddressData | None = None,
) -> list[Remedy]:
    """Return the remedies of a block or challenge, easiest first; empty when none is within three steps.

    Parameters
    ----------
    compiled
        The same rulebook, compiled: it decides the many combinations that are tried. What it finds is decided by the
        interpreter too before it counts.
    """
    decision = explained.decision
    worst = OUTCOMES.index(decision.outcome)
    if not worst:
        return []
    rulebook, facts = explained.rulebook, explained.facts
    candidates = _candidates(explained, compiled, inventory)
    found: list[Remedy] = []
    for size in range(1, MOST_STEPS + 1):
        for steps in combinations(candidates, size):
            families = [step.family for step in steps if step.family]
            if len(set(families)) != len(families) or any(set(r.steps) <= set(steps) for r in found):
                continue
            changed = taken(facts, steps, rulebook.settings.assume, address_data)
            if OUTCOMES.index(compiled.outcome(changed)) >= worst:
                continue
            again = decide(rulebook, changed)
            if OUTCOMES.index(again.outcome) < worst and not any(
                _dead_end(lambda tried: decide(rulebook, tried).outcome, facts, step) for step in steps
            ):
                found.append(Remedy(steps, again))
        if len(found) >= MOST_REMEDIES:
            break
    found.sort(key=lambda r: (OUTCOMES.index(r.decision.outcome) if worst == 2 else 0, r.who, len(r.steps)))
    return found[:MOST_REMEDIES]


def together(found: Iterable[Remedy]) -> list[tuple[Remedy, ...]]:
    """Return remedies in their order, those together that differ in the place alone."""
    groups: dict[tuple[object, ...], list[Remedy]] = {}
    for remedy in found:
        others = tuple(step.key for step in remedy.steps if not step.place)
        goes = len(others) < len(remedy.steps)
        key = (remedy.decision.outcome, remedy.decision.outstanding, others, goes or remedy.steps)
        groups.setdefault(key, []).append(remedy)
    return [tuple(group) for group in groups.values()]


def _dead_end(outcome: Callable[[Facts], str], facts: Facts, step: Step) -> bool:
    """Tell whether a step takes an enrolment that the person's policies refuse, decided by whatever `outcome` is."""
    if not step.enrols:
        return False
    owner = "company" if facts.values.get("device.owner") == "company" else "personal"
    values = {"enrolling.owner": owner, **facts.values, **step.enrols}
    origins = {name: facts.origins.get(name, Origin.COMPUTED) for name in values}
    return outcome(replace(facts, values=values, origins=origins)) == "blocked"


def _candidates(explained: Explained, compiled: CompiledRulebook, inventory: Inventory) -> list[Step]:
    found: dict[tuple[object, ...], Step] = {}
    for step in _every_step(explained, inventory):
        # Of two ways to the same facts the easier one is kept, unless it is a dead end.
        if step.key not in found and not _dead_end(compiled.outcome, explained.facts, step):
            found[step.key] = step
    return sorted(found.values(), key=lambda step: step.who)[:MOST_CANDIDATES]


def _every_step(explained: Explained, inventory: Inventory) -> Iterator[Step]:
    facts, rulebook = explained.facts, explained.rulebook
    titles = {group.id: group.title or group.id for group in inventory.groups.values()}
    wishes = Wishes(rulebook, facts, titles)
    yield from _before_policies(facts)
    yield from _methods(facts, explained.decision.outcome == "blocked")
    for rule in _objecting(explained):
        if rule.effect.kind == "block":
            yield from wishes.steps(rule.when or ALWAYS, False)
        elif rule.effect.formula is not None:
            for item in items_of(rule.effect.formula):
                yield from wishes.item(item)
            if rule.when is not None:
                yield from wishes.steps(rule.when, False)
    if explained.decision.reason == "closed":
        for steps in explained.policies:
            if steps.policy.mode == "enforced" and any(
                r.effect.kind in {"allow", "require"} for r in steps.policy.rules
            ):
                for selector in steps.policy.scope.people:
                    yield from wishes.steps(selector.condition, True)
                for rule in steps.policy.rules:
                    yield from wishes.steps(rule.when or ALWAYS, rule.effect.kind != "block")
    yield from _devices(facts, inventory)


def _objecting(explained: Explained) -> Iterator[Rule]:
    """Yield the rules whose blocks and requirements count, and the rules before them that could have spoken instead."""
    for says in explained.combination.enforced:
        for rule in says.rules:
            if rule.effect.kind in {"block", "require"}:
                yield rule


def _before_policies(facts: Facts) -> Iterator[Step]:
    """Yield what lifts a block that comes before any policy."""
    if facts.origins.get("auth.credentials") is Origin.INVENTORY:
        yield Step(Who.ADMINISTRATOR, "been taken back: in the inventory they have left", {"auth.credentials": "right"})
    elif facts.values.get("auth.credentials") == "wrong":
        yield Step(Who.PERSON_NOW, "given the right password", {"auth.credentials": "right"})
    if facts.values.get("auth.locked_out") is True:
        yield Step(Who.HELP_DESK, "had the lock-out lifted, or waited until it ended", {"auth.locked_out": False})


def _methods(facts: Facts, enrolling: bool) -> Iterator[Step]:
    """Yield what the person can prove with: each factor enrolled, now; and, when asked for, others after enrolling."""
    enrolled = facts.values.get("person.factors")
    held = enrolled if isinstance(enrolled, frozenset) else frozenset()
    used = facts.values.get("auth.methods")
    fresh = {name for name, age in used.items() if age is not None and age <= 60} if isinstance(used, dict) else set()
    for factor, yields in YIELDS.items():
        adds = dict.fromkeys(yields, 0.0)
        if factor in held and not set(yields) <= fresh:
            yield Step(Who.PERSON_NOW, f"proved it with {FACTOR_WORDS[factor]}", adds=adds)
        elif factor == "starter-code" and facts.values.get("operation") in {"enrol-device", "enrol-factor"}:
            yield Step(Who.ADMINISTRATOR, "been given a starter code, and used it", adds=adds)
        elif enrolling and factor in _CAN_ENROL and factor not in held:
            enrols: dict[str, Value] = {"operation": "enrol-factor", "enrolling.factor": factor}
            known: dict[str, Value] = {"person.factors": frozenset({factor})}
            says = f"enrolled {FACTOR_WORDS[factor]} and proved it with that"
            step = Step(Who.PERSON_LATER, says, known, adds, enrols=enrols, family="new factor")
            yield step
            yield with_starter_code(step)


def _devices(facts: Facts, inventory: Inventory) -> Iterator[Step]:
    """Yield the person's other devices, with the facts that the inventory has of them."""
    person, current = facts.values.get("person.id"), facts.values.get("device.id")
    for device in inventory.devices_of(str(person or "")):
        if device.id != current:
            yield Step(
                Who.PERSON_NOW,
                f"used {device.title or device.id}",
                {"device.id": device.id, "device.listed": True, **device.facts},
                forgets=tuple(name for name in facts.values if name.startswith("device.")),
                family="device",
            )
