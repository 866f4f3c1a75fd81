"""Values, attempts and completion: what is read, what is refused, and where each fact comes from."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import UTC, datetime
from ipaddress import ip_network
from types import MappingProxyType
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.strategies import reported

from caddrel.core.facts.attempts import AttemptRefused, read_attempt, read_facts, read_given_facts
from caddrel.core.facts.catalogue import FACTS, Catalogue, attribute_spec
from caddrel.core.facts.facts import Setting
from caddrel.core.facts.types import Address, FactType, PartlyKnown
from caddrel.core.facts.values import (
    ValueRefused,
    read_address,
    read_duration,
    read_given,
    read_moment,
    read_reported,
    read_told,
    read_version,
    show,
    show_duration,
    to_json,
)
from caddrel.core.inventory.address_lists import AddressList, read_span
from caddrel.core.inventory.completion import complete
from caddrel.core.inventory.index import Inventory
from caddrel.core.inventory.reader import read_inventory

CATALOGUE = Catalogue({"person.attributes.level": attribute_spec("person.attributes.level", FactType.NUMBER)})

GOOD = [
    ("device.managed", True, True),
    ("person.kind", "Contractor", "contractor"),
    ("network.country", "no", "NO"),
    ("person.risk", "high", "high"),
    ("person.groups", ["b", "a", "a"], frozenset({"a", "b"})),
    ("person.unit", "/fleet/", "/fleet"),
    ("network.asn", 64500.0, 64500),
    ("device.state_age", "4h", 14400),
    ("device.state_age", 1.5, 1.5),
    ("auth.methods", ["pwd"], {"pwd": None}),
    ("auth.methods", {"pwd": "1m", "otp": None, "mca": 3}, {"pwd": 60, "otp": None, "mca": 3}),
    ("time.at", "2026-11-02t07:10:00.25z", datetime(2026, 11, 2, 7, 10, 0, 250_000, tzinfo=UTC)),
]
BAD = [
    ("device.managed", "yes"),
    ("device.managed", 1),
    ("person.kind", 3),
    ("person.risk", "grave"),
    ("person.groups", "crew"),
    ("person.groups", [1]),
    ("person.unit", "fleet"),
    ("person.unit", "/a//b"),
    ("network.asn", "64500"),
    ("network.asn", True),
    ("network.asn", float("nan")),
    ("network.asn", 10**30),
    ("device.os_version", 14.2),
    ("device.os_version", "14.2-beta"),
    ("device.os_version", "1" * 40),
    ("device.state_age", -1),
    ("device.state_age", "1h30m"),
    ("device.state_age", True),
    ("network.ip", "192.0.2.256"),
    ("network.ip", "fe80::1%eth0"),
    ("network.ip", 3221225985),
    ("time.at", "2026-11-02T07:10:00"),
    ("time.at", "2026-02-30T07:10:00Z"),
    ("time.at", "20261102T071000Z"),
    ("time.at", "0001-01-01T00:00:00+14:00"),
    ("auth.methods", {"pwd": -1}),
    ("auth.methods", {"pwd": 1, "PWD": 2}),
    ("auth.methods", ["magic"]),
    ("person.factors", ["passkey", "chip"]),
    ("person.kind", "robot"),
    ("person.risk", "severe"),
    ("network.country", "ZZ"),
    ("client.kind", "ﬂegacy"),
    ("auth.methods", "pwd"),
    ("person.id", ""),
    ("person.id", "x" * 3000),
]


@pytest.mark.parametrize(("name", "given", "value"), GOOD, ids=[f"{n} {str(g)[:30]}" for n, g, _ in GOOD])
def test_reported_values_are_read_by_their_type(name: str, given: Any, value: Any) -> None:
    assert read_reported(FACTS[name], given) == value


@pytest.mark.parametrize(("name", "given"), BAD, ids=[f"{n} {str(g)[:30]}" for n, g in BAD])
def test_what_cannot_be_read_is_refused_and_never_guessed(name: str, given: Any) -> None:
    with pytest.raises(ValueRefused) as refused:
        read_reported(FACTS[name], given)
    assert len(str(refused.value)) < 300


@given(st.sampled_from(sorted(FACTS)).flatmap(lambda n: st.tuples(st.just(n), reported(FACTS[n]))))
def test_values_survive_the_way_through_json_and_have_words(pair: tuple[str, Any]) -> None:
    spec = FACTS[pair[0]]
    value, strange = read_told(spec, pair[1])
    assert (value is None) <= (strange is not None)
    if value is not None:
        again, _ = read_told(spec, to_json(value))
        # What was not understood is kept beside the value, and not in it.
        assert (dict(again) if isinstance(again, dict) else again) == (
            dict(value) if isinstance(value, dict) else value
        )
        assert show(value, spec)


@given(st.integers(0, 10**9))
def test_durations_are_written_as_they_are_read(seconds: int) -> None:
    assert read_duration(show_duration(seconds)) == seconds


@pytest.mark.parametrize(
    ("smaller", "larger"), [("9", "10"), ("14.2", "14.10"), ("14", "14.0.1"), ("14.9.9", "15"), ("0", "0.1")]
)
def test_versions_compare_number_by_number(smaller: str, larger: str) -> None:
    assert read_version(smaller) < read_version(larger)
    assert read_version(larger + ".0.0") == read_version(larger)


def test_addresses_are_the_same_however_written() -> None:
    assert read_address("::ffff:192.0.2.1") == read_address("192.0.2.1")
    assert read_address("2001:DB8::0:1") == read_address("2001:db8::1")
    assert read_moment("2026-11-02T09:10:00+02:00") == read_moment("2026-11-02T07:10:00Z")


@pytest.mark.parametrize(
    ("said", "read"),
    [
        ("2026-12-01", "2026-12-01T00:00:00+00:00"),
        ("2026-12-01T08:00:00+01:00", "2026-12-01T08:00:00+01:00"),
        ("2026-02-30", None),
        ("2026-12-1", None),
        ("tomorrow", None),
        (20261201, None),
        (["2026-12-01"], None),
    ],
)
def test_a_date_alone_is_its_beginning_in_an_inventory(said: object, read: str | None) -> None:
    catalogue = Catalogue({"person.attributes.ends": attribute_spec("person.attributes.ends", FactType.MOMENT)})
    inventory, problems = read_inventory({"people": [{"id": "a", "attributes": {"ends": said}}]})
    assert inventory is not None
    assert not problems
    facts = complete({"person.id": "a"}, catalogue, {}, inventory)
    assert facts.values.get("person.attributes.ends") == (datetime.fromisoformat(read) if read else None)


def test_given_texts_are_read_as_typed() -> None:
    assert read_given(FACTS["auth.methods"], "pwd, otp:15m") == {"pwd": None, "otp": 900}
    assert read_given(FACTS["person.groups"], "[a, b]") == frozenset({"a", "b"})
    assert read_given(FACTS["device.state_age"], "90") == 90
    assert read_given_facts({"person": "x", "device.managed": "no"}, CATALOGUE) == {
        "person.id": "x", "device.managed": False,
    }  # fmt: skip


def test_attempts_name_everything_that_is_wrong() -> None:
    with pytest.raises(AttemptRefused) as refused:
        read_facts(
            {"person": {"id": 3, "kidn": "x"}, "person.id": "y", "colour": {"a": 1}, "device.managed": None}, CATALOGUE
        )
    assert {(p.code, p.path) for p in refused.value.problems} == {
        ("wrong-value", "person.id"), ("unknown-fact", "person.kidn"),
        ("given-twice", "person.id"), ("unknown-fact", "colour"),
    }  # fmt: skip
    documents: list[Any] = [[], {"facts": []}, {"id": 1.5, "facts": {}}, {"facts": {}, "x": 1}, {}]
    for document in documents:
        with pytest.raises(AttemptRefused):
            read_attempt(document, 1, CATALOGUE)
    assert read_attempt({"facts": {}}, 7, CATALOGUE).id == 7


INVENTORY, PROBLEMS = read_inventory(
    {
        "people": [
            {"id": "odd", "title": "Odd", "kind": "employee", "groups": ["mates"], "attributes": {"level": 3, "x": 1}},
            {"id": "yrsa", "attributes": {"level": "three"}},
        ],
        "groups": [{"id": "mates", "member_of": ["crew"]}, {"id": "crew", "member_of": ["all", "mates"]}],
        "devices": [
            {"id": "tab", "serial": "K1", "owner": "company", "managed": True,
             "state_at": "2026-11-01T00:00:00Z", "listed_at": "2026-11-03T00:00:00Z"},
        ],
        "apps": [{"id": "post", "title": "Post"}],
    }
)  # fmt: skip


def _completed(
    facts: dict[str, Any], setting: Setting = Setting.OFFLINE, assume: Mapping[str, Any] = MappingProxyType({})
) -> dict[str, tuple[Any, str]]:
    done = complete(
        read_facts(facts, CATALOGUE), CATALOGUE, assume, INVENTORY, setting, datetime(2026, 11, 2, tzinfo=UTC)
    )
    return {name: (value, done.origins[name].value) for name, value in done.values.items()}


def test_the_inventory_supplies_what_was_not_reported() -> None:
    assert not PROBLEMS
    done = _completed({"person.id": "odd", "person.kind": "guest", "app.id": "post"})
    assert done["person.kind"] == ("guest", "reported")
    assert done["person.groups"] == (frozenset({"mates", "crew", "all"}), "inventory")
    assert done["person.attributes.level"] == (3, "inventory")
    assert done["app.labels"] == (frozenset(), "inventory")
    assert "person.factors" not in done
    # An attribute of another type than declared is not known, and a stranger is known by id only.
    assert "person.attributes.level" not in _completed({"person.id": "yrsa"})
    assert {n for n in _completed({"person.id": "who"}) if n.startswith("person.")} == {"person.id"}


def test_devices_are_found_by_id_or_serial_and_strangers_are_unlisted() -> None:
    done = _completed({"device.serial": "K1", "time.at": "2026-11-02T00:00:00Z"})
    assert done["device.id"] == ("tab", "inventory")
    assert done["device.listed"] == (True, "inventory")
    assert done["device.state_age"] == (86400.0, "inventory")
    # At that moment it was not listed yet: there is no age to tell.
    assert "device.listed_for" not in done
    stranger = _completed({"device.id": "other", "device.vetted": True})
    assert stranger["device.listed"] == (False, "inventory")
    assert stranger["device.managed"] == (False, "computed")
    assert stranger["device.owner"] == ("unlisted", "computed")
    assert stranger["device.vetted"] == (True, "reported")
    assert "device.listed" not in _completed({})


def test_each_kind_of_attempt_has_its_defaults() -> None:
    offline = _completed({})
    assert offline["operation"] == ("sign-in", "default")
    assert not {"time.at", "auth.methods", "device.listed"} & set(offline)
    rehearsal = _completed({}, Setting.REHEARSAL)
    assert rehearsal["auth.methods"] == ({}, "default")
    assert rehearsal["auth.notices"] == (frozenset(), "default")
    assert "time.at" not in rehearsal
    live = _completed({}, Setting.LIVE)
    assert live["time.at"] == (datetime(2026, 11, 2, tzinfo=UTC), "default")
    assert live["device.owner"] == ("unlisted", "computed")
    assert "auth.methods" not in live


def test_assumptions_come_last_and_set_nothing_off() -> None:
    done = _completed({}, assume={"device.listed": False, "risk.attempt": "low"})
    assert done["risk.attempt"] == ("low", "assumed")
    assert "device.managed" not in done


@given(
    st.lists(st.integers(0, 2**32 - 1), max_size=30),
    st.lists(st.integers(8, 32), min_size=30, max_size=30),
    st.integers(0, 2**32 - 1),
)
def test_address_lists_hold_what_their_networks_hold(starts: list[int], widths: list[int], number: int) -> None:
    networks = [ip_network((start, width), strict=False) for start, width in zip(starts, widths, strict=False)]
    address = read_address(str(ip_network(number).network_address))
    assert (address in AddressList("x", networks)) == any(address in network for network in networks)
    assert address in AddressList("x", [*networks, ip_network(number)])


@given(st.one_of(st.ip_addresses(v=4), st.ip_addresses(v=6)), st.integers(0, 128), st.booleans())
def test_spans_are_read_as_networks_are(address: Address, width: int, loose: bool) -> None:
    text = f"{address}/{width}" if width % 3 else str(address)
    try:
        network = ip_network(text, strict=False) if loose else ip_network(text)
    except ValueError:
        with pytest.raises(ValueError, match=r".+"):
            read_span(text)
        return
    text = str(network) if loose else text
    span = int(network.network_address), int(network.broadcast_address)
    assert read_span(text) == (network.version, span)
    whole = AddressList("x", [network])
    assert all((a in whole) for a in (network.network_address, network.broadcast_address))


@pytest.mark.parametrize(
    "text", ["1.2.3", "1.2.3.4.5", "01.2.3.4", "1.2.3.256", "1.2.3.4/33", "1.2.3.4/", "１.2.3.4", ""]
)
def test_what_is_no_network_is_refused(text: str) -> None:
    with pytest.raises(ValueError, match=r".*"):
        read_span(text)


def test_a_list_of_a_million_networks_is_read_and_a_bad_one_told_of_once() -> None:
    texts = [f"198.{i >> 16 & 255}.{i >> 8 & 255}.{i & 255}" for i in range(0, 2_000_000, 2)]
    inventory, problems = read_inventory({"lists": [{"id": "bad", "networks": texts}]})
    assert not problems
    assert [read_address(f"198.0.0.{n}") in inventory.lists["bad"] for n in (0, 1, 2)] == [True, False, True]
    refused = read_inventory({"lists": [{"id": "bad", "networks": [f"no {i}" for i in range(1_000_000)]}]})[1]
    assert 0 < len(refused) <= 20


@pytest.mark.parametrize(
    ("at", "groups"),
    [
        ("2026-11-01T00:00:00Z", {"crew", "all", "bridge", "deck"}),
        ("2026-11-02T11:59:59Z", {"crew", "all", "bridge", "deck"}),
        ("2026-11-02T13:00:00+01:00", {"crew", "all", "deck"}),
        ("2026-12-01T00:00:00Z", {"crew", "all"}),
        # Without a moment only the memberships that end are not known.
        (None, PartlyKnown({"crew", "all"}, {"bridge", "deck"})),
    ],
)
def test_a_membership_with_an_end_ends_by_itself(at: str | None, groups: set[str] | PartlyKnown) -> None:
    ending = [{"id": "bridge", "until": "2026-11-02T12:00:00Z"}, {"id": "deck", "until": "2026-11-03"}]
    inventory, problems = read_inventory(
        {
            "people": [{"id": "a", "groups": ["crew", *ending]}, {"id": "b", "groups": ["crew"]}],
            "groups": [{"id": "crew", "member_of": ["all"]}],
        }
    )
    assert not problems
    catalogue = Catalogue()
    for person, expected in (("a", groups), ("b", {"crew", "all"})):
        reported = read_facts({"person.id": person, **({"time.at": at} if at else {})}, catalogue)
        assert complete(reported, catalogue, {}, inventory).values.get("person.groups") == expected
    # A live decision knows what time it is.
    live = complete({"person.id": "a"}, catalogue, {}, inventory, Setting.LIVE, datetime(2026, 11, 2, 23, tzinfo=UTC))
    assert live.values["person.groups"] == {"crew", "all", "deck"}


@pytest.mark.parametrize(
    ("membership", "path"),
    [
        ({"id": "bridge"}, "people[0].groups[1]"),
        ({"id": "bridge", "until": "soon"}, "people[0].groups[1].until"),
        ({"until": "2026-11-02T12:00:00Z"}, "people[0].groups[1]"),
        ({"id": "bridge", "until": "2026-11-02T12:00:00Z", "from": "now"}, "people[0].groups[1]"),
    ],
)
def test_a_membership_that_cannot_be_read_is_refused(membership: dict[str, str], path: str) -> None:
    inventory, problems = read_inventory({"people": [{"id": "a", "groups": ["crew", membership]}]})
    assert not inventory.people
    assert [problem.path for problem in problems] == [path]


def test_an_inventory_of_nothing_has_nothing() -> None:
    assert Inventory().device_by("x", None) is None
    assert Inventory().closure(["a"]) == frozenset({"a"})
