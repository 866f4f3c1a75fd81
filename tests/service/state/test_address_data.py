"""Address data: what a file knows completes an attempt, and a file that is none is refused."""

from __future__ import annotations

from ipaddress import ip_address
from pathlib import Path

import pytest
from tests.command import run
from tests.conftest import Live

from caddrel.core.facts.facts import AddressRecord
from caddrel.core.facts.values import read_address
from caddrel.demo.fill import ADDRESSES
from caddrel.service.state.address_data import AddressData, AddressFileRefused


@pytest.mark.parametrize(
    ("address", "country", "city", "number", "anonymiser"),
    [
        ("192.0.2.83", "NO", "Nordkai", 64496, "none"),
        ("2001:db8:10::7", "IS", "Havnarvík", 64496, "none"),
        ("198.51.100.90", None, None, 64500, "none"),
        ("198.51.100.203", "RO", None, 64511, "tor"),
        ("::ffff:203.0.113.201", "PT", "Lagos", 64505, "none"),
        ("198.18.0.1", None, None, None, None),
    ],
)
def test_facts_of_an_address(
    address: str, country: str | None, city: str | None, number: int | None, anonymiser: str | None
) -> None:
    data = AddressData([ADDRESSES])
    expected = {
        "network.country": country,
        "network.city": city,
        "network.asn": number,
        "network.anonymiser": anonymiser,
    }
    assert data(read_address(address)).facts == {name: value for name, value in expected.items() if value is not None}
    data.close()


def test_a_file_that_is_none_is_refused_with_its_name(tmp_path: Path) -> None:
    whole = ADDRESSES.read_bytes()
    for name, content in (("empty", b""), ("text", b"not a database\n" * 50), ("cut", whole[:100])):
        path = tmp_path / name
        path.write_bytes(content)
        with pytest.raises(AddressFileRefused, match=name):
            AddressData([path])
    done = run("serve", "--data", str(tmp_path / "data"), "--address-data", str(tmp_path / "cut"))
    assert done.returncode == 2
    assert "not a readable MaxMind DB file" in done.stderr
    assert AddressData([])(ip_address("192.0.2.1")) == AddressRecord()


def test_looked_up_facts_say_where_they_came_from(kelpline: Live) -> None:
    with kelpline.client("viewer") as client:
        given = {"person": "halvard.tind", "app": "post", "network.ip": "203.0.113.201"}
        facts = client.rehearse(given).trace.facts
        assert (facts["network.country"].value, facts["network.country"].origin) == ("PT", "address data")
        reported = client.rehearse({**given, "network.country": "IS"}).trace.facts
        assert (reported["network.country"].value, reported["network.country"].origin) == ("IS", "reported")


def test_without_address_data_the_facts_stay_unknown(empty: Live) -> None:
    from tests.service.http.test_api import RULEBOOK

    from caddrel.wire.decisions import File

    with empty.client() as client:
        client.rulebook.publish([File("r.yaml", RULEBOOK)], "the first")
        assert "network.country" not in client.rehearse({"app": "post", "network.ip": "192.0.2.7"}).trace.facts
