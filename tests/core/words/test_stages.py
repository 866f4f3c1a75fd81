"""The policies in the order of a sign-in: each rule that speaks stands once, where it belongs."""

from __future__ import annotations

import json
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from tests.strategies import attempts, rulebooks

from caddrel.core.decide.interpreter.interpreter import explain
from caddrel.core.decide.truth import FALSE
from caddrel.core.facts.attempts import read_facts, read_told_facts
from caddrel.core.inventory.completion import complete
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source
from caddrel.core.words.pieces import plain
from caddrel.core.words.stages import stages


@given(rulebooks(), attempts())
@settings(max_examples=30, deadline=None, suppress_health_check=list(HealthCheck))
def test_every_rule_that_speaks_stands_once(text: str, attempt: dict[str, Any]) -> None:
    rulebook = read_rulebook(Source("r", text)).or_raise()
    told, strange = read_told_facts(attempt, rulebook.catalogue)
    explained = explain(rulebook, complete(told, rulebook.catalogue, rulebook.settings.assume, not_understood=strange))
    found = stages(explained)
    spoken = sorted(
        (steps.policy.id, step.rule.id)
        for steps in explained.policies
        if steps.policy.mode != "off" and steps.scope is not FALSE
        for step in steps.rules
        if step.truth is not FALSE and step.rule.effect.kind != "abstain"
    )
    told_parts = [part for stage in ("credentials", "enrolment", "app") for part in found[stage] if part.policy]
    assert sorted((part.policy, part.rule) for part in told_parts) == spoken
    deciding = {(ref.policy, ref.rule) for ref in explained.decision.deciding}
    assert {(part.policy, part.rule) for part in told_parts if part.decides} == deciding
    if found["enrolment"]:
        assert explained.facts.values.get("operation") not in {None, "sign-in"}


WHERE = {"mode": "enforced", "people": ["everyone"], "apps": ["gate"]}
KEPT = {"id": "r", "then": "require mfa", "keep": {"session_at_most": "1h"}}
POLICIES: dict[str, dict[str, Any]] = {
    "closed": {**WHERE, "rules": [{"id": "r", "when": "from hidden", "then": "block"}]},
    "proved": {**WHERE, "rules": [{"id": "r", "when": "not auth.methods has otp", "then": "block"}]},
    "more": {**WHERE, "operations": ["sign-in", "enrol-factor"], "rules": [KEPT]},
}


@pytest.mark.parametrize(
    ("facts", "expected"),
    [
        (
            {"operation": "sign-in", "network.anonymiser": "tor", "auth.methods": ["pwd"]},
            {"credentials": ["closed"], "app": ["proved", "more", ""], "session": ["more"]},
        ),
        ({"operation": "enrol-factor"}, {"enrolment": ["more"], "session": ["more"]}),
        (
            {"operation": "enrol-factor", "auth.credentials": "wrong"},
            {"credentials": [""], "enrolment": ["more"], "session": ["more"]},
        ),
    ],
)
def test_each_stands_where_it_belongs(facts: dict[str, Any], expected: dict[str, list[str]]) -> None:
    document = {
        "caddrel": 1,
        "settings": {"keyholders": ["group:keys"]},
        "apps": {"gate": {"stance": "closed"}},
        "places": {"hidden": {"anonymisers": ["tor"]}},
        "policies": POLICIES,
    }
    rulebook = read_rulebook(Source("r", json.dumps(document))).or_raise()
    told = read_facts({"app.id": "gate", **facts}, rulebook.catalogue)
    found = stages(explain(rulebook, complete(told, rulebook.catalogue, {})))
    assert {stage: sorted(part.policy for part in parts) for stage, parts in found.items() if parts} == {
        stage: sorted(policies) for stage, policies in expected.items()
    }
    assert [plain(part.says) for part in found["session"]] == ["The session lasts one hour at most."]
    said = [plain(part.says) for part in found["app"]]
    assert ("It is closed: a policy that names it must let the person in." in said) is (facts["operation"] == "sign-in")
