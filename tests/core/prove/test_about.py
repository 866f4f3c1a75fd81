"""Which policies have to do with a person and an app: what is left out decides for nobody, what is shown is so."""

from __future__ import annotations

from typing import Any

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from tests.core.prove.test_proofs import plenty, sampled
from tests.strategies import attempts, rulebooks

from caddrel.core.decide.interpreter.interpreter import explain
from caddrel.core.inventory.reader import read_inventory
from caddrel.core.prove.about import Subject, about
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source


@given(rulebooks(), st.lists(attempts(), min_size=4, max_size=8))
@settings(max_examples=12, suppress_health_check=list(HealthCheck), deadline=None)
def test_a_policy_that_never_decides_decides_for_nobody(text: str, sample: list[dict[str, Any]]) -> None:
    rulebook = read_rulebook(Source("r", text)).or_raise()
    found = about(rulebook, Subject(), None, plenty)
    possible = {case.outcome for case in found.outcomes}
    parts = {part.policy.id: {case.outcome for case in part.cases} for part in found.parts}
    silent = {part.policy.id for part in found.parts if not part.speaks}
    for part in found.parts:
        for case in part.cases:
            decision = case.explained.decision
            assert decision.outcome == case.outcome
            assert part.policy.id in {ref.policy for ref in decision.deciding}
    for facts in sampled(rulebook, sample):
        explained = explain(rulebook, facts)
        assert explained.decision.outcome in possible
        for ref in explained.decision.deciding:
            assert explained.decision.outcome in parts[ref.policy]
            assert ref.policy not in silent


OWN = """caddrel: 1
policies:
  a: {mode: enforced, apps: [label:money], rules: [{then: require mfa}]}
  b: {mode: enforced, people: [group:crew], apps: [farebox], rules: [{when: device.owner is personal, then: block}]}
  c: {mode: enforced, people: [kind:guest], rules: [{then: block}]}
  d: {mode: shadow, apps: [farebox], rules: [{when: person.kind is employee, then: block}]}
  e: {mode: enforced, apps: [farebox], rules: [{when: person.kind is guest, then: block}]}
  f: {mode: "off", rules: [{then: block}]}
"""


def test_of_a_person_and_an_app_all_that_the_inventory_has_counts() -> None:
    rulebook = read_rulebook(Source("r", OWN)).or_raise()
    inventory = read_inventory(
        {
            "people": [
                {"id": "ines", "kind": "employee", "factors": ["password", "push"], "groups": ["crew"]},
                {"id": "odd", "kind": "guest", "groups": [], "factors": ["password"]},
            ],
            "groups": [{"id": "crew"}],
            "apps": [{"id": "farebox", "labels": ["money"]}, {"id": "post", "labels": []}],
        }
    )[0]

    def told(person: str = "", app: str = "") -> tuple[set[str], dict[str, tuple[bool, set[str]]]]:
        found = about(rulebook, Subject(person, app), inventory, plenty)
        assert found.whole
        for case in (*found.outcomes, *(case for part in found.parts for case in part.cases)):
            assert case.attempt.reported.get("person.id", "") == person
            assert case.attempt.reported.get("app.id", "") == app or not app
        parts = {part.policy.id: (part.speaks, {case.outcome for case in part.cases}) for part in found.parts}
        return {case.outcome for case in found.outcomes}, parts

    possible, parts = told("ines", "farebox")
    # With two factors nobody is stopped for want of them.
    assert possible == {"allowed", "challenged", "blocked"}
    assert parts == {
        "a": (True, {"allowed", "challenged"}),
        "b": (True, {"blocked"}),
        "c": (False, set()),
        "d": (True, {"blocked"}),
        # It speaks of the app, and its rule never of her.
        "e": (True, set()),
    }
    assert told("ines", "post")[0] == {"allowed"}
    # He is let in nowhere, and may enrol what no policy speaks of.
    assert told("odd", "farebox")[0] == {"allowed", "blocked"}
    (let_in,) = [
        c for c in about(rulebook, Subject("odd", "farebox"), inventory, plenty).outcomes if c.outcome == "allowed"
    ]
    assert let_in.attempt.reported["operation"] != "sign-in"
    assert told("odd")[1]["c"] == (True, {"blocked"})
    assert told("", "post")[1]["a"] == (False, set())
    without_time = about(rulebook, Subject("ines", "farebox"), inventory, lambda: 0.0)
    assert (without_time.whole, without_time.parts) == (False, ())
