"""A company with a till, its people in through a door."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from typing import Any

import pytest
from tests.conftest import Live

from caddrel.client import Caddrel
from caddrel.service.auth.tokens import make_token
from caddrel.wire import authzen
from caddrel.wire.decisions import File

RULEBOOK = """
caddrel: 1
settings: {stance: open, keyholders: [group:keepers], assume: {network.anonymiser: none}}
standards:
  tidy: {checks: {encrypted: {must: device.encrypted, fix: Encrypt it.}}}
schedules:
  shore: {zone: Atlantic/Reykjavik, hours: {mon-sun: ["06:00-20:00"]}}
policies:
  till-on-tidy-devices:
    mode: enforced
    apps: [till]
    rules:
      - {id: untidy, when: not device passes tidy, then: block, tell: "{fixes} Quote {reference}."}
      - {id: crew-only, when: 'person.groups has none of [crew]', then: block}
      - {id: fresh, then: require mfa within 1h, keep: {session_at_most: 12h}}
  risky:
    mode: enforced
    rules: [{id: high, when: person.risk is at least high, then: block}]
  post-by-day:
    mode: enforced
    apps: [post]
    rules: [{id: closed, when: not during shore, then: block}]
"""
PEOPLE = [
    {
        "id": id, "kind": "employee", "groups": ["crew", *(["keepers"] if id == "kari" else [])], "risk": "none",
        "factors": ["password", "authenticator-app"],
    }
    for id in ("ines", "odd", "kari")
]  # fmt: skip
DEVICES = [{"id": f"tab-{n}", "owner": "company", "encrypted": True, "managed": True} for n in range(3)]


@pytest.fixture
def live(empty: Live) -> Live:
    with empty.client() as service:
        service.rulebook.publish([File("r.yaml", RULEBOOK)], "the first")
        service.groups.import_(json.dumps({"id": id}).encode() + b"\n" for id in ("crew", "keepers", "night"))
        service.people.import_(json.dumps(entry).encode() + b"\n" for entry in PEOPLE)
        service.apps.import_(json.dumps({"id": id}).encode() + b"\n" for id in ("till", "post"))
        service.devices.import_(json.dumps(entry).encode() + b"\n" for entry in DEVICES)
    return empty


@pytest.fixture
def door(live: Live) -> Iterator[Caddrel]:
    with Caddrel(live.url, make_token(live.data, "front", "door", 30, "tests", (), True)[1]) as client:
        yield client


def signed_in(
    door: Caddrel, person: str, app: str = "till", device: str = "tab-0", said: Mapping[str, Any] | None = None
) -> str:
    told = {"device.id": device, "network.country": "NO", "auth.methods": {"pwd": 5, "otp": 1}, **(said or {})}
    answer = door.access.evaluate(
        authzen.Evaluation(
            authzen.Entity("person", person), authzen.Action("sign-in"), authzen.Entity("app", app), told
        )
    )
    assert answer.decision, answer.context
    return str(answer.context["session"]["id"])
