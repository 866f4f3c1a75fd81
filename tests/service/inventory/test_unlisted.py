"""Devices that came to a door and are on no list: seen, vetted, refused."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import pytest
from tests.conftest import Live
from tests.service.streams.conftest import live as live  # noqa: PLC0414 - a fixture

from caddrel.client import Caddrel, Refused
from caddrel.service.auth.tokens import make_token
from caddrel.wire import authzen
from caddrel.wire.unlisted import VetRequest


@pytest.fixture
def door(live: Live) -> Iterator[Caddrel]:
    believed = ("person.id", "app.id", "device", "network.country", "auth.methods")
    with Caddrel(live.url, make_token(live.data, "gate", "door", 30, "tests", believed, True)[1]) as client:
        yield client


def _comes(door: Caddrel, person: str, **said: Any) -> None:
    told = {
        "network.country": "NO",
        "auth.methods": {"pwd": 5, "otp": 1},
        **{f"device.{k}": v for k, v in said.items()},
    }
    who, what = authzen.Entity("person", person), authzen.Entity("app", "post")
    door.access.evaluate(authzen.Evaluation(who, authzen.Action("sign-in"), what, told))


def test_a_device_that_came_is_seen_until_it_is_vetted_or_refused(live: Live, door: Caddrel) -> None:
    for person in ("ines", "ines", "odd"):
        _comes(door, person, serial="KL-7", platform="android", os_version="14")
    _comes(door, "odd", id="tab-77")
    # Listed, or not to be told from others: nothing to decide about.
    _comes(door, "odd", id="tab-0")
    _comes(door, "odd")
    live.runtime.recorder.settle()
    with live.client() as client:
        found = client.unlisted.all()
        assert {each.device: (each.count, each.of_people) for each in found.items} == {"KL-7": (3, 2), "tab-77": (1, 1)}
        (first,) = [each for each in found.items if each.device == "KL-7"]
        assert [(each.person, each.count) for each in first.people] == [("ines", 2), ("odd", 1)]
        assert (first.serial, first.platform) == ("KL-7", "android")

        left = client.unlisted.refuse("tab-77", "Sold with the old ferry.")
        assert [each.device for each in left.items] == ["KL-7"]
        assert left.refused == 1
        (refused,) = client.unlisted.all(refused=True).items
        assert (refused.device, refused.why) == ("tab-77", "Sold with the old ferry.")

        assert client.unlisted.vet(VetRequest("KL-7", "tab-7", "company", "ines")).items == []
        document = client.devices.get("tab-7").item.document
        assert document == {"id": "tab-7", "owner": "company", "vetted": True, "serial": "KL-7", "person": "ines"}
        # One that was refused may be vetted after all, under the id that it comes with.
        with pytest.raises(Refused, match="comes as tab-77") as another:
            client.unlisted.vet(VetRequest("tab-77", "tab-78"))
        assert another.value.problem.code == "another-id"
        client.unlisted.vet(VetRequest("tab-77", "tab-77", "personal"))
        assert client.unlisted.all(refused=True).items == []
        notes = [entry.note for entry in live.data.audit.page() if "/unlisted-devices/" in entry.target]
        assert any("vetted KL-7 as tab-7, a company device of ines" in note for note in notes)
        assert any("tab-77: Sold with the old ferry." in note for note in notes)
        _comes(door, "odd", serial="KL-9")
        live.clock.forward(days=3)
        # Those that came before that are not asked about.
        _comes(door, "odd", serial="KL-8")
        live.runtime.recorder.settle()
        assert [each.device for each in client.unlisted.all(days=2).items] == ["KL-8"]


@pytest.mark.parametrize(
    ("asked", "code"),
    [
        (VetRequest("nix", "tab-7"), "not-found"),
        (VetRequest("KL-7", "tab-0"), "id-taken"),
        (VetRequest("KL-7", ""), "bad-inventory"),
        (VetRequest("KL-7", "tab 7\n"), "bad-inventory"),
        (VetRequest("KL-7", "tab-7", person="nobody"), "not-found"),
    ],
)
def test_what_cannot_be_put_on_the_list_is_refused(live: Live, door: Caddrel, asked: VetRequest, code: str) -> None:
    _comes(door, "odd", serial="KL-7")
    live.runtime.recorder.settle()
    with live.client() as client:
        with pytest.raises(Refused) as refused:
            client.unlisted.vet(asked)
        assert refused.value.problem.code == code
        with pytest.raises(Refused, match="say why") as no_reason:
            client.unlisted.refuse("KL-7", " ")
        assert no_reason.value.problem.code == "bad-reason"
        assert [each.device for each in client.unlisted.all().items] == ["KL-7"]
