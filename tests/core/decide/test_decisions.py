"""Whole decisions, worked out by hand from the semantics, through every evaluator."""

from __future__ import annotations

from collections.abc import Callable
from functools import cache
from itertools import count
from typing import Any

import pytest
from tests.loading import DecisionCase, decision_cases

from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.decide.cost import cost_of
from caddrel.core.decide.decision import Decision, decision_json
from caddrel.core.decide.interpreter.interpreter import decide
from caddrel.core.facts.attempts import read_told_facts
from caddrel.core.facts.facts import Facts
from caddrel.core.facts.record import facts_from_json, facts_json
from caddrel.core.inventory.completion import complete
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source

CASES = decision_cases()


EVALUATORS: dict[str, Callable[[Rulebook, Facts], Decision]] = {
    "interpreter": decide,
    "compiled": lambda rulebook, facts: CompiledRulebook(rulebook).decide(facts),
}


@cache
def _rulebook(text: str) -> Rulebook:
    return read_rulebook(Source("case", text)).or_raise()


def _facts(case: DecisionCase) -> tuple[Rulebook, Facts]:
    rulebook = _rulebook(case.rulebook)
    facts, strange = read_told_facts(case.facts, rulebook.catalogue)
    return rulebook, complete(facts, rulebook.catalogue, rulebook.settings.assume, not_understood=strange)


def _comparable(decision: Decision) -> dict[str, Any]:
    found = decision_json(decision)
    found["tell"] = [{"policy": t["policy"], "rule": t["rule"]} for t in found["tell"]]
    return found


@pytest.mark.parametrize("evaluator", EVALUATORS)
@pytest.mark.parametrize("case", CASES, ids=lambda c: f"{c.file}: {c.title}")
def test_decision(case: DecisionCase, evaluator: str) -> None:
    rulebook, facts = _facts(case)
    decision = EVALUATORS[evaluator](rulebook, facts)
    assert _comparable(decision) == case.expected
    for tell, text in zip(decision.tell, case.texts, strict=True):
        assert not text or tell.text == text


@pytest.mark.parametrize("case", CASES, ids=lambda c: f"{c.file}: {c.title}")
def test_a_decision_is_recomputed_from_its_record(case: DecisionCase) -> None:
    rulebook, facts = _facts(case)
    again = facts_from_json(facts_json(facts, ()), rulebook.catalogue)
    assert decide(rulebook, again) == decide(rulebook, facts)


def test_the_cases_reach_everything_that_a_decision_can_say() -> None:
    reasons = {(c.expected["outcome"], c.expected["reason"], c.expected["certain"]) for c in CASES}
    blocked = {
        ("blocked", reason, certain) for reason in ("effect", "closed", "unmeetable") for certain in (True, False)
    }
    assert blocked | {("allowed", None, True), ("challenged", None, True), ("challenged", None, False)} <= reasons
    assert len(CASES) >= 80


@pytest.mark.parametrize(("slow", "fits"), [({0}, True), ({3, 4, 5}, True), (set(range(100)), False)])
def test_a_rulebook_is_too_costly_only_when_it_is_so_each_time(slow: set[int], fits: bool) -> None:
    rulebook = read_rulebook(Source("r", "caddrel: 1\npolicies:\n  p: {rules: [{then: block}]}\n")).or_raise()
    now, readings = 0.0, count()

    def clock() -> float:
        # Read before and after each decision; of those that are slow, the second reading is a second later.
        nonlocal now
        reading = next(readings)
        now += 1.0 if reading % 2 and reading // 2 in slow else 0.0
        return now

    assert cost_of(rulebook, clock).fits is fits
