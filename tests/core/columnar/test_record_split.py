"""Splitting with a memory comes to what splitting the written facts comes to, whatever was split before."""

from __future__ import annotations

from datetime import UTC, datetime
from ipaddress import ip_address, ip_network
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from caddrel.core.columnar.fact_groups import split
from caddrel.core.columnar.record_split import Splitter
from caddrel.core.facts.facts import Facts, Origin
from caddrel.core.facts.record import facts_json
from caddrel.core.facts.types import PartlyKnown, PartlyRead, Signals
from caddrel.core.facts.values import read_moment, read_version
from caddrel.core.inventory.address_lists import AddressList

# Values that equal others of the same fact and are written otherwise stand beside one another.
_VALUES: dict[str, list[Any]] = {
    "person.id": ["a", "b"], "person.groups": [frozenset("g"), PartlyKnown("g"), PartlyKnown("g", "h"), frozenset()],
    "person.attributes.level": [1, 1.0, True, "1", read_version("1"), read_version("1.0")],
    "person.attributes.joined": [read_moment("2026-11-01T00:00:00Z"), read_moment("2026-11-01T01:00:00+01:00")],
    "app.id": ["x"], "app.labels": [frozenset({"sea", "money"})], "device.id": ["d"], "device.managed": [True, False],
    "device.os_version": [read_version("14"), read_version("14.0")], "device.state_age": [5, 5.0],
    "network.ip": [ip_address("192.0.2.1"), ip_address("2001:db8::1")], "network.asn": [7, 7.0],
    "auth.methods": [{"pwd": None, "otp": None}, {"otp": 4, "pwd": None}, {"pwd": 5.0}, {}, PartlyRead({"pwd": 1})],
    "auth.age": [4], "auth.notices": [frozenset({"terms"})], "client.name": ["Seabird", ""],
    "signals": [Signals("s"), Signals("s", "t"), Signals(), frozenset("s")],
    "time.at": [datetime(2026, 11, 1, tzinfo=UTC)],
}  # fmt: skip
_NOTICED: list[dict[str, Any]] = [
    {}, {"odd": {"truth": "true"}}, {"odd": {"truth": "true", "limit": 1}}, {"odd": {"truth": "true", "limit": True}},
    {"far": {"truth": "true", "km": 412.5, "from": "s-1", "limit": 100}, "b": {"truth": "false", "missing": "x"}},
    {"far": {"truth": "true", "from": "s-1", "km": 3, "limit": 100}}, {"odd": {"truth": "true", "limit": [1]}},
]  # fmt: skip
_LISTS = {
    "yard": AddressList("yard", [ip_network("192.0.2.0/24")]),
    "dock": AddressList("dock", [ip_network("198.51.100.0/24")]),
}
REMEMBERS = Splitter()


@st.composite
def _facts(draw: st.DrawFn) -> Facts:
    names = draw(st.permutations(draw(st.lists(st.sampled_from(sorted(_VALUES)), unique=True))))
    values = {name: draw(st.sampled_from(_VALUES[name])) for name in names}
    facts = Facts(values, {name: draw(st.sampled_from([Origin.REPORTED, Origin.INVENTORY])) for name in names})
    facts.default_age, facts.live = draw(st.sampled_from([None, 0, 60])), draw(st.booleans())
    facts.app_listed, facts.app_title = draw(st.booleans()), draw(st.sampled_from(["", "X", "1"]))
    facts.coordinates = draw(st.sampled_from([None, (60.0, 5.3), (60, 5.3), (60.0, 5.4)]))
    facts.lists = draw(st.sampled_from([{}, _LISTS, {"yard": _LISTS["yard"]}]))
    facts.noticed = draw(st.sampled_from(_NOTICED))
    if draw(st.integers(0, 5)) == 0:
        facts.not_understood, facts.origins["flow"] = {"flow": "sideways"}, Origin.REPORTED
    if draw(st.integers(0, 5)) == 0:
        facts.not_believed = {"person.kind": "employee"}
    return facts


@given(st.lists(_facts(), min_size=1, max_size=8), st.sampled_from([[], ["dock"], ["dock", "yard"]]))
def test_what_is_remembered_says_the_same(several: list[Facts], lists: list[str]) -> None:
    for facts in [*several, *several]:
        assert REMEMBERS.split(facts, lists) == split(facts_json(facts, lists))
