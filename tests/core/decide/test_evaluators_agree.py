"""What holds of every rulebook and every attempt."""

from __future__ import annotations

import itertools
from datetime import UTC, datetime
from ipaddress import ip_network
from typing import Any

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from tests.columns import assert_columns_agree
from tests.strategies import attempts, formulas, monotone_conditions, rulebooks

from caddrel.core.decide.combine import Combination
from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.decide.interpreter.interpreter import decide, explain
from caddrel.core.decide.requirements import covers, formula_holds, item_order, outstanding
from caddrel.core.decide.trace import trace_json
from caddrel.core.decide.truth import FALSE
from caddrel.core.facts.attempts import read_told_facts
from caddrel.core.facts.facts import Setting
from caddrel.core.facts.types import PartlyKnown, Signals
from caddrel.core.inventory.address_lists import AddressList
from caddrel.core.inventory.completion import complete
from caddrel.core.inventory.index import Inventory
from caddrel.core.language.nodes import Formula, Item, items_of
from caddrel.core.rulebook.edit.writer import format_rulebook
from caddrel.core.rulebook.model import OUTCOMES
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source
from caddrel.core.words.decisions import decision_words, why_not_words
from caddrel.core.words.pieces import plain
from caddrel.core.words.policies import policy_words

slow = settings(
    max_examples=45, suppress_health_check=[HealthCheck.too_slow, HealthCheck.filter_too_much], deadline=None
)


def _decided(rulebook: Any, attempt: dict[str, Any]) -> Any:
    told, strange = read_told_facts(attempt, rulebook.catalogue)
    return explain(rulebook, complete(told, rulebook.catalogue, rulebook.settings.assume, not_understood=strange))


@given(rulebooks(), attempts())
@slow
def test_a_decision_is_whole_and_its_trace_recomputes_it(text: str, attempt: dict[str, Any]) -> None:
    rulebook = read_rulebook(Source("r", text)).or_raise()
    explained = _decided(rulebook, attempt)
    decision = explained.decision
    assert decision == decide(rulebook, explained.facts)
    assert bool(decision.tell) == (decision.outcome != "allowed")
    assert decision.certain == (not decision.unknown)
    assert bool(decision.outstanding) == (decision.outcome == "challenged")
    assert bool(decision.in_the_way) == (decision.reason == "unmeetable")
    assert set(decision.shadow.each) == {p.id for p in rulebook.policies.values() if p.mode == "shadow"}
    trace = trace_json(explained)
    effects = [e["effect"].split()[0] for p in trace["policies"] if p["mode"] == "enforced" for e in p["effects"]]
    assert ("block" in effects) == (decision.reason == "effect")
    for said in trace["policies"]:
        scope = rulebook.policies[said["policy"]].scope
        for part in said["scope"]["parts"]:
            if part["part"] not in {"active", "operations"}:
                named = [selector.text for selector in getattr(scope, part["part"])]
                assert [each["text"] for each in part["selectors"]] == named
    assert plain(decision_words(explained))
    assert all(plain(why_not_words(steps, rulebook)) for steps in explained.policies)


NOW = datetime(2026, 11, 1, 9, tzinfo=UTC)
LISTED = AddressList("listed", [ip_network("198.51.100.0/24")])


def assert_evaluators_agree(text: str, several: list[dict[str, Any]]) -> None:
    """Assert that the evaluators give the same decision, in every field they have, also when asked again."""
    rulebook = read_rulebook(Source("r", text)).or_raise()
    compiled = CompiledRulebook(rulebook, 7)
    together = []
    for i, attempt in enumerate(several):
        inventory = Inventory(lists=[LISTED]) if i % 2 else None
        setting = (Setting.OFFLINE, Setting.REHEARSAL, Setting.LIVE)[i % 3]
        told, strange = read_told_facts(attempt, rulebook.catalogue)
        facts = complete(
            told, rulebook.catalogue, rulebook.settings.assume, inventory, setting, NOW, not_understood=strange
        )
        facts.reference = f"reference {i}"
        groups = facts.values.get("person.groups")
        if isinstance(groups, frozenset) and i % 4 == 1:
            # Of memberships that end it may not be known whether they have.
            facts.values["person.groups"] = PartlyKnown(groups, {"a", "none"} - groups)
        fired = facts.values.get("signals")
        if isinstance(fired, frozenset) and i % 3:
            # Signals worked out from a history may each be unknown.
            facts.values["signals"] = Signals(fired - {"fast"}, {"fast"} if i % 3 == 1 else {"fast", "new"} - fired)
        expected = decide(rulebook, facts, 7)
        assert compiled.decide(facts) == expected
        assert compiled.decide(facts) == expected
        assert [compiled.outcome(facts), compiled.outcome(facts)] == [expected.outcome] * 2
        together.append(facts)
    assert_columns_agree(rulebook, together)


@given(rulebooks(), st.lists(attempts(), min_size=1, max_size=4))
@slow
def test_what_the_index_leaves_out_is_out_of_scope(text: str, several: list[dict[str, Any]]) -> None:
    rulebook = read_rulebook(Source("r", text)).or_raise()
    compiled = CompiledRulebook(rulebook)
    for attempt in several:
        explained = _decided(rulebook, attempt)
        considered = compiled.considered(explained.facts)
        for steps in explained.policies:
            assert steps.policy.mode == "off" or steps.scope is FALSE or steps.policy.id in considered


@given(rulebooks(), st.lists(attempts(), min_size=1, max_size=6))
@slow
def test_the_evaluators_agree_in_every_field(text: str, several: list[dict[str, Any]]) -> None:
    assert_evaluators_agree(text, several)


_EACH_SELECTOR = """
caddrel: 1
apps: {shut: {stance: closed}}
policies:
  everywhere: {mode: enforced, people: [role:r], rules: [{then: require mfa within 1h}]}
  of-a-group: {mode: enforced, people: [group:a], apps: [x], rules: [{then: require new password}]}
  others: {mode: enforced, except_people: [group:a, kind:contractor], apps: [label:money], rules: [{then: block}]}
  of-a-unit: {mode: shadow, people: [unit:/deck], except_apps: [x, label:money], rules: [{then: block}]}
  other-apps: {mode: enforced, except_apps: [app:x], operations: [enrol-factor], rules: [{then: require mfa}]}
  asked:
    people: [{where: person.id is ines or person.id is unknown}]
    apps: [shut, y]
    mode: enforced
    rules: [{then: allow}]
"""


def test_what_is_remembered_of_one_person_is_not_taken_for_another() -> None:
    """Everybody in turn, at every app: what an evaluator remembers of some is there when the others come."""
    rulebook = read_rulebook(Source("r", _EACH_SELECTOR)).or_raise()
    known: list[tuple[str, list[Any]]] = [
        ("operation", ["sign-in", "enrol-factor"]), ("app.id", ["x", "y", "shut", None]),
        ("app.labels", [[], ["money"], None]), ("person.groups", [[], ["a"], None]), ("person.roles", [["r"], None]),
        ("person.kind", ["employee", "contractor"]), ("person.unit", ["/deck/aft", None]), ("person.id", ["ines", "o"]),
    ]  # fmt: skip
    everybody = []
    for values in itertools.product(*(each for _, each in known)):
        said = {name: value for (name, _), value in zip(known, values, strict=True) if value is not None}
        everybody.append(complete(read_told_facts(said, rulebook.catalogue)[0], rulebook.catalogue, {}))
    expected = [decide(rulebook, facts) for facts in everybody]
    assert len({(d.outcome, d.reason, d.deciding, d.shadow.together) for d in expected}) == 7
    numbers = range(len(everybody))
    for order in (numbers, reversed(numbers), sorted(numbers, key=lambda n: n * 7919 % len(everybody))):
        compiled = CompiledRulebook(rulebook)
        for n in order:
            assert compiled.decide(everybody[n]) == expected[n]


@given(rulebooks(monotone_conditions), attempts(), attempts())
@slow
def test_what_is_certain_stays_so_whatever_else_is_learned(
    text: str, attempt: dict[str, Any], more: dict[str, Any]
) -> None:
    rulebook = read_rulebook(Source("r", text)).or_raise()
    before = _decided(rulebook, attempt)
    after = _decided(rulebook, {**more, **attempt}).decision
    combination: Combination = before.combination
    mild = combination.mildly().outcome
    assert OUTCOMES.index(mild) <= OUTCOMES.index(before.decision.outcome)
    if before.decision.certain:
        assert after.outcome == before.decision.outcome


@given(st.lists(formulas(), min_size=1, max_size=3), st.data())
@settings(max_examples=200, deadline=None)
def test_the_outstanding_set_is_the_smallest_and_first(needed: list[Formula], data: st.DataObject) -> None:
    items = sorted({item for formula in needed for item in items_of(formula)}, key=item_order)
    met = set(data.draw(st.lists(st.sampled_from(items), max_size=3)))
    candidates = [item for item in items if item not in met][:9]

    def holds(chosen: tuple[Item, ...]) -> bool:
        def counts(item: Item) -> bool:
            return item in met or any(covers(c, item) for c in chosen)

        return all(formula_holds(formula, counts) for formula in needed)

    if not holds(tuple(candidates)):
        return
    by_hand = next(
        chosen
        for size in range(len(candidates) + 1)
        for chosen in itertools.combinations(candidates, size)
        if holds(chosen)
    )
    assert outstanding(needed, candidates, met.__contains__) == (by_hand, True)


@given(rulebooks())
@slow
def test_formatting_keeps_the_meaning_and_twice_changes_nothing(text: str) -> None:
    once = format_rulebook(Source("r", text))
    assert format_rulebook(Source("r", once)) == once
    before, after = read_rulebook(Source("r", text)).or_raise(), read_rulebook(Source("r", once)).or_raise()
    assert after.policies == before.policies
    assert (after.places, after.standards, after.settings) == (before.places, before.standards, before.settings)
    assert all(plain(policy_words(policy, after)) for policy in after.policies.values())
