"""Patterns of policies: each, filled in, is a policy in shadow that reads without an error."""

from __future__ import annotations

import json
import re

import pytest

from caddrel.core.lint.context import Context
from caddrel.core.lint.registry import lint
from caddrel.core.rulebook.patterns import Pattern, patterns
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source

PARTS = {
    "caddrel": "1",
    "settings": {"keyholders": ["group:keyholders"], "contact": "help@example.org"},
    "places": {"office": {"networks": ["192.0.2.0/24"]}},
    "standards": {"tablet": {"checks": {"a": {"must": "device.encrypted", "fix": "Turn it on."}}}},
    "schedules": {"shifts": {"zone": "Europe/Oslo", "hours": {"mon-fri": ["06:00-20:00"]}}},
    "notices": {"terms": {"version": "1", "text": "Hear ye."}},
}
GIVEN = {
    "people": "group:crew, kind:contractor", "apps": "post, label:money", "within": "4h", "standard": "tablet",
    "place": "office", "schedule": "shifts", "level": "high", "notice": "terms",
}  # fmt: skip


@pytest.mark.parametrize("pattern", patterns(), ids=lambda pattern: pattern.name)
def test_a_pattern_filled_in_is_a_policy(pattern: Pattern) -> None:
    asked = {name: GIVEN[name] for name in pattern.blanks}
    policy, problems = pattern.filled(asked)
    assert not problems
    document = {**PARTS, **pattern.parts, "policies": {"made": policy}}
    rulebook = read_rulebook(Source("r", json.dumps(document))).or_raise()
    made = rulebook.policies["made"]
    assert made.mode == "shadow"
    assert [each.text for each in made.scope.people] == ["group:crew", "kind:contractor"]
    assert "{" not in made.title
    for rule in made.rules:
        assert set(re.findall(r"\{(\w+)\}", rule.tell)) <= {"app", "contact", "fixes", "reference"}
    # What is left to say is why and by whom; nothing else is doubtful.
    doubtful = {found.code for found in lint(Context(rulebook))} - {"unused-part"}
    assert doubtful == {"policy-without-why", "policy-without-owner"}
    # The sentence has every blank, or the policy does what it says of all apps.
    assert set(re.findall(r"\{(\w+)\}", pattern.says)) <= set(pattern.blanks)
    assert {name for name in pattern.blanks if f"{{{name}}}" not in pattern.says} <= {"apps", "within"}


def test_what_is_missing_or_misspelt_is_told_and_the_rest_is_as_usual() -> None:
    (pattern,) = (each for each in patterns() if each.name == "second-factor")
    policy, problems = pattern.filled({"ppl": "everyone", "apps": " "})
    assert [(each.code, each.hint) for each in problems] == [
        ("unknown-key", "did you mean `people`?"),
        ("missing-key", ""),
    ]
    policy, problems = pattern.filled({"apps": "post"})
    assert not problems
    assert (policy["people"], policy["apps"], policy["rules"]) == (
        ["everyone"], ["post"], [{"then": "require mfa within 12h"}],
    )  # fmt: skip
