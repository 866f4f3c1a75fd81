"""Causes: what is counted together, what is new, what would help all at once, and the change that would."""

from __future__ import annotations

import json
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
import yaml
from tests.command import run
from tests.conftest import Live, serving

from caddrel.wire.decisions import File

RULEBOOK = """
caddrel: 1
places: {terminals: {title: Terminals, networks: [192.0.2.0/26]}, office: {networks: [203.0.113.0/26]}}
standards:
  tablet:
    title: Tablet
    checks:
      patched: {title: Patched, must: device.os_version is at least 15, fix: Install the update.}
      locked: {title: Locks, must: device.screen_lock, fix: Set a code.}
policies:
  counter:
    title: At the counter
    mode: enforced
    apps: [farebox]
    rules: [{id: elsewhere, when: not from terminals, then: block, tell: No.}]
  tablets:
    mode: enforced
    apps: [manifest]
    rules: [{id: standard, then: require device passes tablet}]
"""
START = datetime(2026, 11, 2, 8, 0, tzinfo=UTC)


@pytest.fixture
def service(tmp_path: Path) -> Iterator[Live]:
    for live in serving(tmp_path / "data"):
        live.clock.now = START - timedelta(days=9)
        with live.client() as client:
            client.rulebook.publish([File("r.yaml", RULEBOOK)], "first")
            live.clock.now = START + timedelta(days=3)
            again = RULEBOOK.replace("office: {networks", "office: {title: Office, networks")
            client.rulebook.publish([File("r.yaml", again)], "a title")
        live.clock.now = START + timedelta(days=10)
        yield live


def _import(live: Live, *records: tuple[int, str, dict[str, Any]]) -> None:
    lines = []
    for i, (day, person, facts) in enumerate(records):
        at = (START + timedelta(days=day, minutes=i)).isoformat()
        document = {"id": f"s-{i}", "facts": {"person.id": person, "time.at": at, "device.screen_lock": True, **facts}}
        lines.append(json.dumps(document).encode() + b"\n")
    with live.client() as client:
        assert client.signins.import_(lines).broken == 0


def test_causes_count_help_and_suggest(service: Live) -> None:
    def counter(ip: str) -> dict[str, Any]:
        return {"app.id": "farebox", "network.ip": ip}

    def tablet(id: str, version: str, locks: bool = True) -> dict[str, Any]:
        return {"app.id": "manifest", "device.id": id, "device.os_version": version, "device.screen_lock": locks}

    _import(
        service,
        (0, "a", counter("198.51.100.65")), (1, "a", counter("198.51.100.70")), (4, "b", counter("198.51.100.90")),
        (1, "a", counter("192.0.2.9")), (5, "a", tablet("t1", "14")), (5, "b", tablet("t2", "13")),
        (6, "b", tablet("t2", "13")), (6, "c", tablet("t3", "15")), (6, "c", tablet("t3", "14", locks=False)),
    )  # fmt: skip
    with service.client("viewer") as client:
        found = client.signins.causes()
        assert (found.count, found.people) == (7, 3)
        assert [(c.policy, c.count, c.people, c.devices) for c in found.causes] == [
            ("tablets", 3, 2, 2), ("counter", 3, 2, 0), ("tablets", 1, 1, 1),
        ]  # fmt: skip
        tablets, counters, _ = found.causes
        assert "".join(p.text for p in counters.because) == "the attempt does not come from Terminals"
        assert (counters.since.number, tablets.since.number, tablets.new) == (1, 2, True)
        assert counters.changed == []
        assert [(piece.kind, piece.id, piece.text) for piece in tablets.changed] == [("place", "office", "Office")]
        assert [d.count for d in counters.days] == [1, 1, 1]
        assert "".join(p.text for p in tablets.help[0]) == "2 devices miss “Patched” of Tablet: Install the update."
        listed = client.signins.list(cause=tablets.key).items
        assert {item.device for item in listed} == {"t1", "t2"}
        assert [item.id for item in tablets.sample] == [item.id for item in listed[:3]]
        # The change lets all of them in, and nobody from anywhere else.
        assert counters.change is not None
        assert json.loads(counters.change.value or "") == ["192.0.2.0/26", "198.51.100.64/27"]
        document = yaml.safe_load(RULEBOOK)
        document["places"]["terminals"]["networks"] = json.loads(counters.change.value or "")
        for item in client.signins.list(cause=counters.key).items:
            facts = {"person.id": item.person, "app.id": "farebox", "network.ip": item.address}
            rehearsal = client.rehearse(facts=facts, files=[File("r.yaml", yaml.dump(document))])
            assert rehearsal.decision.outcome == "allowed"
        later = client.signins.causes(since=(START + timedelta(days=3)).isoformat())
        assert [(c.policy, c.count, c.new) for c in later.causes] == [
            ("tablets", 3, True), ("tablets", 1, True), ("counter", 1, False),
        ]  # fmt: skip
        assert later.causes[2].first_ever < later.causes[2].first
        one = client.signins.causes(where="device.id is t1 or (person.id is b and client.kind is unknown)")
        assert [(c.policy, c.count) for c in one.causes] == [("tablets", 3), ("counter", 1)]


def test_addresses_far_apart_or_in_another_place_make_no_change(service: Live) -> None:
    _import(service, *((0, "a", {"app.id": "farebox", "network.ip": ip}) for ip in ("198.51.100.1", "203.0.113.200")))
    with service.client("viewer") as client:
        assert [c.change for c in client.signins.causes().causes] == [None]
        inside = client.signins.causes(where="network.ip is 203.0.113.200").causes
        assert inside[0].change is not None


def test_the_demo_tells_its_causes(kelpline: Live) -> None:
    done = run("signins", "causes", "--since", "7d", "--outcome", "blocked", env=kelpline.environment())
    assert done.returncode == 0
    assert "→ 1 device misses “System is patched” of Crew tablet: Install the system" in done.stdout
    nothing = run("signins", "causes", "--country", "GB", "--since", "7d", env=kelpline.environment())
    assert nothing.stdout == "Nothing was blocked or challenged.\n"
