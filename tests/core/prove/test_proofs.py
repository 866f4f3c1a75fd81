"""What is proven is true of attempts that are decided one by one; what is found is what the interpreter says."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from functools import partial
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from tests.strategies import attempts, rulebooks

from caddrel.core.decide.interpreter.interpreter import explain
from caddrel.core.decide.requirements import formula_holds
from caddrel.core.decide.truth import TRUE
from caddrel.core.diagnostics import RulebookError
from caddrel.core.facts.attempts import AttemptRefused, read_facts
from caddrel.core.inventory.completion import complete
from caddrel.core.inventory.reader import read_inventory
from caddrel.core.prove.comparison import changes, differs
from caddrel.core.prove.dead_rules import idle, redundant, taken_out
from caddrel.core.prove.guarantees import Prover, prove
from caddrel.core.prove.one_change import with_only
from caddrel.core.prove.places import places
from caddrel.core.prove.report import compared_json
from caddrel.core.prove.space import SETTLED
from caddrel.core.rulebook.edit.objects import object_text, with_object
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source

few = settings(max_examples=12, suppress_health_check=list(HealthCheck), deadline=None)


def plenty() -> float:
    return 1e6


def _read(text: str) -> Rulebook:
    return read_rulebook(Source("r", text)).or_raise()


def sampled(rulebook: Rulebook, sample: list[dict[str, Any]]) -> Iterator[Any]:
    """Yield what the interpreter makes of attempts, as far as they are attempts that anything is proven of."""
    for attempt in sample:
        # Credentials are right and nobody is locked out: of others no policy is asked.
        told = {**attempt, **SETTLED}
        try:
            facts = complete(read_facts(told, rulebook.catalogue), rulebook.catalogue, rulebook.settings.assume)
        except AttemptRefused:
            continue
        listed, owner = (facts.values.get(name) for name in ("device.listed", "device.owner"))
        taken = facts.values.get("device.managed"), facts.values.get("device.vetted")
        if (owner == "unlisted" and (listed is True or True in taken)) or (listed is False and True in taken):
            continue
        if listed is False and owner not in {None, "unlisted"}:
            continue
        yield facts


def _is_met(found: Any, item: Any) -> bool:
    return found.requirements.met(item) is TRUE


SAMPLE = st.lists(attempts(), min_size=4, max_size=8)


@given(rulebooks(), SAMPLE)
@few
def test_a_rule_that_never_fires_fires_for_nobody(text: str, sample: list[dict[str, Any]]) -> None:
    rulebook = _read(text)
    never = {(i.policy, i.rule) for i in idle(rulebook, None, plenty).items if i.kind == "never-fires"}
    idle_policies = {i.policy for i in redundant(rulebook, None, plenty).items}
    without = {
        name: replace(rulebook, policies={id: p for id, p in rulebook.policies.items() if id != name})
        for name in idle_policies
        if rulebook.policies[name].mode == "enforced"
    }
    for facts in sampled(rulebook, sample):
        found = explain(rulebook, facts)
        fired = {(s.policy.id, rule.id) for s in found.policies for rule in s.says.rules if s.policy.mode != "off"}
        assert not fired & never
        for other in without.values():
            assert not differs(found.decision, explain(other, facts).decision)


@given(rulebooks(), SAMPLE)
@few
def test_what_can_be_taken_out_is_missed_by_nobody(text: str, sample: list[dict[str, Any]]) -> None:
    rulebook, sources = _read(text), [Source("r", text)]
    found = (*idle(rulebook, None, plenty).items, *redundant(rulebook, None, plenty).items)
    for each in found:
        policy = rulebook.policies[each.policy]
        if policy.mode != "enforced":
            continue
        path = ("policies", each.policy)
        left = taken_out(object_text(sources, path) or "", each)
        after = read_rulebook(with_object(sources, path, left)).or_raise()
        gone = after.policies.get(each.policy)
        assert gone is None or len(gone.rules) + (each.kind != "always-true") == len(policy.rules)
        if not each.surely:
            continue
        assert list(changes(rulebook, after, None, plenty)) == []
        for facts in sampled(rulebook, sample):
            assert not differs(explain(rulebook, facts).decision, explain(after, facts).decision)


@given(rulebooks(), rulebooks(), st.data(), SAMPLE)
@few
def test_one_change_is_that_change_and_no_other(
    one: str, other: str, data: st.DataObject, sample: list[dict[str, Any]]
) -> None:
    before, after = _read(one), _read(other)
    id = data.draw(st.sampled_from(sorted({*before.policies, *after.policies})))
    only = with_only(before, after, f"policies.{id}")
    assert {n: p for n, p in only.policies.items() if n != id} == {n: p for n, p in before.policies.items() if n != id}
    assert only.policies.get(id) == after.policies.get(id)
    old, new = before.policies.get(id), after.policies.get(id)
    if old is not None and new is not None:
        rule = data.draw(st.sampled_from(sorted({each.id for each in (*old.rules, *new.rules)})))
        one_rule = with_only(before, after, f"policies.{id}/{rule}").policies[id]
        at = [n for n, each in enumerate(one_rule.rules)]
        assert [each.index for each in one_rule.rules] == at
        others = [each.id for each in one_rule.rules if each.id != rule]
        assert others == [each.id for each in old.rules if each.id != rule]
        changed = {each.id: replace(each, index=0) for each in one_rule.rules}
        assert changed.get(rule) == next((replace(each, index=0) for each in new.rules if each.id == rule), None)
    # It can be decided by: whatever the change refers to is there.
    for facts in sampled(before, sample):
        explain(only, facts)
    with pytest.raises(RulebookError) as refused:
        with_only(before, after, "policies.nobody-has-this")
    assert [each.code for each in refused.value.diagnostics] == ["bad-path"]


@given(rulebooks(), st.data(), SAMPLE)
@few
def test_rulebooks_of_one_meaning_decide_alike(text: str, data: st.DataObject, sample: list[dict[str, Any]]) -> None:
    before = _read(text)
    id, mode = data.draw(st.sampled_from(list(before.policies))), data.draw(st.sampled_from(["off", "enforced"]))
    after = replace(before, policies={**before.policies, id: replace(before.policies[id], mode=mode)})
    found = list(changes(before, after, None, plenty))
    kinds = {change.kind for change in found}
    for change in found:
        assert differs(change.before, change.after)
    for facts in sampled(before, sample):
        one, other = explain(before, facts).decision, explain(after, facts).decision
        if differs(one, other):
            assert (one.outcome, other.outcome) in kinds
    assert list(changes(before, before, None, plenty)) == []


BOUNDS = ["at_least: block", "at_least: require mfa", "at_most: challenged", "at_most: allowed"]


@given(rulebooks(), st.sampled_from(BOUNDS), st.sampled_from(["", "kind:guest", "group:a"]), SAMPLE)
@few
def test_what_holds_is_broken_by_nobody(text: str, bound: str, whom: str, sample: list[dict[str, Any]]) -> None:
    people = f"people: ['{whom}']" if whom else ""
    guarantee = f"caddrel: 1\nguarantees:\n  g: {{for: {{{people}}}, {bound}}}\n"
    rulebook = read_rulebook([Source("r", text), Source("g", guarantee)]).or_raise()
    proven = prove(rulebook, rulebook.guarantees["g"], None, plenty)
    if proven.answer == "fails":
        assert proven.counterexample is not None
        return
    assert proven.answer == "holds"
    for facts in sampled(rulebook, sample):
        found = explain(rulebook, facts)
        outcome, values = found.decision.outcome, facts.values
        inside = {"": True, "kind:guest": values.get("person.kind") == "guest"}.get(
            whom,
            "a" in (values.get("person.groups") or ()),
        )
        if not inside or values["operation"] != "sign-in":
            continue
        if bound == "at_least: block":
            assert outcome == "blocked"
        elif bound == "at_least: require mfa" and outcome == "allowed":
            mfa = rulebook.guarantees["g"].effect
            assert mfa is not None
            assert mfa.formula is not None
            assert formula_holds(mfa.formula, partial(_is_met, found))


OWN = """caddrel: 1
proofs: {strong: {any_of: [[hwk]]}}
policies:
  a: {mode: enforced, apps: [farebox], rules: [{id: own, when: device.owner is company, then: allow}, {id: other, then: block, tell: No.}]}
  b: {mode: enforced, apps: [farebox], rules: [{id: mfa, then: require mfa}, {id: late, when: device.managed, then: block}]}
  c: {mode: enforced, apps: [farebox], people: [kind:guest], rules: [{then: require mfa}]}
  d: {mode: enforced, people: [{where: "surely person.kind is guest and surely person.kind is employee"}], rules: [{id: nobody, then: block}]}
guarantees:
  proven: {for: {apps: [farebox]}, at_least: require mfa}
  personal: {for: {apps: [farebox]}, when: device.owner is personal, at_least: block}
  manifest: {for: {apps: [manifest]}, at_least: require mfa}
  reached: {for: {apps: [farebox]}, when: device.owner is company, at_most: challenged}
  strong: {for: {apps: [farebox]}, at_least: require proof strong}
  never: {for: {people: [kind:guest], except_people: [kind:guest]}, when: person.kind is guest, at_most: allowed}
  shadowed: {for: {apps: [manifest]}, at_least: block, with_shadow: yes}
"""  # noqa: E501


@pytest.mark.parametrize(
    ("guarantee", "answer", "outcome"),
    [
        ("proven", "holds", ""),
        ("personal", "holds", ""),
        ("manifest", "fails", "allowed"),
        # Somebody without a factor cannot give one.
        ("reached", "fails", "blocked"),
        ("strong", "fails", "allowed"),
        ("never", "holds", ""),
        # Of an app that nobody named it is not known that it is another.
        ("shadowed", "fails", "allowed"),
    ],
)
def test_guarantees_of_a_small_rulebook(guarantee: str, answer: str, outcome: str) -> None:
    rulebook = _read(OWN)
    proven = prove(rulebook, rulebook.guarantees[guarantee], None, plenty)
    assert proven.answer == answer
    assert (proven.counterexample.outcome if proven.counterexample else "") == outcome
    assert proven.empty == (guarantee == "never")
    # Without time nothing is guessed.
    assert prove(rulebook, rulebook.guarantees[guarantee], None, lambda: 0.0).answer == "undecided"


def test_guarantees_proven_together_come_to_what_each_comes_to_alone() -> None:
    rulebook = _read(OWN)
    guarantees = list(rulebook.guarantees.values())
    inventory = read_inventory({"people": [{"id": "odd", "kind": "guest"}], "apps": [{"id": "farebox"}]})[0]
    for there in (None, inventory):
        together = Prover(rulebook, guarantees, there, plenty)
        for guarantee in guarantees:
            alone, found = prove(rulebook, guarantee, there, plenty), together.prove(guarantee)
            assert (found.answer, found.empty) == (alone.answer, alone.empty)
            assert (found.counterexample is None) == (alone.counterexample is None)


def test_a_policy_in_shadow_counts_where_the_guarantee_says_so() -> None:
    text = OWN.replace("guarantees:", "  e: {mode: shadow, apps: [manifest], rules: [{then: block}]}\nguarantees:")
    rulebook = _read(text)
    assert prove(rulebook, rulebook.guarantees["shadowed"], None, plenty).answer == "holds"
    alone = replace(rulebook.guarantees["shadowed"], with_shadow=False)
    assert prove(rulebook, alone, None, plenty).answer == "fails"


def test_what_does_nothing_is_told_with_what_leaves_it_nothing() -> None:
    found = {(i.kind, i.policy, i.rule): i for i in idle(_read(OWN), None, plenty).items}
    assert found["never-fires", "b", "late"].because == ("mfa",)
    assert found["never-fires", "d", "nobody"].scope
    assert {i.policy for i in redundant(_read(OWN), None, plenty).items} == {"c", "d"}
    assert not idle(_read(OWN), None, lambda: 0.0).whole


def test_people_of_the_inventory_alone_are_asked_for_where_that_is_said() -> None:
    inventory = read_inventory(
        {
            "people": [{"id": "ines", "kind": "employee", "factors": ["password", "push"], "groups": ["crew"]}],
            "groups": [{"id": "crew"}],
            "apps": [{"id": "farebox", "labels": ["money"]}, {"id": "post", "labels": []}],
        }
    )[0]
    rulebook = _read("""caddrel: 1
policies:
  a: {mode: enforced, people: [group:crew], apps: [label:money], rules: [{then: require mfa}]}
guarantees:
  in: {for: {apps: [farebox]}, at_most: challenged}
  ours: {for: {apps: [label:money]}, when: person.groups has crew, at_least: require mfa, who: inventory}
  all: {for: {apps: [farebox]}, at_least: require mfa}
""")
    answers = {id: prove(rulebook, g, inventory, plenty) for id, g in rulebook.guarantees.items()}
    assert {id: each.answer for id, each in answers.items()} == {"in": "fails", "ours": "holds", "all": "fails"}
    own = replace(rulebook.guarantees["in"], who="inventory")
    assert prove(rulebook, own, inventory, plenty).answer == "holds"
    example = answers["all"].counterexample
    assert example is not None
    assert example.outcome == "allowed"


def test_a_change_of_meaning_says_where_and_because_of_what() -> None:
    before, after = (
        _read(OWN),
        _read(OWN.replace("device.owner is company, then: allow", "device.managed, then: allow")),
    )
    found = compared_json(before, after, None, plenty, places(before, after, None))
    assert (found["same"], found["exact"]) == (False, True)
    kinds = {(each["from"], each["to"]): each for each in found["changes"]}
    assert set(kinds) == {
        ("allowed", "blocked"),
        ("challenged", "blocked"),
        ("blocked", "challenged"),
        ("blocked", "allowed"),
    }
    loosened = kinds["blocked", "allowed"]
    assert loosened["apps"] == ["farebox"]
    assert {"policy": "a", "rule": "other"} in loosened["because"]["before"]
    assert loosened["witness"]["facts"]["device.managed"] is True
    same = compared_json(before, _read(OWN.replace("tell: No.", "tell: Never.")), None, plenty, [])
    assert (same["same"], same["changes"]) == (True, [])
    asked = compared_json(
        before, _read(OWN.replace("require mfa}, {id: late", "require mfa within 1h}, {id: late")), None, plenty, []
    )
    assert ("challenged", "challenged") in {(each["from"], each["to"]) for each in asked["changes"]}
    assumed = _read(OWN.replace("policies:", "settings: {assume: {person.risk: none}}\npolicies:", 1))
    assert compared_json(before, assumed, None, plenty, [])["definitions"] == ["assumption person.risk"]
    assert not compared_json(before, after, None, lambda: 0.0, [])["exact"]
