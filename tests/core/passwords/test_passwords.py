"""Candidate passwords and lock-outs, by hand."""

from __future__ import annotations

import json
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
import yaml
from hypothesis import given
from hypothesis import strategies as st
from tests.loading import CASES

from caddrel.core.facts.attempts import read_facts
from caddrel.core.inventory.completion import complete
from caddrel.core.passwords.candidates import check_candidate, standards_for
from caddrel.core.passwords.lockout import lock_out
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source

GROUPS = yaml.safe_load((CASES / "passwords.yaml").read_text(encoding="utf-8"))
NOW = datetime(2026, 11, 2, 12, 0, tzinfo=UTC)


def _rulebook(standards: dict[str, Any]) -> Rulebook:
    return read_rulebook(Source("r", json.dumps({"caddrel": 1, "password-standards": standards}))).or_raise()


@pytest.mark.parametrize(
    ("must", "case"),
    [(group["must"], case) for group in GROUPS for case in group["cases"]],
    ids=lambda value: value.get("candidate") if "candidate" in value else "-".join(value),
)
def test_each_failed_rule_is_named(must: dict[str, Any], case: dict[str, Any]) -> None:
    rulebook = _rulebook({"s": {"must": must}})
    used = case.get("used")
    found = check_candidate(
        rulebook.password_standards.values(),
        case["candidate"],
        case.get("names", ["ines.faro", "Ines Faro"]),
        None if used is None else lambda last: used <= last,
        case.get("age"),
    )
    assert [failed.rule for failed in found[0].failed] == case["failed"]
    assert list(found[0].not_checked) == case.get("not_checked", [])
    assert all(case["candidate"] not in failed.says for failed in found[0].failed if len(case["candidate"]) > 3)


@pytest.mark.parametrize(
    ("facts", "applying"),
    [
        ({"person.id": "a", "person.groups": ["counter"], "app.id": "farebox"}, ["all", "counter", "farebox"]),
        ({"person.id": "a", "person.groups": [], "app.id": "farebox"}, ["all", "farebox"]),
        ({"person.id": "a", "person.groups": [], "app.id": "post"}, ["all"]),
        ({"person.id": "a", "person.groups": []}, ["all", "farebox"]),
        ({"person.id": "a"}, ["all", "counter", "farebox"]),
    ],
)
def test_the_standards_that_may_apply_do(facts: dict[str, Any], applying: list[str]) -> None:
    rulebook = _rulebook(
        {
            "all": {"must": {"length": 8}},
            "counter": {"people": ["group:counter"], "must": {"length": 14}},
            "farebox": {"apps": ["farebox"], "must": {"classes": 3}},
        }
    )
    completed = complete(read_facts(facts, rulebook.catalogue), rulebook.catalogue, {})
    assert [standard.id for standard in standards_for(rulebook, completed)] == applying


LOCKS = {
    "short": {"must": {}, "lock": {"after": 3, "within": "10m", "for": "5m"}},
    "long": {"must": {}, "lock": {"after": 4, "within": "10m", "for": "1h"}},
    "none": {"must": {"length": 1}},
}


@pytest.mark.parametrize(
    ("wrong", "locked"),
    [
        ([], None),
        ([1, 2], None),
        ([1, 2, 3], ("short", 4)),
        ([4.5, 5, 6], ("short", 0.5)),
        ([5, 6, 7], None),
        ([1, 2, 11], ("short", 4)),
        ([1, 2, 11.1], None),
        ([1, 2, 3, 4], ("long", 59)),
        ([20, 21, 22, 23], ("long", 40)),
        ([61, 62, 63, 64], None),
        ([1, 2, 3, -1], ("short", 4)),
    ],
)
def test_the_strictest_lock_out_holds(wrong: list[float], locked: tuple[str, float] | None) -> None:
    standards = _rulebook(LOCKS).password_standards.values()
    found = lock_out(standards, [NOW - timedelta(minutes=m) for m in wrong], NOW)
    assert (None if found is None else (found.standard, (found.until - NOW).total_seconds() / 60)) == locked


@given(st.lists(st.integers(0, 200), max_size=12), st.integers(0, 200))
def test_more_wrong_passwords_never_unlock(minutes: list[int], more: int) -> None:
    standards = _rulebook(LOCKS).password_standards.values()
    before = lock_out(standards, [NOW - timedelta(minutes=m) for m in minutes], NOW)
    after = lock_out(standards, [NOW - timedelta(minutes=m) for m in (*minutes, more)], NOW)
    if before is not None:
        assert after is not None
        assert after.until >= before.until
