"""What given facts settle in every case: of no case is anything else said, and nothing comes of what is left out."""

from __future__ import annotations

import json
import random
from collections.abc import Iterator
from typing import Any

import pytest
from hypothesis import given, reject, settings
from hypothesis import strategies as st
from tests.core.cases.test_answer import _any_case, _read, slow, some_inventory, understood
from tests.strategies import attempts, rulebooks

from caddrel.core.cases.answer import all_cases
from caddrel.core.cases.diagrams import FALSE, TRUE, Diagrams, TooLong
from caddrel.core.cases.encoding import RESULTS, Encoder, tellings
from caddrel.core.cases.grid import Audience, grid
from caddrel.core.cases.ownership import ContradictoryFacts
from caddrel.core.cases.reads import reads
from caddrel.core.cases.settled_tests import SettledTests
from caddrel.core.cases.space import Space
from caddrel.core.decide.interpreter.judge import Judge
from caddrel.core.decide.truth import TRUE as SURELY
from caddrel.core.facts.facts import Facts
from caddrel.core.facts.types import PartlyKnown
from caddrel.core.inventory.completion import complete
from caddrel.core.inventory.index import Inventory
from caddrel.core.language.nodes import Condition
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source


def _encoder(rulebook: Rulebook, facts: Facts, inventory: Inventory | None = None) -> Encoder:
    d, read = Diagrams(RESULTS, lambda: False), reads(rulebook)
    mine = facts.changed(dict(facts.values), dict(facts.origins), facts.coordinates)
    try:
        space = Space(rulebook, mine, inventory, read, d, None)
    except ContradictoryFacts:
        reject()
    encoder = Encoder(rulebook, space, read, d)
    space.narrow(tellings(rulebook, read, encoder))
    return encoder


def _in_scope(rulebook: Rulebook, facts: Facts, id: str) -> bool:
    judge, scope = Judge(rulebook, facts), rulebook.policies[id].scope
    sides = ((scope.people, scope.except_people), (scope.apps, scope.except_apps))
    return facts.values["operation"] in scope.operations and all(
        any(judge.selected(each).truth is SURELY for each in chosen)
        and not any(judge.selected(each).truth is SURELY for each in but)
        for chosen, but in sides
    )


@slow
@given(rulebooks(), st.data())
def test_a_policy_that_is_left_out_is_in_scope_in_no_case(text: str, data: st.DataObject) -> None:
    rulebook, facts = _read(text, data.draw(attempts()))
    rng = random.Random(data.draw(st.integers(0, 1000)))
    encoder = _encoder(rulebook, facts)
    settled = SettledTests(rulebook.catalogue, encoder.space.constants())
    left_out = [each for each in rulebook.policies.values() if settled.never(each.scope)]
    try:
        for policy in left_out:
            assert encoder._policy(policy)[:2] == ([], FALSE)
    except TooLong:
        return
    open_ = all_cases(rulebook, facts).facts
    for _ in range(20):
        case = _any_case(rulebook, facts, open_, rng)
        case.values.setdefault("operation", "sign-in")
        assert not [each.id for each in left_out if _in_scope(rulebook, case, each.id)]


def _conditions(rulebook: Rulebook) -> Iterator[Condition]:
    for policy in rulebook.policies.values():
        if policy.mode == "enforced":
            scope = policy.scope
            yield from (each.condition for each in (*scope.people, *scope.except_people, *scope.apps))
            yield from (each.condition for each in scope.except_apps)
            yield from (rule.when for rule in policy.rules if rule.when is not None)


@settings(slow, max_examples=60)
@given(rulebooks(), attempts(), st.integers(0, 1 << 30))
def test_what_is_settled_is_what_the_encoder_says(text: str, attempt: dict[str, Any], seed: int) -> None:
    inventory = some_inventory(random.Random(seed))
    rulebook = read_rulebook(Source("r", text)).or_raise()
    told = {**understood(rulebook, attempt), "person.id": next(iter(inventory.people))}
    facts = complete(told, rulebook.catalogue, rulebook.settings.assume, inventory)
    encoder = _encoder(rulebook, facts, inventory)
    settled = SettledTests(rulebook.catalogue, encoder.space.constants())
    for condition in _conditions(rulebook):
        truth = settled.truth(condition)
        try:
            assert truth is None or encoder.condition(condition) == (TRUE if truth else FALSE)
        except TooLong:
            return


@slow
@given(rulebooks(), st.data())
def test_rules_decide_where_one_of_them_does(text: str, data: st.DataObject) -> None:
    rulebook, facts = _read(text, data.draw(attempts()))
    encoder = _encoder(rulebook, facts)
    try:
        encoded = encoder.encode()
        assert encoded.decides == encoder.diagrams.any(where for _, _, where in encoded.deciding())
    except TooLong:
        return


@slow
@given(rulebooks(), attempts(), st.integers(0, 1 << 30))
def test_leaving_policies_out_changes_nothing_of_one_person(text: str, attempt: dict[str, Any], seed: int) -> None:
    inventory = some_inventory(random.Random(seed))
    rulebook = read_rulebook(Source("r", text)).or_raise()
    person = next(iter(inventory.people.values()))
    alone = Inventory([person], inventory.groups.values(), (), inventory.apps.values(), inventory.lists.values())
    told = {n: v for n, v in understood(rulebook, attempt).items() if not n.startswith(("person.", "app."))}
    facts = complete(told, rulebook.catalogue, rulebook.settings.assume, alone)
    named = complete({**told, "person.id": person.id}, rulebook.catalogue, rulebook.settings.assume, alone)

    def found() -> list[object]:
        try:
            whole = grid(rulebook, facts, alone, only=[Audience("everyone")])
            cells: list[object] = [whole.cell(Audience("everyone"), app) for app in whole.apps]
            answer = all_cases(rulebook, named, alone)
        except (ContradictoryFacts, TooLong) as refused:
            return [type(refused)]
        return [*cells, answer.possible, answer.matters, answer.facts]

    some = found()
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(Space, "constants", lambda _: {})
        assert found() == some


def test_a_group_that_somebody_may_have_left_settles_nothing() -> None:
    policy = {"mode": "enforced", "people": ["group:deck"], "rules": [{"then": "block"}]}
    rulebook = read_rulebook(Source("r", json.dumps({"caddrel": 1, "policies": {"p": policy}}))).or_raise()
    for groups, never in ((PartlyKnown({"crew"}, frozenset({"deck"})), False), (frozenset({"crew"}), True)):
        settled = SettledTests(rulebook.catalogue, {"person.groups": groups, "operation": "sign-in"})
        assert settled.never(rulebook.policies["p"].scope) is never
