"""Lint: every check has a case, a page, and nothing to say about what is good."""

from __future__ import annotations

import re
from datetime import date
from pathlib import Path

import pytest
import yaml
from tests.loading import RulebookCase, rulebook_cases

from caddrel.core.diagnostics import DANGERS, Change, Diagnostic
from caddrel.core.inventory.reader import read_inventory
from caddrel.core.lint.context import Context
from caddrel.core.lint.registry import CHECKS, lint
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source

PAGES = Path(__file__).parents[3] / "docs" / "lint"
QUIET = {
    "policy-without-why", "policy-without-owner", "no-keyholders", "block-without-words", "unused-part",
}  # fmt: skip
# These need an inventory or a log, and have tests of their own.
ELSEWHERE = {"unknown-in-inventory", "nothing-reports"}
# What the checks found is held against what the rulebook accepts.
AFTERWARDS = {"accepts-nothing"}


def _findings(text: str, **context: object) -> list[Diagnostic]:
    rulebook = read_rulebook(Source("r", text)).or_raise()
    return lint(Context(rulebook, **context))  # type: ignore[arg-type]


@pytest.mark.parametrize("case", rulebook_cases("lint/cases.txt"), ids=lambda c: c.title)
def test_lint(case: RulebookCase) -> None:
    named = case.codes
    found = [f for f in _findings(case.text) if f.code not in QUIET or f.code in named]
    said = [f"{f.code} {f.span.line}:{f.span.column}" if f.span else f"{f.code} 0:0" for f in found]
    if case.expected == ["nothing"]:
        assert said == []
        return
    assert sorted(said) == sorted(case.places)
    by_place = dict(zip(said, found, strict=True))
    for place, line in zip(case.places, case.expected, strict=True):
        finding = by_place[place]
        assert line.partition(": ")[2] in f"{finding.message} {finding.hint}"


def _changed(text: str, change: Change) -> str:
    """Return a rulebook with a suggested change made, as somebody would make it by hand."""
    document = yaml.load(text, yaml.BaseLoader)
    *way, last = re.findall(r"[a-z_-]+\.attributes\.\w+|risk\.attempt|person\.risk|[^.\[\]]+", change.path)
    node = document
    for part in way:
        node = node[int(part)] if isinstance(node, list) else node[part]
    key = int(last) if isinstance(node, list) else last
    if change.value is None:
        del node[key]
    else:
        node[key] = yaml.load(change.value, yaml.BaseLoader)
    return yaml.dump(document)


SUGGESTED = {
    "private-network", "overlapping-networks", "unused-part", "same-policies", "rule-never-reached",
    "keyholder-blocked", "password-without-proof", "except-removes-everyone", "assumption-hides-feed",
}  # fmt: skip


def test_a_suggested_change_settles_its_finding() -> None:
    tried = set()
    for case in rulebook_cases("lint/cases.txt"):
        for finding in _findings(case.text):
            if finding.change is not None:
                tried.add(finding.code)
                after = _findings(_changed(case.text, finding.change))
                assert (finding.code, finding.path) not in {(f.code, f.path) for f in after}
    assert tried == SUGGESTED


def test_every_check_has_a_case_and_a_page() -> None:
    named = {line.split()[0] for case in rulebook_cases("lint/cases.txt") for line in case.expected}
    assert set(CHECKS) - ELSEWHERE <= named
    assert {page.stem for page in PAGES.glob("*.md")} == set(CHECKS) | AFTERWARDS | {"README"}
    index = (PAGES / "README.md").read_text(encoding="utf-8")
    for code in CHECKS:
        text = (PAGES / f"{code}.md").read_text(encoding="utf-8")
        assert text.startswith(f"# {code}\n")
        assert "**Why it matters.**" in text
        assert "**What to do.**" in text
        assert f"[`{code}`]({code}.md)" in index


def test_names_are_looked_up_in_the_inventory_that_is_at_hand() -> None:
    text = """caddrel: 1
settings: {keyholders: [group:keys]}
apps: {gatway: {stance: closed}}
places: {bad: {lists: [wose]}}
policies:
  a: {people: [group:crw, role:admin], apps: [gateway, label:mony], rules: [{when: from bad, then: require mfa}]}
"""
    document = {
        "people": [{"id": "odd", "groups": ["crew"], "roles": ["admin"]}],
        "apps": [{"id": "gateway", "labels": ["money"]}],
        "lists": [{"id": "worse", "networks": []}],
    }
    inventory, problems = read_inventory(document)
    assert not problems
    found = {f.message: f.hint for f in _findings(text, inventory=inventory) if f.code == "unknown-in-inventory"}
    assert found["the inventory knows no group `crw`"] == "did you mean `crew`?"
    assert found["the inventory knows no app `gatway`"] == "did you mean `gateway`?"
    assert found["the inventory knows no label `mony`"] == "did you mean `money`?"
    assert found["the inventory knows no address list `wose`"] == "did you mean `worse`?"
    assert "the inventory knows no role `admin`" not in found
    nobody = [f.message for f in _findings(text, inventory=inventory) if f.code == "no-keyholders"]
    assert nobody == ["nobody in the inventory is a keyholder"]
    assert not [f for f in _findings(text) if f.code == "unknown-in-inventory"]


def test_names_in_conditions_are_told_at_their_place() -> None:
    text = """caddrel: 1
standards:
  tablet: {checks: {ours: {must: "device.id is one of [tab-1, tab-2]", fix: Ask.}}}
policies:
  a:
    rules:
      - when: >-
          (person.groups has any of [crew, finnance]
          and not person.roles has admn) or app.id is Post
        then: require mfa
      - {when: person.id is nobody and app.labels has money, then: block, tell: No.}
"""
    document = {
        "people": [{"id": "odd", "groups": ["crew", "finance"], "roles": ["admin"]}],
        "apps": [{"id": "post", "labels": ["money"]}],
        "devices": [{"id": "tab-1"}],
    }
    inventory, problems = read_inventory(document)
    assert not problems
    found = [f for f in _findings(text, inventory=inventory) if f.code == "unknown-in-inventory"]
    lines = text.splitlines()
    told = {}
    for each in found:
        assert each.span is not None
        told[each.message.partition("`")[2].rstrip("`")] = lines[each.span.line - 1][each.span.column - 1 :]
    assert sorted(told) == ["Post", "admn", "finnance", "nobody", "tab-2"]
    assert all(rest.startswith(name) for name, rest in told.items())
    assert {f.hint for f in found} >= {"did you mean `finance`?", "did you mean `admin`?", "did you mean `post`?"}
    assert {f.path for f in found} == {
        "standards.tablet.checks.ours.must", "policies.a.rules[0].when", "policies.a.rules[1].when",
    }  # fmt: skip


def test_facts_that_nothing_reports_are_known_only_from_what_was_reported() -> None:
    text = "caddrel: 1\npolicies:\n  a: {rules: [{when: device.tampered, then: require mfa}]}\n"
    assert [f.code for f in _findings(text, reported=frozenset({"person.id"}))].count("nothing-reports") == 1
    for context in ({}, {"reported": frozenset({"device.tampered"})}):
        assert "nothing-reports" not in {f.code for f in _findings(text, **context)}
    assumed = text + "settings: {assume: {device.tampered: no}}\n"
    assert "nothing-reports" not in {f.code for f in _findings(assumed, reported=frozenset())}


_ACCEPTING = """caddrel: 1
accepted:
  - {code: block-without-words, object: policies.a, because: They are told by phone., until: 2027-01-31}
  - {code: policy-without-why, object: "policies.b.rules[0]", because: Another place.}
  - {code: person-by-nane, object: policies.a, because: Misspelt.}
policies:
  a: {owner: me, why: so, rules: [{then: block}]}
  b: {owner: me, rules: [{then: block, tell: No.}]}
"""


@pytest.mark.parametrize(("today", "stands"), [(None, True), (date(2027, 1, 31), True), (date(2027, 2, 1), False)])
def test_what_stands_is_told_with_its_reason_until_its_day(today: date | None, stands: bool) -> None:
    found = {(f.code, f.path): f for f in _findings(_ACCEPTING, today=today)}
    words = found["block-without-words", "policies.a.rules[0]"]
    assert (words.severity, words.accepted) == (("note", "They are told by phone.") if stands else ("warning", ""))
    assert ("stood until 2027-01-31" in words.hint) is not stands
    # An acceptance counts for its own place, not for what is around it.
    assert found["policy-without-why", "policies.b"].severity == "warning"
    assert "person-by-name" in found["accepts-nothing", "accepted[2]"].hint
    # Without an inventory not everything is found, so that nothing is said of what is left over.
    assert ("accepts-nothing", "accepted[1]") not in found
    all_at_hand = _findings(_ACCEPTING, today=today, inventory=read_inventory({})[0], reported=frozenset())
    assert ("accepts-nothing", "accepted[1]") in {(f.code, f.path) for f in all_at_hand}


def test_what_endangers_most_is_told_first() -> None:
    found = _findings(
        _ACCEPTING
        + """  c: {rules: [{when: device.managed and not device.managed, then: block, tell: No.}]}
"""
    )
    dangers = [DANGERS.index(f.danger) for f in found if f.danger is not None and not f.accepted]
    assert dangers == sorted(dangers)
    assert found[0].code == "condition-never-true"
    assert found[-1].accepted
    assert len(dangers) == len(found) - 1
