"""A door's attempts completed group by group come to what completing each as a whole comes to, whatever was before."""

from __future__ import annotations

import json
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from functools import partial
from itertools import permutations
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from caddrel.core.columnar import live_completion
from caddrel.core.columnar.fact_groups import join, split
from caddrel.core.columnar.live_completion import LiveCompleter
from caddrel.core.facts.attempts import AttemptRefused, read_told_facts
from caddrel.core.facts.claims import REPORTED, believed
from caddrel.core.facts.facts import AddressRecord, Facts, Origin, Setting
from caddrel.core.facts.record import facts_json
from caddrel.core.facts.types import Address
from caddrel.core.inventory.completion import complete
from caddrel.core.inventory.index import Inventory
from caddrel.core.inventory.reader import read_inventory
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source
from caddrel.core.signals.evaluate import add_signals, noticing
from caddrel.core.signals.history import History, past_of

_SIGNALS = """
signals:
  far: {title: Far, kind: far-away, km: 100, history: 5}
  fresh: {title: Fresh, kind: first-seen, of: device.id, after: 1, history: 5}
  tried: {title: Tried, kind: failed-attempts, within: 1h, history: 5, at_least: 2}
"""
_PLACES = "places: {yard: {title: Yard, lists: [yard]}}\n"
RULEBOOKS = [
    read_rulebook([Source("r.yaml", text)]).or_raise()
    for text in (
        f"caddrel: 1\n{_PLACES}{_SIGNALS}",
        """
caddrel: 1
settings:
  assume: {device.state_age: 30d, auth.age: 8h, risk.attempt: none, device.managed: no, person.attributes.level: low}
attributes: {person.attributes.level: level, device.attributes.dock: name}
""",
        f"caddrel: 1\nsettings: {{assume: {{auth.methods: [pwd], network.country: NO}}}}\n{_SIGNALS}",
    )
]
LISTS = [["yard"], [], []]
START = datetime(2026, 11, 20, 8, tzinfo=UTC)
ENDING = {"id": "g", "until": "2026-11-20T09:00:00Z"}


def _inventory(document: dict[str, Any]) -> Inventory:
    found, problems = read_inventory(document, stored=True)
    assert not problems
    return found


FIRST = _inventory(
    {
        "people": [
            {"id": "a", "kind": "employee", "groups": ["g"], "attributes": {"level": "high"}},
            {"id": "b", "kind": "guest", "factors": ["password"], "attributes": {"level": "odd"}},
            {"id": "c", "groups": ["q", ENDING, {"id": "z", "until": "2026-11-20T11:00:00+01:00"}]},
        ],
        "groups": [{"id": "g", "member_of": ["h"]}, {"id": "h"}],
        "devices": [
            {"id": "d1", "serial": "s1", "owner": "company", "managed": True, "attributes": {"dock": "west"},
             "state_at": "2026-11-20T08:30:00Z", "listed_at": "2026-11-05T00:00:00Z"},
            {"id": "d2", "owner": "personal", "serial": "s2"},
        ],
        "apps": [{"id": "x", "title": "The X", "labels": ["money"]}],
        "lists": [{"id": "yard", "networks": ["192.0.2.0/24"]}],
    }
)  # fmt: skip
# What may become of it, each laid over what was before: entries, groups within groups, a serial that moves.
CHANGES: list[tuple[dict[str, Any], dict[str, list[str]]]] = [
    ({"people": [{"id": "a", "kind": "contractor"}]}, {}), ({"people": [{"id": "c", "groups": ["h"]}]}, {}),
    ({}, {"people": ["b"]}), ({"people": [{"id": "nobody", "groups": ["g"]}]}, {}),
    ({"groups": [{"id": "g", "member_of": ["k"]}]}, {}), ({}, {"groups": ["g"]}),
    ({"devices": [{"id": "d2", "serial": "s1", "managed": False}]}, {}), ({}, {"devices": ["d1"]}),
    ({"devices": [{"id": "unlisted", "owner": "company"}]}, {}),
    ({"apps": [{"id": "y", "title": "Y"}]}, {}), ({"apps": [{"id": "x", "title": "Z"}]}, {}),
    ({"lists": [{"id": "yard", "networks": ["198.51.100.0/24"]}]}, {}), ({}, {"lists": ["yard"]}),
]  # fmt: skip


def _known(address: Address) -> AddressRecord:
    if str(address) == "192.0.2.1":
        return AddressRecord({"network.country": "NO", "network.asn": 64500}, (60.4, 5.3))
    if str(address) == "198.51.100.1":
        return AddressRecord({}, None, {"network.country": "Atlantis"})
    return AddressRecord()


# Values that equal others of the same fact and are read or written otherwise stand beside one another; and wrong ones.
_CLAIMS: dict[str, list[Any]] = {
    "person.id": ["a", "b", "c", "nobody", "A", "", 5], "app.id": ["x", "y", "X"], "operation": ["sign-in", "row"],
    "device.id": ["d1", "d2", "unlisted", "", None], "device.serial": ["s1", "s2", "s3", ""],
    "network.ip": ["192.0.2.1", "2001:db8::1", "198.51.100.1", "there"], "network.country": ["is", "NO", "Atlantis"],
    "network.asn": [1, 1.0, True], "network.lists": [["yard"]],
    "auth.methods": [["pwd", "otp"], ["otp", "pwd"], {"pwd": 5, "otp": None}, {"otp": 4.0, "pwd": 4}, {"PWD": 60},
                     {"pwd": None}, {"pwd": 1, "PWD": 1}, {"pwd": 1, "PWD": 2}, {"pwd": True}, {"": 4}, {}, [],
                     {"pwd": -1}, {"odd": 3}, {"pwd": "15m"}, {"pwd": "soon"}, "pwd", "", None, 5],
    "auth.age": [4, "4h", 4.0, 4.5, True, "soon", [1], None], "auth.notices": [["terms"]], "client.name": ["Seabird"],
    "risk.attempt": ["low", "LOW", "much"], "auth.credentials": ["right", "wrong", "odd"], "flow": ["device-code"],
    "client.kind": ["browser", "LEGACY"],
}  # fmt: skip
# What only some doors may report, and what none may.
_MORE: dict[str, list[Any]] = {
    "person.groups": [["g"], []], "device.managed": [True, False], "device.state_age": [5, "15m"],
    "person.kind": ["employee"], "person.attributes.level": ["low", "high", 1],
    "signals": [["fresh"], []], "time.at": ["2026-11-20T08:00:00Z"],
    "auth.locked_out": [False], "none.such": [1],
}  # fmt: skip
_REPORTS: list[tuple[str, ...] | None] = [
    REPORTED,
    None,
    (*REPORTED, "person", "device", "signals"),
    ("person.id", "app.id"),
]


@dataclass(frozen=True)
class _Step:
    """A request, by whom, when after the one before; what became of the inventory meanwhile, and what is added."""

    claims: dict[str, Any]
    reports: tuple[str, ...] | None
    minutes: int
    change: tuple[dict[str, Any], dict[str, list[str]]] | None
    locked_out: bool | None
    noticed: bool


@st.composite
def steps(draw: st.DrawFn) -> list[_Step]:
    """Draw requests that have most in common: what was remembered of one is there when the next comes."""
    usual = {"person.id", "app.id", "operation"}
    beside = draw(st.lists(st.sampled_from(sorted(_CLAIMS.keys() - usual)), unique=True, max_size=6))
    names = draw(st.permutations([*sorted(usual), *beside]))
    if draw(st.integers(0, 5)) == 0:
        names = [*names, draw(st.sampled_from(sorted(_MORE)))]
    values = {**_CLAIMS, **_MORE}
    claims = {name: draw(st.sampled_from(values[name])) for name in names}
    reports = draw(st.sampled_from(_REPORTS))
    found = []
    for _ in range(draw(st.integers(2, 8))):
        if draw(st.booleans()):
            name = draw(st.sampled_from(names))
            claims = {**claims, name: draw(st.sampled_from(values[name]))}
        change = draw(st.sampled_from([None, *CHANGES]))
        minutes = draw(st.sampled_from([0, 0, 25, 40, -30]))
        found.append(
            _Step(claims, reports, minutes, change, draw(st.sampled_from([None, False, True])), draw(st.booleans()))
        )
    return found


def _alone(
    claims: dict[str, Any], reports: tuple[str, ...] | None, rulebook: Rulebook, inventory: Inventory, now: datetime
) -> Facts:
    may, others = (claims, {}) if reports is None else believed(claims, reports)
    told, strange = read_told_facts(may, rulebook.catalogue)
    facts = complete(told, rulebook.catalogue, rulebook.settings.assume, inventory, Setting.LIVE, now, _known, strange)
    facts.not_believed = others
    return facts


def _added(facts: Facts, locked_out: bool | None, rulebook: Rulebook, history: History, noticed: bool) -> None:
    """Add what a door's decision adds once an attempt is completed."""
    if locked_out is not None:
        facts.values["auth.locked_out"], facts.origins["auth.locked_out"] = locked_out, Origin.COMPUTED
        facts.values["auth.notices"] = frozenset({"terms"} if noticed else ())
        facts.origins["auth.notices"] = Origin.REPORTED
    if noticed:
        add_signals(rulebook, facts, history, "s-9", noticing(rulebook))


def _joined(own: dict[str, Any], bundles: tuple[bytes, ...]) -> dict[str, Any]:
    read_again: dict[str, Any] = json.loads(json.dumps(own))
    return join(read_again, [json.loads(bundle) for bundle in bundles], "")


@settings(max_examples=500)
@given(st.sampled_from(range(len(RULEBOOKS))), steps())
def test_completed_in_parts(which: int, several: list[_Step]) -> None:
    rulebook, inventory, now = RULEBOOKS[which], FIRST, START
    completer = LiveCompleter(rulebook.catalogue, rulebook.settings.assume, LISTS[which], _known)
    history = History()
    for number, step in enumerate([*several, *several]):
        claims, reports, before = step.claims, step.reports, json.dumps(step.claims)
        now += timedelta(minutes=step.minutes)
        if step.change is not None:
            came, went = step.change
            inventory = inventory.replaced(_inventory(came), went)
        refusals = []
        for way in (partial(_alone, claims, reports, rulebook), partial(completer.complete, claims, reports)):
            try:
                way(inventory, now)
            except AttemptRefused as refused:
                refusals.append(refused.problems)
            else:
                refusals.append([])
        assert refusals[0] == refusals[1]
        if refusals[0]:
            continue
        whole = _alone(claims, reports, rulebook, inventory, now)
        attempt = completer.complete(claims, reports, inventory, now)
        assert attempt.facts == whole
        for facts in (attempt.facts, whole):
            _added(facts, step.locked_out, rulebook, history, step.noticed)
        assert attempt.facts == whole
        assert json.dumps(claims) == before
        own, bundles = attempt.split()
        expected_own, expected_bundles = split(facts_json(whole, LISTS[which]))
        # Of signals it may be kept otherwise which is whose; put together again it is the same.
        assert bundles[:-1] == expected_bundles[:-1]
        assert _joined(own, bundles) == _joined(expected_own, expected_bundles)
        if whole.values.get("person.id") == "a":
            history.add(past_of(whole, now, f"s-{number}", "allowed"), None)


@pytest.mark.parametrize(
    ("fact", "values"),
    [
        ("network.asn", [1, True, 1.0]), ("auth.age", [1, True, 1.0, "1s"]),
        ("auth.methods", [[], "", {}, ["", "pwd"]]),
        ("auth.methods", [["pwd"], {"pwd": None}, {"pwd": 1}, {"pwd": True}]), ("device.serial", ["", None, "s1"]),
    ],
)  # fmt: skip
def test_values_that_equal_others_are_not_taken_for_them(fact: str, values: list[Any]) -> None:
    for first, second in permutations(values, 2):
        completer = LiveCompleter(RULEBOOKS[0].catalogue, {}, [], _known)
        found: list[Any] = []
        for value in (first, second):
            claims = {"person.id": "a", "app.id": "x", fact: value}
            for way in (completer.complete, lambda *asked: (_alone(asked[0], asked[1], RULEBOOKS[0], *asked[2:]),)):
                try:
                    found.append(way(claims, REPORTED, FIRST, START)[0])
                except AttemptRefused as refused:
                    found.append(refused.problems)
        assert found[0] == found[1]
        assert found[2] == found[3]


@pytest.mark.parametrize(
    ("fact", "values"),
    [
        ("person.id", ["a", "nobody", "b"]), ("app.id", ["x", "none"]), ("device.id", ["d1", "unlisted", "d2"]),
        ("network.ip", ["192.0.2.1", "203.0.113.1", "192.0.2.1"]), ("auth.credentials", ["right", "odd"]),
        ("network.country", ["NO", None]), ("auth.methods", [["pwd"], None]), ("signals", [["fresh"], None]),
    ],
)  # fmt: skip
def test_what_one_group_comes_from_is_not_taken_for_what_another_does(fact: str, values: list[Any]) -> None:
    """Attempts that are alike in all else: where their facts come from is remembered for all groups together."""
    rulebook = RULEBOOKS[0]
    completer = LiveCompleter(rulebook.catalogue, {}, [], _known)
    usual = {"person.id": "a", "app.id": "x", "device.id": "d1", "network.ip": "192.0.2.1", "auth.credentials": "right"}
    for value in values * 2:
        claims = {name: said for name, said in {**usual, fact: value}.items() if said is not None}
        found = completer.complete(claims, None, FIRST, START).facts
        assert found == _alone(claims, None, rulebook, FIRST, START)
        # What is added to one attempt is not added to another.
        found.origins["auth.locked_out"] = Origin.COMPUTED


def test_what_doors_mostly_say_is_taken_apart() -> None:
    """Or the property above would compare the long way with itself."""
    completer = LiveCompleter(RULEBOOKS[0].catalogue, RULEBOOKS[0].settings.assume, ["yard"], _known)
    claims = {
        "person.id": "c", "app.id": "x", "operation": "sign-in", "device.id": "d1", "network.ip": "192.0.2.1",
        "auth.methods": {"pwd": 4, "otp": None}, "auth.credentials": "right", "auth.age": 4,
    }  # fmt: skip
    attempt = completer.complete(claims, REPORTED, FIRST, START)
    again = completer.complete(claims, REPORTED, FIRST, START + timedelta(minutes=59))
    assert len(attempt.parts) == 6
    assert all(one is other for one, other in zip(attempt.parts, again.parts, strict=True))
    ended = completer.complete(claims, REPORTED, FIRST, START + timedelta(minutes=60))
    assert [one is other for one, other in zip(attempt.parts, ended.parts, strict=True)] == [False, *[True] * 5]
    for minutes in (180, 59, 180, 119, 60, 0):
        # One thread may ask with a moment a little earlier than another.
        now = START + timedelta(minutes=minutes)
        found = completer.complete(claims, REPORTED, FIRST, now).facts
        assert found == _alone(claims, REPORTED, RULEBOOKS[0], FIRST, now)


def test_what_is_remembered_has_its_bounds(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(live_completion, "MOST_REMEMBERED", 20)
    monkeypatch.setattr(live_completion, "MOST_IN_ALL", 100)
    rulebook = RULEBOOKS[0]
    completer = LiveCompleter(rulebook.catalogue, {}, [], _known)
    names = [("person.id",), ("person.id", "app.id"), ("app.id", "device.id"), ("client.name", "network.country")]
    for n in range(300):
        claims = {name: f"{name}-{n % 90}" for name in names[n % 4]}
        if "network.country" in claims:
            claims["network.country"] = "NO"
        attempt = completer.complete(claims, REPORTED, FIRST, START)
        assert attempt.facts == _alone(claims, REPORTED, rulebook, FIRST, START)
        assert completer.remembered <= 100
