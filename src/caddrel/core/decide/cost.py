"""What deciding under a rulebook costs at most: by a formula over what it holds, and measured on made attempts.

A rulebook above the limits is refused when it is checked: nobody's sign-in waits for one.
Not here: the clock, which is handed in.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.diagnostics import Diagnostic
from caddrel.core.facts.catalogue import FACTORS
from caddrel.core.facts.facts import Setting
from caddrel.core.facts.types import Value
from caddrel.core.inventory.completion import complete
from caddrel.core.language.nodes import Condition, items_of, tests_of
from caddrel.core.rulebook.model import PlaceParts, Rulebook

# One step is a test, a selector, a part of a place or an item looked at; most take well under a microsecond.
MOST_STEPS = 250_000
MOST_SECONDS = 0.25
MOST_TRIES = 4


@dataclass(frozen=True, slots=True)
class Cost:
    """What a decision costs at most.

    Attributes
    ----------
    steps
        By formula, for an attempt of which nothing is known, so that every rule is reached.
    seconds
        Of processor time, for the worst of some made attempts; None where the formula alone refuses.
    """

    steps: int
    seconds: float | None

    @property
    def fits(self) -> bool:
        """Whether it is within the limits."""
        return self.seconds is not None and self.seconds <= MOST_SECONDS


def cost_of(rulebook: Rulebook, clock: Callable[[], float], compiled: CompiledRulebook | None = None) -> Cost:
    """Return what a decision under a rulebook costs at most.

    Parameters
    ----------
    clock
        Seconds of processor time of the calling thread.
    """
    steps = steps_of(rulebook)
    if steps > MOST_STEPS:
        return Cost(steps, None)
    ready = compiled or CompiledRulebook(rulebook)
    worst = 0.0
    for reported in _made_attempts():
        taken = _measured(ready, reported, clock)
        tries = 1
        # A collection of garbage, or a module that is loaded just then, is not the rulebook's doing and comes once;
        # measured anew, as what the first decision remembers would make the second one cheap.
        while taken > MOST_SECONDS and tries < MOST_TRIES:
            taken = min(taken, _measured(CompiledRulebook(rulebook), reported, clock))
            tries += 1
        worst = max(worst, taken)
        if worst > MOST_SECONDS:
            break
    return Cost(steps, worst)


def _measured(ready: CompiledRulebook, reported: Mapping[str, Value], clock: Callable[[], float]) -> float:
    facts = complete(reported, ready.rulebook.catalogue, {}, None, Setting.OFFLINE)
    began = clock()
    ready.decide(facts)
    return clock() - began


def steps_of(rulebook: Rulebook) -> int:
    """Return how many steps a decision takes at most, by what the rulebook holds."""
    enforced = items = formulas = steps = 0
    distinct = set()
    for policy in rulebook.policies.values():
        if policy.mode == "off":
            continue
        enforced += 1
        scope = policy.scope
        for selector in (*scope.people, *scope.except_people, *scope.apps, *scope.except_apps):
            # Asked for the scope, for naming, and for what is unknown of both.
            steps += 3 * _tests(selector.condition)
        for rule in policy.rules:
            steps += 1 + (2 * _tests(rule.when) if rule.when is not None else 0)
            if rule.effect.formula is not None:
                found = list(items_of(rule.effect.formula))
                items += len(found)
                formulas += 1
                distinct.update(found)
    for standard in rulebook.standards.values():
        steps += sum(2 * _tests(check.must) for check in standard.checks)
    steps += sum(_parts(half) for place in rulebook.places.values() for half in (place.parts, place.without))
    # Met, attainable, deciding, outstanding; and of many items each turn looks through all that are left.
    return steps + 8 * enforced + 8 * items + formulas + len(distinct) ** 2 // 16


def _tests(condition: Condition) -> int:
    return sum(1 for _ in tests_of(condition)) or 1


def _parts(parts: PlaceParts) -> int:
    return len(parts.lists) + len(parts.places) + bool(parts.networks) + bool(parts.countries) + 2


def _made_attempts() -> Iterator[Mapping[str, Value]]:
    """Yield attempts of which so much is unknown that every policy, rule and requirement counts."""
    none: dict[str, Any] = {}
    yield {}
    yield {"auth.methods": none}
    yield {"auth.methods": none, "person.factors": frozenset(FACTORS)}
    yield {"auth.methods": {"pwd": None}, "person.factors": frozenset(), "auth.notices": frozenset()}
    yield {"operation": "enrol-device", "auth.methods": none}


def cost_diagnostic(cost: Cost) -> Diagnostic:
    """Return the refusal of a rulebook that costs too much."""
    hint = "fewer policies, tests and requirement items; what many rules ask for, ask in one"
    if cost.seconds is None:
        message = f"a decision could take {cost.steps:,} steps; {MOST_STEPS:,} is the most"
    else:
        message = f"a decision took {cost.seconds:.2f} s; {MOST_SECONDS} s is the most"
    return Diagnostic("too-costly", message, hint, path="policies")
