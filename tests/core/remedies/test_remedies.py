"""Remedies: what they are for each kind of obstacle, that each is decided anew, smallest, and no dead end."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from itertools import combinations
from typing import Any

import pytest
import yaml
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from tests.loading import CASES
from tests.strategies import attempts, rulebooks

from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.decide.interpreter.interpreter import decide, explain
from caddrel.core.facts.attempts import read_facts, read_told_facts
from caddrel.core.inventory.completion import complete
from caddrel.core.inventory.index import Inventory
from caddrel.core.inventory.reader import read_inventory
from caddrel.core.remedies.search import Remedy, remedies, together
from caddrel.core.remedies.steps import taken
from caddrel.core.rulebook.model import OUTCOMES
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source
from caddrel.core.words.pieces import Piece, plain
from caddrel.core.words.remedies import remedy_words

PARTS = """
caddrel: 1
settings: {keyholders: [group:keys]}
attributes: {person.attributes.clearance: number}
apps: {gate: {stance: closed}}
places:
  office: {title: Office, networks: [192.0.2.0/26]}
  hidden: {anonymisers: [vpn, tor]}
standards:
  tablet:
    checks:
      encrypted: {must: device.encrypted, fix: Encrypt it.}
      patched: {must: device.platform is not android or device.os_version is at least 15, fix: Update it.}
schedules: {day: {title: Day, zone: Atlantic/Reykjavik, hours: {mon-fri: ["07:00-19:00"]}}}
proofs: {strong: {any_of: [[hwk]]}}
notices: {terms: {title: Terms, text: t}}
policies:
  it: {mode: enforced, rules: [{when: WHEN, then: THEN}]}
"""
INVENTORY = {
    "people": [{"id": "odd", "title": "Odd Vik", "factors": ["password", "authenticator-app"], "groups": ["crew"]}],
    "groups": [{"id": "crew"}, {"id": "bridge", "title": "The bridge"}, {"id": "keys"}],
    "devices": [
        {"id": "t1", "person": "odd", "encrypted": False, "os_version": "14", "platform": "android"},
        {"id": "t2", "title": "Tablet 2", "person": "odd", "encrypted": True, "platform": "ios"},
    ],
    "apps": [{"id": "post"}, {"id": "gate"}],
}  # fmt: skip
BASE = {
    "person.id": "odd", "app.id": "post", "device.id": "t2", "auth.methods": {"pwd": 5}, "auth.notices": [],
    "time.at": "2026-11-07T12:00:00Z", "network.ip": "198.51.100.7", "network.anonymiser": "none",
    "client.kind": "browser", "person.risk": "none",
}  # fmt: skip


def _found(when: str, then: str, more: str = "", **facts: Any) -> tuple[list[Remedy], list[str], Inventory]:
    text = PARTS.replace("WHEN", f"'{when}'").replace("THEN", then) + more
    rulebook = read_rulebook(Source("r", text)).or_raise()
    inventory, problems = read_inventory(INVENTORY)
    assert not problems
    given = {**BASE, **facts}
    completed = complete(read_facts(given, rulebook.catalogue), rulebook.catalogue, {}, inventory)
    found = remedies(explain(rulebook, completed), CompiledRulebook(rulebook), inventory)
    said = [plain(remedy_words([r], rulebook, Piece("Odd"))) for r in found]
    return found, [f"{text} [{r.who.words}]" for text, r in zip(said, found, strict=True)], inventory


@pytest.mark.parametrize(
    "case",
    yaml.safe_load((CASES / "remedies.yaml").read_text(encoding="utf-8")),
    ids=lambda case: f"{case['when']} then {case['then']}",
)
def test_what_would_have_helped(case: dict[str, Any]) -> None:
    assert _found(case["when"], case["then"], **case.get("facts", {}))[1] == case["remedies"]


def test_a_remedy_is_no_dead_end() -> None:
    refused = "  enrol: {mode: enforced, operations: [enrol-factor], rules: [{then: block}]}\n"
    assert _found("app.id is post", "require proof strong", refused)[1] == []
    coded = "  enrol: {mode: enforced, operations: [enrol-factor], rules: [{then: require proof code}]}\n"
    coded += "  # the code\n"
    text = PARTS.replace("proofs: {", "proofs: {code: {any_of: [[starter-code]]}, ")
    with pytest.MonkeyPatch.context() as patch:
        patch.setitem(globals(), "PARTS", text)
        said = _found("app.id is post", "require proof strong", coded)[1]
    done = "been given a starter code and enrolled a security key and proved it with that"
    assert said == [f"Allowed, had Odd {done}. [an administrator]"]


def test_a_closed_app_opens_by_what_its_policy_lets_in() -> None:
    with pytest.MonkeyPatch.context() as patch:
        # Only a policy that names it opens an app that is closed by its own line.
        patch.setitem(globals(), "PARTS", PARTS.replace("it: {mode: enforced,", "it: {mode: enforced, apps: [gate],"))
        said = _found("person.groups has bridge and from office", "allow", **{"app.id": "gate"})[1]
    assert said == ["Allowed, had Odd come from Office and been given the group The bridge. [an administrator]"]


def test_remedies_that_differ_in_the_place_alone_are_told_as_one() -> None:
    with pytest.MonkeyPatch.context() as patch:
        more = (
            "  quay: {title: The quay, networks: [203.0.113.0/28]}\n  sea: {title: At sea, networks: [203.0.113.64/28]}"
        )
        patch.setitem(globals(), "PARTS", PARTS.replace("places:\n", f"places:\n{more}\n"))
        when = "not from any of [office, quay, sea] or client.kind is legacy"
        found, _, _ = _found(when, "block", **{"client.kind": "legacy"})
    [group] = together(found)
    assert len(group) == 3
    text = PARTS.replace("WHEN", "client.kind is legacy").replace("THEN", "block")
    rulebook = read_rulebook(Source("r", text)).or_raise()
    said = plain(remedy_words(group, rulebook, Piece("Odd")))
    assert said == "Allowed, had Odd used a browser client and come from Office, The quay or At sea."
    # Another outcome, or another step beside it, is another remedy.
    assert [len(each) for each in together([found[0], found[0]])] == [2]
    assert len(together([found[0], replace(found[1], decision=replace(found[1].decision, outcome="challenged"))])) == 2
    assert len(together([found[0], replace(found[1], steps=found[1].steps[1:])])) == 2


def _smaller(steps: Sequence[Any]) -> list[tuple[Any, ...]]:
    return [subset for size in range(len(steps)) for subset in combinations(steps, size)]


@given(rulebooks(), st.lists(attempts(), min_size=1, max_size=3))
@settings(max_examples=30, deadline=None, suppress_health_check=list(HealthCheck))
def test_every_remedy_is_better_smallest_and_decided_by_the_interpreter(
    text: str, several: list[dict[str, Any]]
) -> None:
    rulebook = read_rulebook(Source("r", text)).or_raise()
    inventory, _ = read_inventory(INVENTORY)
    for attempt in several:
        assume = rulebook.settings.assume
        told, strange = read_told_facts(attempt, rulebook.catalogue)
        facts = complete(told, rulebook.catalogue, assume, not_understood=strange)
        explained = explain(rulebook, facts)
        worst = OUTCOMES.index(explained.decision.outcome)
        found = remedies(explained, CompiledRulebook(rulebook), inventory)
        if worst == 0:
            assert found == []
        sets = [set(remedy.steps) for remedy in found]
        assert not any(a < b for a in sets for b in sets)
        for remedy in found:
            assert decide(rulebook, taken(facts, remedy.steps, assume, None)) == remedy.decision
            assert OUTCOMES.index(remedy.decision.outcome) < worst
            for fewer in _smaller(remedy.steps):
                assert OUTCOMES.index(decide(rulebook, taken(facts, fewer, assume, None)).outcome) >= worst
