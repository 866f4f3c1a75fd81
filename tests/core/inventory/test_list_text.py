"""Address lists as others publish them: what is read, what is refused and where, and what is beyond belief."""

from __future__ import annotations

from ipaddress import IPv4Network, IPv6Network

import pytest
from hypothesis import given
from hypothesis import strategies as st

from caddrel.core.inventory.address_lists import AddressList
from caddrel.core.inventory.list_text import ListRefused, beyond_belief, read_networks


@pytest.mark.parametrize(
    ("text", "networks"),
    [
        ("", []),
        ("192.0.2.0/24\n", ["192.0.2.0/24"]),
        (
            "# bad ones\n\n192.0.2.7 ; seen today\r\n192.0.2.7#again\n2001:db8::/32\tsix\n",
            ["192.0.2.7", "2001:db8::/32"],
        ),
        ('["192.0.2.7", "198.51.100.0/25"]', ["192.0.2.7", "198.51.100.0/25"]),
        ('\n{"networks": ["192.0.2.7"], "made": "today"}', ["192.0.2.7"]),
    ],
)
def test_a_list_is_read_as_it_is_published(text: str, networks: list[str]) -> None:
    assert read_networks(text) == networks


@pytest.mark.parametrize(
    ("text", "problem"),
    [
        ("192.0.2.7\n\n192.0.2.7/24\n", "line 3: `192.0.2.7/24` has host bits set"),
        ("192.0.2.7\nhello\n", "line 2: `hello` is not a network"),
        ("192.0.2.7, 192.0.2.8", "line 1: `192.0.2.7,` is not a network"),
        ("<html>", "line 1: `<html>` is not a network"),
        ("[1]", r"networks\[0\]: `1` is not a network"),
        ('["x"]', r"networks\[0\]: `x` is not a network"),
        ("[", "it begins like JSON, and is none"),
        ("[" * 100_000, "it begins like JSON, and is none"),
        ('{"list": []}', "JSON is an array of networks"),
    ],
)
def test_what_is_not_understood_is_refused_with_its_place(text: str, problem: str) -> None:
    with pytest.raises(ListRefused, match=problem):
        read_networks(text)


def _list(*networks: str) -> AddressList:
    return AddressList("it", [IPv6Network(each) if ":" in each else IPv4Network(each) for each in networks])


@pytest.mark.parametrize(
    ("networks", "before", "why"),
    [
        ([], None, ""),
        ([], _list(), ""),
        ([], _list("192.0.2.7"), "it is empty now"),
        (["0.0.0.0/0"], None, "it holds 100% of all IPv4"),
        (["0.0.0.0/1"], _list("192.0.2.7"), "it holds 50% of all IPv4"),
        (["::/3"], None, "it holds 12% of all IPv6"),
        (["0.0.0.0/1"], _list("0.0.0.0/2"), ""),
        (["10.0.0.0/8"], None, ""),
        ([f"192.0.2.{n}" for n in range(0, 256, 2)], _list("192.0.2.7"), ""),
        ([f"10.{n >> 8}.{n & 255}.0/25" for n in range(1_200)], _list("192.0.2.7"), "it holds 1200 networks now"),
        ([f"10.{n >> 8}.{n & 255}.0/25" for n in range(1_200)], None, ""),
    ],
)
def test_what_has_grown_beyond_belief_is_told(networks: list[str], before: AddressList | None, why: str) -> None:
    found = beyond_belief(networks, before)
    assert found.startswith(why)
    assert bool(found) == bool(why)


_NETWORKS = st.builds(
    lambda number, width: IPv4Network((number >> (32 - width) << (32 - width), width)),
    st.integers(0, 2**32 - 1),
    st.integers(20, 32),
)


@given(st.lists(_NETWORKS, max_size=6))
def test_how_many_addresses_a_list_holds_is_what_counting_says(networks: list[IPv4Network]) -> None:
    held = {int(network.network_address) + n for network in networks for n in range(network.num_addresses)}
    assert AddressList("it", networks).size(4) == len(held)
