"""The interpreter: reads a rulebook's tree for one attempt, straight from the semantics, and keeps every step.

It is the reference for all other evaluators and the only one that makes traces.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any

from caddrel.core.decide.combine import Combination, Says
from caddrel.core.decide.decision import Decision
from caddrel.core.decide.interpreter.judge import Beside, Judge, Verdict
from caddrel.core.decide.requirements import Requirements
from caddrel.core.decide.truth import FALSE, TRUE, UNKNOWN, Truth, all_true, any_true, opposite, truth_of
from caddrel.core.facts.facts import Facts
from caddrel.core.language.nodes import Passes, items_of, tests_of
from caddrel.core.rulebook.model import ALWAYS, Policy, Rule, Rulebook, Selector


@dataclass(slots=True)
class ScopePart:
    """One part of a scope; `chosen` has a verdict for each selector."""

    name: str
    truth: Truth
    chosen: tuple[tuple[Selector, Verdict], ...] = ()
    facts: frozenset[str] = frozenset()


@dataclass(slots=True)
class RuleStep:
    """One rule reached: its condition's verdict, None when it has no condition."""

    rule: Rule
    truth: Truth
    verdict: Verdict | None


@dataclass(slots=True)
class PolicySteps:
    """How one policy was read."""

    policy: Policy
    scope: Truth
    parts: list[ScopePart]
    rules: list[RuleStep]
    says: Says


@dataclass(slots=True)
class Others:
    """The steps of a rulebook's policies for whom they are not about: the same for all attempts, so worked out once.

    Most policies are for other people. Held by who has the rulebook, for as long as it has it.

    Attributes
    ----------
    steps
        By policy.
    traces
        The same steps as a trace shows them, by policy.
    """

    steps: dict[str, PolicySteps] = field(default_factory=dict)
    traces: dict[str, dict[str, Any]] = field(default_factory=dict)


@dataclass(slots=True)
class Explained:
    """A decision with every step that led to it."""

    decision: Decision
    facts: Facts
    rulebook: Rulebook
    judge: Judge
    requirements: Requirements
    combination: Combination
    policies: list[PolicySteps]
    others: Others


def decide(rulebook: Rulebook, facts: Facts, revision: int | None = None) -> Decision:
    """Return the decision on an attempt whose facts are completed."""
    return explain(rulebook, facts, revision).decision


def explain(
    rulebook: Rulebook,
    facts: Facts,
    revision: int | None = None,
    others: Others | None = None,
    beside: Beside | None = None,
) -> Explained:
    """Return the decision on an attempt with every step; policies that are off are read too, but do not count.

    Parameters
    ----------
    others
        Of the same rulebook: what is known of it already, and is added to.
    beside
        Of the same rulebook: what is known from the same attempt at other apps. A trace leaves out the places and
        schedules that were looked at there.
    """
    others = Others() if others is None else others
    judge = Judge(rulebook, facts, beside)
    requirements = Requirements(rulebook, facts, lambda name: judge.standard(name).truth)
    policies = [_read_policy(judge, policy, others) for _, policy in sorted(rulebook.policies.items())]
    counting = [steps.says for steps in policies if steps.policy.mode != "off"]
    combination = Combination(rulebook, facts, requirements, counting)
    by_id = {steps.policy.id: steps for steps in policies}

    def unknown_of(says: Says, naming: bool) -> Iterable[str]:
        return _unknown_facts(judge, requirements, by_id[says.policy.id], naming)

    decision = combination.decision(unknown_of, lambda rule: fixes_of(judge, rule))
    if revision is not None:
        decision = replace(decision, revision=revision)
    return Explained(decision, facts, rulebook, judge, requirements, combination, policies, others)


def _read_policy(judge: Judge, policy: Policy, others: Others) -> PolicySteps:
    if policy.scope.active is None:
        for selector in policy.scope.people:
            chosen = judge.selected(selector)
            if chosen.truth is not FALSE or chosen.parts:
                break
        else:
            return _for_others(judge, policy, others)
    parts = _scope(judge, policy)
    if parts[-1].truth is FALSE:
        return PolicySteps(policy, FALSE, parts, [], Says(policy, FALSE, (), True))
    scope = all_true(part.truth for part in parts)
    rules: list[RuleStep] = []
    silent = scope is not TRUE
    for rule in policy.rules:
        verdict = judge.whole(rule.when) if rule.when is not None else None
        truth = verdict.truth if verdict is not None else TRUE
        rules.append(RuleStep(rule, truth, verdict))
        if truth is TRUE:
            break
    else:
        silent = True
    possible = tuple(step.rule for step in rules if step.truth is not FALSE)
    named = any_true(judge.selected(selector).truth for selector in policy.scope.naming)
    return PolicySteps(policy, scope, parts, rules, Says(policy, scope, possible, silent, named))


def _for_others(judge: Judge, policy: Policy, others: Others) -> PolicySteps:
    """Return the steps of a policy none of whose simple selectors takes the person in."""
    found = others.steps.get(policy.id)
    if found is None:
        part = _selected(judge, "people", policy.scope.people, positive=True)
        found = others.steps[policy.id] = PolicySteps(policy, FALSE, [part], [], Says(policy, FALSE, (), True))
    return found


_ACTIVE, _OPERATION = frozenset({"time.at"}), frozenset({"operation"})
_NONE: frozenset[str] = frozenset()


def _scope(judge: Judge, policy: Policy) -> list[ScopePart]:
    """Return the parts of a scope in order, up to the first that is false: it settles the rest."""
    scope = policy.scope
    parts = []
    if scope.active is not None:
        at = judge.values.get("time.at")
        truth = UNKNOWN
        if isinstance(at, datetime):
            start, end = scope.active.start, scope.active.end
            truth = truth_of((start is None or at >= start) and (end is None or at < end))
        parts.append(ScopePart("active", truth, (), _ACTIVE if truth is UNKNOWN else _NONE))
        if truth is FALSE:
            return parts
    for name, selectors, positive in (
        ("people", scope.people, True),
        ("except_people", scope.except_people, False),
        ("apps", scope.apps, True),
        ("except_apps", scope.except_apps, False),
    ):
        if selectors or positive:
            part = _selected(judge, name, selectors, positive)
            parts.append(part)
            if part.truth is FALSE:
                return parts
    operation = judge.values.get("operation")
    truth = UNKNOWN if operation is None else truth_of(operation in scope.operations)
    parts.append(ScopePart("operations", truth, (), _OPERATION if truth is UNKNOWN else _NONE))
    return parts


def _selected(judge: Judge, name: str, selectors: tuple[Selector, ...], positive: bool) -> ScopePart:
    chosen = tuple([(selector, judge.selected(selector)) for selector in selectors])
    truth = FALSE
    for _, verdict in chosen:
        if verdict.truth is TRUE:
            truth = TRUE
            break
        if verdict.truth is UNKNOWN:
            truth = UNKNOWN
    if not positive:
        truth = opposite(truth)
    facts = _NONE
    if truth is UNKNOWN:
        facts = facts.union(*(judge.unknown_facts(verdict) for _, verdict in chosen))
    return ScopePart(name, truth, chosen, facts)


def _unknown_facts(judge: Judge, requirements: Requirements, steps: PolicySteps, naming: bool) -> set[str]:
    found: set[str] = set()
    if naming and steps.scope is not FALSE and steps.says.named is UNKNOWN:
        found.update(*(judge.unknown_facts(judge.selected(selector)) for selector in steps.policy.scope.naming))
    if steps.scope is UNKNOWN:
        found.update(fact for part in steps.parts if part.truth is UNKNOWN for fact in part.facts)
    for step in steps.rules:
        if step.truth is UNKNOWN and step.verdict is not None:
            found |= judge.unknown_facts(step.verdict)
        if step.truth is not FALSE and step.rule.effect.formula is not None:
            for item in items_of(step.rule.effect.formula):
                if requirements.met(item) is UNKNOWN:
                    standard = item.kind == "device passes"
                    found |= judge.standard(item.name).facts if standard else requirements.unknown_facts(item)
    return found


def standards_named(rule: Rule, rulebook: Rulebook) -> list[str]:
    """Return the standards that a rule names in its condition or requirement, in document order."""
    named = {t.standard.text for t in tests_of(rule.when or ALWAYS) if isinstance(t, Passes)}
    if rule.effect.formula is not None:
        named |= {item.name for item in items_of(rule.effect.formula) if item.kind == "device passes"}
    return [name for name in rulebook.standards if name in named]


def fixes_of(judge: Judge, rule: Rule) -> str:
    """Return the fixes of the checks that are not true in the standards that a rule names."""
    fixes = []
    for name in standards_named(rule, judge.rulebook):
        verdict = judge.standard(name)
        for check, judged in zip(verdict.standard.checks, verdict.checks, strict=True):
            if judged.truth is not TRUE and check.fix:
                fixes.append(check.fix)
    return " ".join(dict.fromkeys(fixes))
