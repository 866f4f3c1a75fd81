"""Facts that come together: completing many attempts gives what completing each alone gives."""

from __future__ import annotations

import json
from datetime import UTC, datetime
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from caddrel.core.columnar.completion import Bundler
from caddrel.core.columnar.fact_groups import GROUPS, join, split
from caddrel.core.facts.attempts import AttemptRefused, read_facts
from caddrel.core.facts.catalogue import Catalogue
from caddrel.core.facts.facts import AddressRecord, Setting
from caddrel.core.facts.record import encoded, facts_json
from caddrel.core.facts.types import Address
from caddrel.core.inventory.completion import complete
from caddrel.core.inventory.reader import read_inventory
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source

RULEBOOK = read_rulebook(
    [
        Source(
            "r.yaml",
            """
caddrel: 1
settings:
  assume: {device.state_age: 30d, auth.age: 8h, risk.attempt: none, device.managed: no, person.attributes.level: low}
attributes: {person.attributes.level: level, device.attributes.dock: name}
""",
        )
    ]
).or_raise()
AT = datetime(2026, 11, 1, tzinfo=UTC)
INVENTORY, _PROBLEMS = read_inventory(
    {
        "people": [
            {"id": "a", "kind": "employee", "groups": ["g"], "attributes": {"level": "high"}},
            {"id": "b", "kind": "guest", "factors": ["password"]},
            {"id": "c", "groups": ["q", {"id": "g", "until": "2026-11-07T07:30:00Z"},
                                   {"id": "z", "until": "2026-11-20T09:00:00+01:00"}]},
        ],
        "groups": [{"id": "g", "member_of": ["h"]}, {"id": "h"}],
        "devices": [
            {"id": "d1", "serial": "s1", "owner": "company", "managed": True, "attributes": {"dock": "west"},
             "state_at": "2026-11-10T00:00:00Z", "listed_at": "2026-11-05T00:00:00Z"},
            {"id": "d2", "owner": "personal"},
        ],
        "apps": [{"id": "x", "title": "The X", "labels": ["money"]}],
    }
)  # fmt: skip


def _known(address: Address) -> AddressRecord:
    if str(address) == "192.0.2.1":
        return AddressRecord({"network.country": "NO", "network.asn": 64500}, (60.4, 5.3))
    return AddressRecord()


_VALUES: dict[str, list[Any]] = {
    "person.id": ["a", "b", "c", "nobody"], "person.groups": [["g"], ["q", "g"], []], "app.id": ["x", "y"],
    "app.labels": [["sea"]], "device.id": ["d1", "d2", "unlisted"], "device.serial": ["s1", "s2"],
    "device.managed": [True, False], "device.listed": [True, False], "device.state_age": [5, "15m", 2.5],
    "device.os_version": ["14.0", "15"], "network.ip": ["192.0.2.1", "2001:db8::1"], "network.country": ["is", "NO"],
    "network.asn": [64501, 64501.0, 7], "auth.methods": [["pwd", "otp"], {"pwd": 5, "otp": None}, {"pwd": 60}, []],
    "auth.age": [4, "4h"], "auth.notices": [["terms"]], "client.name": ["Seabird"], "risk.attempt": ["low"],
    "signals": [[], ["odd"]], "person.attributes.level": ["medium"], "flow": ["device-code"], "person.home": ["1"],
}  # fmt: skip
_MOMENTS = ["2026-11-20T08:00:00Z", "2026-11-07T09:30:00+02:00", "2026-10-01T00:00:00Z", "2026-11-07T07:30:00Z"]
_WRONG = {
    "person.groups": "ab", "device.managed": 1, "network.asn": True, "auth.methods": {"pwd": -1},
    "device.state_age": "soon", "person.id": 5, "app.labels": [1], "client.name": None, "none.such": 1,
}  # fmt: skip


@st.composite
def attempts(draw: st.DrawFn) -> dict[str, Any]:
    names = draw(st.lists(st.sampled_from(sorted(_VALUES)), unique=True))
    facts = {name: draw(st.sampled_from(_VALUES[name])) for name in names}
    facts["time.at"] = draw(st.sampled_from(_MOMENTS))
    if draw(st.booleans()):
        facts = {name: facts[name] for name in draw(st.permutations(sorted(facts)))}
    if draw(st.integers(0, 5)) == 0:
        wrong = draw(st.sampled_from(sorted(_WRONG)))
        facts[wrong] = _WRONG[wrong]
    if draw(st.integers(0, 3)) == 0:
        nested = {name: facts.pop(name) for name in [*facts] if name.startswith("device.")}
        if nested:
            facts["device"] = {name.removeprefix("device."): value for name, value in nested.items()}
    return facts


def _refusals(document: dict[str, Any], catalogue: Catalogue, bundler: Bundler) -> tuple[list[str], list[str]]:
    """Return the codes with which an attempt is refused when it is read alone, and when it is read with others."""
    found: list[list[str]] = []
    for way in (lambda: read_facts(document, catalogue), lambda: bundler.bundle([document])):
        try:
            way()
            found.append([])
        except AttemptRefused as refused:
            found.append([problem.code for problem in refused.problems])
    return found[0], found[1]


@given(st.lists(attempts(), min_size=1, max_size=12))
def test_many_attempts_are_completed_as_each_alone_would_be(documents: list[dict[str, Any]]) -> None:
    catalogue, assume = RULEBOOK.catalogue, RULEBOOK.settings.assume
    bundler = Bundler(catalogue, assume, INVENTORY, [], _known)
    good = []
    for document in [*documents, *documents]:
        before = json.dumps(document)
        refused, again = _refusals(document, catalogue, bundler)
        assert refused == again
        if refused:
            continue
        reported = read_facts(document, catalogue)
        alone = complete(reported, catalogue, assume, INVENTORY, Setting.LOG, address_data=_known)
        (bundled,) = bundler.bundle([document])
        assert bundled.facts == alone
        assert bundled.at == alone.values["time.at"]
        assert json.dumps(document) == before
        # Stored apart and put together again, it says the same as when written at once.
        shared = [json.loads(bundle.document) for bundle in bundled.bundles]
        own = {"values": json.loads(bundled.own), "default_age": bundled.default_age}
        whole = facts_json(alone, [])
        joined = join(own, shared, "")
        read_again = {name: read_facts({name: value}, catalogue) for name, (_, value) in joined["values"].items()}
        assert read_again == {name: {name: value} for name, value in alone.values.items()}
        assert {name: origin for name, (origin, _) in joined["values"].items()} == alone.origins
        assert {**joined, "values": 0} == {**whole, "values": 0}
        good.append((document, alone))
    together = bundler.bundle([document for document, _ in good])
    assert [bundled.facts for bundled in together] == [alone for _, alone in good]
    if len(good) < 2 * len(documents):
        with pytest.raises(AttemptRefused):
            bundler.bundle([*documents, *documents])


@given(attempts())
def test_what_is_split_is_joined_again(document: dict[str, Any]) -> None:
    catalogue = RULEBOOK.catalogue
    try:
        reported = read_facts(document, catalogue)
    except AttemptRefused:
        return
    facts = complete(reported, catalogue, RULEBOOK.settings.assume, INVENTORY, Setting.LIVE, AT, _known)
    far = {"truth": "true", "kind": "far-away", "km": 412.5, "from": "s-1", "limit": 100, "among": 7}
    facts.noticed, facts.reference = {"odd": {"truth": "true"}, "far": far}, "7K3PX-0ZQ4M"
    whole = facts_json(facts, [])
    own, shared = split(whole)
    assert len(shared) == len(GROUPS)
    assert join(own, [json.loads(bundle) for bundle in shared], facts.reference) == whole
    assert [encoded(json.loads(bundle)) for bundle in shared] == list(shared)
    assert own["noticed"] == [[412.5, "s-1", 7], []]
    # As older releases kept it: all of it by itself.
    before = [{name: value for name, value in json.loads(b).items() if name != "noticed"} for b in shared]
    assert join({**own, "noticed": whole["noticed"]}, before, facts.reference) == whole


def test_the_inventory_of_these_tests_is_read() -> None:
    assert not _PROBLEMS
    assert set(INVENTORY.people) == {"a", "b", "c"}


@pytest.mark.parametrize("wrong", [{"pwd": True}, {"pwd": False}, {"otp": 60, "pwd": True}, {"pwd": "soon"}])
def test_flags_are_no_ages_whatever_ages_came_before(wrong: dict[str, Any]) -> None:
    bundler = Bundler(RULEBOOK.catalogue, {}, INVENTORY, [])
    moment = {"time.at": _MOMENTS[0]}
    good = [{**moment, "auth.methods": ages} for ages in ({"pwd": 1}, {"pwd": 0}, {"otp": 60, "pwd": 1}, {"pwd": 1.0})]
    assert [attempt.ages[2] for attempt in bundler.bundle(good)] == [1, 0, 60, 1]
    with pytest.raises(AttemptRefused, match=r"auth\.methods"):
        bundler.bundle([*good, {**moment, "auth.methods": wrong}])


def test_an_attempt_without_a_moment_is_refused() -> None:
    bundler = Bundler(RULEBOOK.catalogue, {}, INVENTORY, [])
    for document in ({"person.id": "a"}, {"person.id": "a", "time.at": None}, {}):
        with pytest.raises(AttemptRefused, match=r"time\.at"):
            bundler.bundle([document])
