"""What a change is said not to touch comes to the same as before, whatever the rulebooks, attempts and inventories."""

from __future__ import annotations

import json
from datetime import UTC, datetime
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from tests.strategies import SPECS, attempts, reported, rulebooks

from caddrel.core.decide.interpreter.interpreter import decide
from caddrel.core.facts.attempts import read_told_facts
from caddrel.core.facts.facts import Setting
from caddrel.core.inventory.completion import complete
from caddrel.core.inventory.index import NOUNS, Inventory
from caddrel.core.inventory.reader import FIELDS, read_inventory
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source
from caddrel.service.streams.touched import Touched, touched_by, touched_by_objects

NOW = datetime(2026, 10, 26, 9, tzinfo=UTC)
IDS = {"people": ["a", "b"], "groups": ["a", "b", "one"], "devices": ["a", "gate"], "apps": ["a", "gate"]}
SERIALS = ["s-1", "s-2"]
slow = settings(
    max_examples=100, suppress_health_check=[HealthCheck.too_slow, HealthCheck.filter_too_much], deadline=None
)


def _read(document: dict[str, Any]) -> Rulebook:
    return read_rulebook(Source("r", json.dumps(document))).or_raise()


def _decided(rulebook: Rulebook, attempt: dict[str, Any], inventory: Inventory) -> Any:
    told, strange = read_told_facts(attempt, rulebook.catalogue)
    facts = complete(
        told, rulebook.catalogue, rulebook.settings.assume, inventory, Setting.LIVE, NOW, None, strange
    )  # fmt: skip
    made = decide(rulebook, facts)
    # What a session hangs on; what policies in shadow would say is told of sign-ins alone.
    return made.outcome, made.reason, made.outstanding, made.keep, made.tell, made.deciding


def _concerns(touched: Touched, attempt: dict[str, Any]) -> bool:
    """Tell whether a session that came of an attempt is among those that a change touches, as they are looked up."""
    if touched.apps is None:
        return True
    unlisted = attempt.get("device.id") is None and "device.serial" in attempt
    return (
        attempt.get("app.id") in touched.apps
        or attempt.get("person.id") in touched.people
        or attempt.get("device.id") in touched.devices
        or (bool(touched.devices) and unlisted)
    )


@st.composite
def _attempts(draw: st.DrawFn) -> dict[str, Any]:
    """Draw an attempt that is of what the inventories have, however it is spelt, or of what they have not."""
    found = draw(attempts())
    if draw(st.booleans()):
        # Else what is reported of people stands in the place of what is known of them.
        found = {name: value for name, value in found.items() if not name.startswith("person.")}
    for fact, noun in (("person.id", "people"), ("app.id", "apps"), ("device.id", "devices")):
        found[fact] = draw(st.sampled_from([*IDS[noun], IDS[noun][0].upper(), "zz"]))
    if draw(st.booleans()):
        del found["device.id"]
        found["device.serial"] = draw(st.sampled_from(SERIALS))
    return found


@st.composite
def _revisions(draw: st.DrawFn) -> tuple[dict[str, Any], dict[str, Any]]:
    """Draw two rulebooks, of which some policies and sometimes a section are other."""
    before, other = json.loads(draw(rulebooks())), json.loads(draw(rulebooks()))
    after = {**before, "policies": dict(before["policies"])}
    for id in draw(st.lists(st.sampled_from(sorted({*before["policies"], *other["policies"]})), max_size=2)):
        new = draw(st.sampled_from([other["policies"].get(id), other["policies"].get("p0"), None]))
        if new is None:
            after["policies"].pop(id, None)
        else:
            after["policies"][id] = new
        for each in (before, after):
            # Mostly of few apps, as it is only then that anything is left out.
            if id in each["policies"] and draw(st.integers(0, 4)):
                apps = draw(st.sampled_from([["a"], ["app:gate"], ["gate", "a"], ["b"]]))
                each["policies"][id] = {**each["policies"][id], "apps": apps}
    if not draw(st.integers(0, 4)):
        section = draw(st.sampled_from(["settings", "standards", "apps"]))
        after[section] = other[section]
    return before, after


def test_what_another_rulebook_does_not_touch_is_decided_alike() -> None:
    left_out = 0

    @given(_revisions(), st.lists(_attempts(), min_size=1, max_size=4))
    @slow
    def holds(pair: tuple[dict[str, Any], dict[str, Any]], asked: list[dict[str, Any]]) -> None:
        nonlocal left_out
        before, after = map(_read, pair)
        touched = touched_by(before, after)
        for attempt in asked:
            if not _concerns(touched, attempt):
                left_out += 1
                assert _decided(before, attempt, Inventory()) == _decided(after, attempt, Inventory())

    holds()
    assert left_out > 10


@st.composite
def _objects(draw: st.DrawFn) -> dict[str, list[dict[str, Any]]]:
    found: dict[str, list[dict[str, Any]]] = {}
    for noun in ("people", "devices", "apps"):
        found[noun] = []
        for id in draw(st.lists(st.sampled_from(IDS[noun]), unique=True)):
            fields = draw(st.lists(st.sampled_from(sorted(FIELDS[noun])), unique=True, max_size=5))
            made: dict[str, Any] = {"id": id, **{key: draw(reported(SPECS[FIELDS[noun][key]])) for key in fields}}
            made.pop("groups", None)
            if noun == "people":
                held: list[Any] = draw(st.lists(st.sampled_from(IDS["groups"]), unique=True))
                made["groups"] = [
                    {"id": each, "until": "2026-10-26T10:00:00Z"} if draw(st.booleans()) else each for each in held
                ]
            if noun == "devices":
                made["serial"] = draw(st.sampled_from(SERIALS)) + ("" if id == "a" else "x")
            found[noun].append(made)
    found["groups"] = [
        {"id": id, "member_of": [each for each in IDS["groups"] if each < id and draw(st.booleans())]}
        for id in draw(st.lists(st.sampled_from(IDS["groups"]), unique=True))
    ]
    found["lists"] = [{"id": "listed", "networks": draw(st.sampled_from([["192.0.2.7"], ["198.51.100.0/24"]]))}]
    return found


_NOUN = st.sampled_from([*NOUNS, "groups", "groups"])


def test_what_another_inventory_does_not_touch_is_decided_alike() -> None:
    left_out = 0

    @given(rulebooks(), _objects(), _objects(), _NOUN, st.lists(_attempts(), min_size=1, max_size=4))
    @slow
    def holds(text: str, one: Any, other: Any, noun: str, asked: list[dict[str, Any]]) -> None:
        nonlocal left_out
        rulebook = read_rulebook(Source("r", text)).or_raise()
        documents = one, {**one, noun: other[noun]}
        (before, _), (after, _) = map(read_inventory, documents)
        each = [{entry["id"]: entry for entry in document[noun]} for document in documents]
        ids = [id for id in each[0].keys() | each[1].keys() if each[0].get(id) != each[1].get(id)]
        touched = touched_by_objects({noun: ids}, rulebook)
        for attempt in asked:
            if not _concerns(touched, attempt):
                left_out += 1
                assert _decided(rulebook, attempt, before) == _decided(rulebook, attempt, after)

    holds()
    assert left_out > 10


# What hangs on what, case by case: chance hardly ever draws such a chain whole.
_ASKED = {"person.id": "a", "app.id": "gate", "device.serial": "s-1", "network.ip": "192.0.2.7"}
_BLOCKED: dict[str, Any] = {"mode": "enforced", "rules": [{"then": "block"}]}
_PARTS: dict[str, Any] = {
    "caddrel": 1,
    "settings": {"stance": "open"},
    "places": {"bad": {"lists": ["listed"]}, "here": {"networks": ["192.0.2.0/24"]}},
    "standards": {"ours": {"checks": {"one": {"must": "device.owner is company", "fix": "Take one of ours."}}}},
    "schedules": {"shore": {"zone": "Atlantic/Reykjavik", "hours": {"mon-fri": ["07:00-19:00"]}}},
}
_OTHER_STANDARD = {"ours": {"checks": {"one": {"must": "device.owner is personal", "fix": "Take your own."}}}}
_CREW = {"people": [{"id": "a", "groups": ["one"]}], "groups": [{"id": "one"}, {"id": "b"}]}


@pytest.mark.parametrize(
    ("scope", "when", "noun", "before", "after"),
    [
        ({"people": ["group:b"]}, None, "groups", [{"id": "one"}, {"id": "b"}], [{"id": "one", "member_of": ["b"]}]),
        ({"people": ["group:b"]}, None, "people", [{"id": "a"}], [{"id": "a", "groups": ["b"]}]),
        ({"people": ["role:mate"]}, None, "people", [{"id": "a"}], [{"id": "a", "roles": ["mate"]}]),
        ({"apps": ["label:open"]}, None, "apps", [{"id": "gate"}], [{"id": "gate", "labels": ["open"]}]),
        ({}, "from bad", "lists", [{"id": "listed", "networks": []}], [{"id": "listed", "networks": ["192.0.2.7"]}]),
        ({}, "device.owner is company", "devices", [], [{"id": "gate", "serial": "s-1", "owner": "company"}]),
        ({}, "device passes ours", "devices", [{"id": "gate", "serial": "s-1", "owner": "company"}], []),
    ],
)
def test_what_an_object_of_the_inventory_decides_is_among_what_it_touches(
    scope: dict[str, Any], when: str | None, noun: str, before: list[dict[str, Any]], after: list[dict[str, Any]]
) -> None:
    rule = {"then": "block", **({"when": when} if when else {})}
    rulebook = _read({**_PARTS, "policies": {"p": {"mode": "enforced", **scope, "rules": [rule]}}})
    one, two = (read_inventory({**_CREW, noun: each})[0] for each in (before, after))
    assert _decided(rulebook, _ASKED, one) != _decided(rulebook, _ASKED, two), "the case tells nothing"
    ids = {each["id"] for each in [*before, *after] if each not in before or each not in after}
    assert _concerns(touched_by_objects({noun: ids}, rulebook), _ASKED)


@pytest.mark.parametrize(
    ("when", "section", "other"),
    [
        (None, "policies", {}),
        (None, "policies", {"p": {**_BLOCKED, "mode": "off"}}),
        (None, "policies", {"p": {**_BLOCKED, "apps": ["library"]}}),
        (None, "policies", {"p": {**_BLOCKED, "apps": ["every-app"], "except_apps": ["gate"]}}),
        ("from here", "places", {**_PARTS["places"], "here": {"networks": ["198.51.100.0/24"]}}),
        ("device passes ours", "standards", _OTHER_STANDARD),
        ("during shore", "schedules", {"shore": {"zone": "Atlantic/Reykjavik", "hours": {"sun": ["07:00-19:00"]}}}),
        ("risk.attempt is high", "settings", {"stance": "open", "assume": {"risk.attempt": "none"}}),
        ("device.owner is personal", "settings", {"stance": "closed"}),
        (None, "apps", {"gate": {"stance": "closed"}}),
    ],
)  # fmt: skip
def test_what_a_rulebook_decides_is_among_what_another_touches(when: str | None, section: str, other: Any) -> None:
    rule = {"then": "block", **({"when": when} if when else {})}
    policies = {} if section == "apps" else {"p": {"mode": "enforced", "apps": ["every-app"], "rules": [rule]}}
    before = {**_PARTS, "policies": policies}
    one, two = _read(before), _read({**before, section: other})
    asked, (there, _) = {**_ASKED, "device.owner": "company"}, read_inventory({**_CREW, "apps": [{"id": "gate"}]})
    assert _decided(one, asked, there) != _decided(two, asked, there), "the case tells nothing"
    assert _concerns(touched_by(one, two), asked)
    assert _concerns(touched_by(two, one), asked)
