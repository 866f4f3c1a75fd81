"""Rehearsals: who it is about, the policies in order, two side by side, first devices, what can be chosen."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import pytest
from tests.conftest import Live

from caddrel.client import Refused
from caddrel.core.decide.interpreter.judge import Judge
from caddrel.core.decide.truth import TRUE
from caddrel.core.facts.attempts import read_given_facts
from caddrel.core.facts.facts import Setting
from caddrel.core.inventory.completion import complete
from caddrel.wire.coverage import GridRequest
from caddrel.wire.decisions import RehearseRequest


def _text(pieces: Sequence[object]) -> str:
    return "".join(getattr(piece, "text", "") for piece in pieces)


def test_who_it_is_with_where_each_group_comes_from(kelpline: Live) -> None:
    with kelpline.client("viewer") as viewer:
        person = viewer.rehearse({"person": "ines.faro", "app": "manifest"}).person
        assert person is not None
        assert [(group.title, group.through) for group in person.groups] == [
            ("Captains and mates", []),
            ("Crew", ["Captains and mates", "Deck crew"]),
            ("Deck crew", ["Captains and mates"]),
            ("Everybody at Kelpline", ["Captains and mates", "Deck crew", "Crew"]),
        ]
        assert person.factors == ["password", "authenticator app"]
        [asked] = person.needed
        assert (asked.held, asked.enrolling) == ([["password", "authenticator app"]], [])
        # Whoever has no factor for it is told which to enrol, and whether the policies on enrolment let her.
        lacking = viewer.rehearse({"person": "salka.myhre", "app": "post"}).person
        assert lacking is not None
        [asked] = lacking.needed
        assert asked.held == []
        assert ["authenticator app"] in asked.enrolling
        [enrol] = lacking.enrol
        assert (enrol.possible, enrol.needs_code) == (["allowed"], True)
        assert {"authenticator app", "passkey"} <= set(enrol.factors)
        assert viewer.rehearse({"app": "post"}).person is None
        # Without an app nothing is said of one; a starter code is not enrolled but issued.
        new = viewer.rehearse({"person": "ines.faro", "operation": "enrol-device"})
        assert "".join(piece.text for piece in new.cases.sentence).startswith("Ines Faro may not enrol a device: ")
        assert new.person is not None
        assert [(each.item, each.code) for each in new.person.needed] == [
            ("proof starter", True),
            ("proof strong-key", False),
        ]


def test_the_policies_stand_in_the_order_of_the_sign_in(kelpline: Live) -> None:
    with kelpline.client("viewer") as viewer:
        answer = viewer.rehearse({"person": "ines.faro", "app": "manifest"})
        stages = {stage.stage: [(part.policy, part.rule) for part in stage.parts] for stage in answer.stages}
        assert ("hidden-origins", "hidden") in stages["credentials"]
        assert stages["app"] == [("manifest-on-company-devices", "everyone-else")]
        assert stages["session"] == stages["app"]
        enrol = viewer.rehearse({"person": "ines.faro", "operation": "enrol-device", "enrolling.depth": "managed"})
        assert "enrolment" in {stage.stage for stage in enrol.stages}


def test_two_side_by_side_tell_what_differs(kelpline: Live) -> None:
    who = {"person.id": "ines.faro", "app.id": "manifest"}
    with kelpline.client("viewer") as viewer:

        def beside(**changes: str) -> tuple[bool, set[str], set[str]]:
            other = {name.replace("_", "."): text for name, text in changes.items()}
            found = viewer.rehearsals.beside(RehearseRequest(given=who), RehearseRequest(given={**who, **other}))
            # What differs stands first.
            assert [each.differs for each in found.facts] == sorted((e.differs for e in found.facts), reverse=True)
            facts = {each.fact for each in found.facts if each.differs}
            return found.same, facts, {each.policy for each in found.policies if each.differs}

        assert beside() == (True, set(), set())
        same, facts, policies = beside(person_id="bruno.krog")
        assert (same, "person.groups" in facts, "abroad" in policies) == (False, True, True)
        # The same value, written otherwise, does not differ.
        left = RehearseRequest(given={**who, "device.os_version": "15"})
        right = RehearseRequest(given={**who, "device.os_version": "15.0"})
        assert viewer.rehearsals.beside(left, right).same
        # One rulebook and another.
        with kelpline.client("author") as author:
            begun = author.drafts.begin("open-manifest").info
            author.drafts.put_object("open-manifest", begun.version, "policies.manifest-on-company-devices", None)
            found = viewer.rehearsals.beside(
                RehearseRequest(given=who), RehearseRequest(given=who, draft="open-manifest")
            )
            author.drafts.discard("open-manifest")
        gone = next(each for each in found.policies if each.policy == "manifest-on-company-devices")
        assert (gone.differs, gone.right) == (True, [])
        assert found.left.cases.possible != found.right.cases.possible
        with pytest.raises(Refused) as refused:
            viewer.rehearsals.beside(RehearseRequest(given=who), RehearseRequest(given={"person": "ines.farro"}))
        assert refused.value.problem.errors[0].code == "unknown-person"


ENROLMENT = """
caddrel: 1
settings: {keyholders: [group:keepers]}
apps: {tower: {stance: open}}
proofs:
  key: {any_of: [[hwk]]}
  code: {any_of: [[starter-code]]}
policies:
  factors:
    mode: enforced
    people: [everyone]
    apps: [every-app]
    operations: [enrol-factor]
    rules: [{id: any, then: FACTOR}]
  devices:
    mode: enforced
    people: [everyone]
    apps: [every-app]
    operations: [enrol-device]
    rules: [{id: any, then: DEVICE}]
  in:
    mode: enforced
    people: [everyone]
    apps: [tower]
    rules: [{id: managed, then: require managed device and mfa}]
"""
# What enrolling takes; by step whether it is a dead end and whether it takes a code.
WAYS = [
    ("allow", "require mfa", [(False, False), (False, False), (False, False)]),
    ("require proof code", "require mfa", [(False, True), (False, False), (False, False)]),
    # Nobody has a key before the first factor, and the factor is none.
    ("require proof key", "require proof key", [(True, False), (True, False), (False, False)]),
    # Nothing can be enrolled from a device that is none yet.
    ("require managed device", "allow", [(True, False), (False, False), (False, False)]),
    ("block", "block", [(True, False), (True, False), (False, False)]),
]


@pytest.mark.parametrize(("factor", "device", "expected"), WAYS)
def test_the_steps_to_a_first_device_mark_codes_and_dead_ends(
    guarded: Callable[[str], Live], factor: str, device: str, expected: list[tuple[bool, bool]]
) -> None:
    live = guarded(ENROLMENT.replace("FACTOR", factor).replace("DEVICE", device))
    with live.client() as operator:
        found = operator.rehearsals.first_device({"app": "tower", "device.platform": "android"})
        assert [step.step for step in found.steps] == ["enrol-factor", "enrol-device", "sign-in"]
        assert [(step.dead_end, step.needs_code) for step in found.steps] == expected
        dead = [step.title for step in found.steps if step.dead_end]
        assert ("dead end" in _text(found.sentence)) is bool(dead)
        for step in found.steps:
            # Each opens as a rehearsal that says the same.
            again = operator.rehearse(step.given)
            assert again.cases.possible == step.possible
            assert bool(step.why) is step.dead_end
        noted = operator.rehearsals.first_device({"app": "tower", "enrolling.depth": "noted"})
        assert noted.steps[-1].dead_end
        with pytest.raises(Refused) as refused:
            operator.rehearsals.first_device({"app": "tower", "enrolling.factor": "banana"})
        assert refused.value.problem.errors[0].path == "enrolling.factor"


def test_what_can_be_chosen_for_a_fact_is_so(kelpline: Live) -> None:
    rulebook, inventory = kelpline.data.rulebooks.need_current().rulebook, kelpline.data.inventories.current()
    with kelpline.client("viewer") as viewer:
        found = viewer.rehearsals.choices()
    assert {place.id for place in found.places} == set(rulebook.places)
    for place in found.places:
        given = read_given_facts(place.given, rulebook.catalogue)
        facts = complete(given, rulebook.catalogue, {}, inventory, Setting.REHEARSAL, None, kelpline.data.addresses)
        assert Judge(rulebook, facts).place(place.id).truth is TRUE
    choices = {fact.name: [choice.id for choice in fact.choices] for fact in found.items if fact.choices}
    assert choices["signals"] == list(rulebook.signals)
    assert choices["auth.notices"] == list(rulebook.notices)
    for each in choices["auth.methods"]:
        assert read_given_facts({"auth.methods": each}, rulebook.catalogue)
    assert found.zones == list(dict.fromkeys(str(schedule.zone) for schedule in rulebook.schedules.values()))


def test_the_devices_of_a_person_are_listed(kelpline: Live) -> None:
    inventory = kelpline.data.inventories.current()
    with kelpline.client("viewer") as viewer:
        own = viewer.devices.list(person="ines.faro").items
        assert [each.id for each in own] == sorted(device.id for device in inventory.devices_of("ines.faro"))
        assert own
        assert viewer.devices.list(person="ines.faro", search="no such").items == []
        assert viewer.devices.list(person="nobody").items == []


def test_now_is_this_moment(kelpline: Live) -> None:
    with kelpline.client("viewer") as viewer:
        given = {"person": "ines.faro", "app": "farebox", "time.at": "Now"}
        at = viewer.rehearse(given).trace.facts["time.at"].value
        assert at == "2026-11-23T09:00:00Z"
        grid = viewer.coverage.grid(GridRequest({"time.at": "now"}))
        assert "2026-11-23" in grid.given["time.at"]
        with pytest.raises(Refused) as refused:
            viewer.rehearse({**given, "time.at": "soon"})
        assert refused.value.problem.errors[0].path == "time.at"


def test_a_moment_left_out_is_any_and_what_comes_of_it_now_stands_beside(kelpline: Live) -> None:
    counter = {"person": "aron.hauge", "app": "farebox"}
    with kelpline.client("viewer") as viewer:
        cases = viewer.rehearse(counter).cases
        assert "time.at" in cases.matters
        assert cases.now is not None
        assert cases.now.at == "2026-11-23T09:00:00Z"
        given = viewer.rehearse({**counter, "time.at": cases.now.at}).cases
        assert (cases.now.possible, cases.now.exact) == (given.possible, given.exact)
        assert _text(cases.now.sentence) == _text(given.sentence)
        closed = "2026-11-22T01:00:00Z"
        assert set(cases.possible) >= {*given.possible, *viewer.rehearse({**counter, "time.at": closed}).cases.possible}
        # Where it does not turn on the moment, and where one was given, there is nothing to add.
        assert given.now is None
        elsewhere = viewer.rehearse({"person": "ines.faro", "app": "berthplan"}).cases
        assert "time.at" not in elsewhere.matters
        assert elsewhere.now is None
        # An age goes with the moment: one that no listed device has just now is one at some other.
        aged = viewer.rehearse({**counter, "device.listed": "yes", "device.state_age": "1s"}).cases
        assert aged.now is not None
        assert (aged.now.possible, len(aged.possible)) == ([], 2)
