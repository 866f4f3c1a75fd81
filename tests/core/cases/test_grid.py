"""The coverage grid against all cases of each person and app by themselves."""

from __future__ import annotations

import random
from collections.abc import Iterator
from typing import Any

import pytest
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st
from tests.core.cases.test_answer import some_inventory, understood
from tests.strategies import attempts, rulebooks

from caddrel.core.cases.answer import all_cases
from caddrel.core.cases.grid import Audience, Grid, apps_of, audiences, grid
from caddrel.core.cases.ownership import ContradictoryFacts
from caddrel.core.decide.interpreter.interpreter import decide
from caddrel.core.decide.interpreter.judge import Judge
from caddrel.core.decide.truth import TRUE
from caddrel.core.facts.facts import Facts, Setting
from caddrel.core.inventory.completion import complete
from caddrel.core.inventory.index import Inventory
from caddrel.core.inventory.reader import read_inventory
from caddrel.core.logs.filters import read_filter
from caddrel.core.rulebook.model import OUTCOMES, Rulebook
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source

slow = settings(max_examples=25, suppress_health_check=list(HealthCheck), deadline=None, phases=[Phase.generate])
_OF_OBJECTS = ("person.", "app.")


def _without_devices(inventory: Inventory) -> Inventory:
    people, groups, apps = inventory.people.values(), inventory.groups.values(), inventory.apps.values()
    return Inventory(people, groups, (), apps, inventory.lists.values())


def _in(rulebook: Rulebook, facts: Facts, audience: Audience) -> bool:
    condition = audience.condition()
    return condition is None or Judge(rulebook, facts).judge(condition).truth is TRUE


def _by_themselves(
    rulebook: Rulebook, told: dict[str, Any], inventory: Inventory, audience: Audience, app: str
) -> set[str] | None:
    """Return what is possible for anybody of an audience, person by person; None where not all cases were found."""
    found: set[str] = set()
    for person in inventory.people:
        said = {**told, "person.id": person, "app.id": app}
        facts = complete(said, rulebook.catalogue, rulebook.settings.assume, inventory)
        if not _in(rulebook, facts, audience):
            continue
        try:
            answer = all_cases(rulebook, facts, inventory)
        except ContradictoryFacts:
            continue
        if not answer.exact:
            return None
        found |= set(answer.possible)
    return found


@given(rulebooks(), attempts(), st.integers(0, 1 << 30))
@slow
def test_a_cell_is_what_each_of_its_people_can_meet(text: str, attempt: dict[str, Any], seed: int) -> None:
    rng = random.Random(seed)
    inventory = _without_devices(some_inventory(rng))
    rulebook = read_rulebook(Source("r", text)).or_raise()
    told = {n: v for n, v in understood(rulebook, attempt).items() if not n.startswith(_OF_OBJECTS)}
    given_ = complete(told, rulebook.catalogue, rulebook.settings.assume, inventory)
    try:
        found = grid(rulebook, given_, inventory)
    except ContradictoryFacts:
        return
    rows = list(found.audiences)
    for audience in (rows[0], *rng.sample(rows[1:], min(2, len(rows) - 1))):
        # A kind of which the inventory says nothing may be any: nobody is surely in it.
        if audience.kind == "kind" and any("person.kind" not in p.facts for p in inventory.people.values()):
            continue
        for app in rng.sample(list(found.apps), min(2, len(found.apps))):
            expected = _by_themselves(rulebook, told, inventory, audience, app)
            cell = found.cell(audience, app)
            if expected is not None and found.exact:
                assert set(cell.possible) == expected, (audience, app)
            assert list(cell.possible) == [each for each in OUTCOMES if each in cell.possible]
            assert set(cell.by_stance) | set(cell.by_rules) == set(cell.possible)
            _cases_are_so(rulebook, found, audience, app)


def _cases_are_so(rulebook: Rulebook, found: Grid, audience: Audience, app: str) -> None:
    for case in found.cases(audience, app):
        assert decide(rulebook, case.facts) == case.decision
        assert case.facts.values["app.id"] == app
        assert _in(rulebook, case.facts, audience)
        assert set(case.decision.deciding) <= set(case.deciding)


CONTEXTS: dict[str, dict[str, Any]] = {
    "device.managed": {"device.managed": True},
    "not device.encrypted": {"device.encrypted": False},
    "risk.attempt is high": {"risk.attempt": "high"},
    "device.owner is unlisted": {"device.owner": "unlisted"},
}


@pytest.mark.parametrize("where", CONTEXTS)
@given(text=rulebooks(), seed=st.integers(0, 1 << 30))
@settings(max_examples=8, suppress_health_check=list(HealthCheck), deadline=None, phases=[Phase.generate])
def test_a_condition_on_every_sign_in_is_as_if_it_were_given(where: str, text: str, seed: int) -> None:
    inventory = _without_devices(some_inventory(random.Random(seed)))
    rulebook = read_rulebook(Source("r", text)).or_raise()
    # What is assumed is not open, so nothing can be asked of it beside.
    if set(CONTEXTS[where]) & set(rulebook.settings.assume):
        return

    def made(told: dict[str, Any], asked: str) -> Grid:
        facts = complete(told, rulebook.catalogue, rulebook.settings.assume, inventory)
        return grid(rulebook, facts, inventory, read_filter(asked, rulebook) if asked else None)

    conditioned, given_ = made({}, where), made(CONTEXTS[where], "")
    for audience in conditioned.audiences:
        for app in conditioned.apps:
            assert conditioned.cell(audience, app).possible == given_.cell(audience, app).possible, (audience, app)


RULEBOOK = """
caddrel: 1
settings: {keyholders: [group:keys], assume: {person.risk: none}}
apps: {vault: {stance: closed}}
policies:
  crew: {mode: enforced, people: [group:crew], apps: [post], rules: [{id: aboard, then: require mfa}]}
  contractors: {mode: enforced, people: [kind:contractor], apps: [post], rules: [{id: no, then: block}]}
  keys: {mode: enforced, people: [role:keeper], apps: [vault], rules: [{id: yes, then: allow}]}
  risky: {mode: enforced, rules: [{id: risk, when: person.risk is high, then: block}]}
"""
PEOPLE = [
    {"id": "ada", "kind": "employee", "roles": ["keeper"], "groups": ["keys"], "factors": ["password"]},
    {"id": "bo", "kind": "contractor", "factors": ["password"]},
    {"id": "cy", "kind": "employee", "groups": ["mates"], "factors": ["password", "authenticator-app"], "risk": "high"},
    {"id": "dee", "kind": "employee", "groups": ["mates"], "factors": ["password", "authenticator-app"]},
]
GROUPS = [{"id": "keys"}, {"id": "crew"}, {"id": "mates", "member_of": ["crew"]}]


def _company() -> Inventory:
    found, problems = read_inventory({"people": PEOPLE, "groups": GROUPS, "apps": [{"id": "post"}, {"id": "vault"}]})
    assert not problems
    return found


def _cells(rulebook: Rulebook, inventory: Inventory | None, **told: Any) -> Iterator[tuple[str, str, tuple[str, ...]]]:
    said = {"auth.methods": {"pwd": 0.0}, **told}
    facts = complete(said, rulebook.catalogue, rulebook.settings.assume, inventory, Setting.REHEARSAL)
    found = grid(rulebook, facts, inventory)
    for audience in found.audiences:
        for app in found.apps:
            yield audience.text, app, found.cell(audience, app).possible


def test_what_an_audience_can_meet_is_seen_at_once() -> None:
    rulebook = read_rulebook(Source("r", RULEBOOK)).or_raise()
    assert [each.text for each in audiences(rulebook)] == [
        "everyone", "kind:contractor", "group:crew", "group:keys", "role:keeper",
    ]  # fmt: skip
    # What is assumed of an account's risk does not leave out the one of whom it is known to be high.
    assert list(_cells(rulebook, _company())) == [
        ("everyone", "post", ("allowed", "challenged", "blocked")),
        ("everyone", "vault", ("allowed", "blocked")),
        ("kind:contractor", "post", ("blocked",)),
        ("kind:contractor", "vault", ("blocked",)),
        ("group:crew", "post", ("challenged", "blocked")),
        ("group:crew", "vault", ("blocked",)),
        ("group:keys", "post", ("allowed",)),
        ("group:keys", "vault", ("allowed",)),
        ("role:keeper", "post", ("allowed",)),
        ("role:keeper", "vault", ("allowed",)),
    ]
    # Without an inventory an audience is anybody who could be in it.
    found = {(row, app): possible for row, app, possible in _cells(rulebook, None)}
    assert apps_of(rulebook, None) == ["vault"]
    assert found["group:keys", "vault"] == ("allowed", "blocked")


def test_nobody_meets_anything() -> None:
    rulebook = read_rulebook(Source("r", RULEBOOK)).or_raise()
    empty = Inventory(people=[p for p in _company().people.values() if p.id == "bo"], apps=_company().apps.values())
    found = {(row, app): possible for row, app, possible in _cells(rulebook, empty)}
    assert found["role:keeper", "vault"] == ()
