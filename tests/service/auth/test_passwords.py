"""Password standards through the service: every failed rule, earlier passwords, lock-outs; nothing is ever kept."""

from __future__ import annotations

import json
from collections.abc import Iterator
from datetime import timedelta
from pathlib import Path

import pytest
from tests.command import run
from tests.conftest import Live, serving

from caddrel.client import Refused
from caddrel.wire.decisions import File

RULEBOOK = """
caddrel: 1
password-standards:
  everybody: {must: {length: 12, not_contain_name: yes}, lock: {after: 10, within: 15m, for: 15m}}
  counter:
    title: At the counter
    people: [group:counter]
    must: {length: 14, classes: 3, not_last: 2}
    lock: {after: 3, within: 15m, for: 30m}
"""
SECRETS = ("Boats go out at 5", "Boats come in at 6", "Nobody rows at 7!")


@pytest.fixture
def service(tmp_path: Path) -> Iterator[Live]:
    for live in serving(tmp_path / "data"):
        with live.client() as client:
            client.rulebook.publish([File("r.yaml", RULEBOOK)], "passwords")
            client.groups.import_([b'{"id": "counter"}'])
            people = ({"id": "tove.brekke", "title": "Tove Brekke", "groups": ["counter"]}, {"id": "odd.vik"})
            client.people.import_([json.dumps(p).encode() + b"\n" for p in people])
        yield live


def test_every_failed_rule_of_every_standard_is_named(service: Live) -> None:
    with service.client() as client:
        found = client.passwords.check("tove.brekke", "brekke")
        assert not found.passes
        assert {s.standard: [f.rule for f in s.failed] for s in found.standards} == {
            "everybody": ["length", "not_contain_name"],
            "counter": ["length", "classes"],
        }
        assert client.passwords.check("odd.vik", "no counter at all").passes
        for person, candidate, code in (
            ("nobody", "x", "not-found"),
            ("odd.vik", "", "bad-candidate"),
            ("odd.vik", "x" * 1001, "bad-candidate"),
        ):
            with pytest.raises(Refused) as refused:
                client.passwords.check(person, candidate)
            assert refused.value.problem.code == code
    with service.client("publisher") as client, pytest.raises(Refused, match="operator"):
        client.passwords.check("odd.vik", "whatever it may be")


def test_the_last_passwords_are_refused_and_only_hashes_are_kept(service: Live, tmp_path: Path) -> None:
    with service.client() as client:
        for secret in SECRETS:
            assert client.passwords.change("tove.brekke", secret).passes
        again = [client.passwords.check("tove.brekke", secret) for secret in SECRETS]
        assert [found.passes for found in again] == [True, False, False]
        assert again[1].standards[1].failed[0].says == "It is one of the last 2 passwords."
        assert not client.passwords.change("tove.brekke", "brekke").passes
        assert client.passwords.check("odd.vik", SECRETS[2]).passes
    kept = b"".join(path.read_bytes() for path in tmp_path.rglob("*") if path.is_file())
    assert len(service.data.passwords.latest("tove.brekke", 9)) == 2
    assert not any(secret.encode() in kept for secret in SECRETS)


def test_wrong_passwords_lock_out_until_the_time_is_over(service: Live) -> None:
    lines = [
        json.dumps({"id": f"s-{i}", "facts": {"person.id": "tove.brekke", "auth.credentials": "wrong",
                    "time.at": (service.clock.now - timedelta(minutes=i)).isoformat()}}).encode() + b"\n"
        for i in range(3)
    ]  # fmt: skip
    with service.client() as client:
        client.signins.import_(lines[1:])
        assert not client.passwords.lock_state("tove.brekke").locked
        client.signins.import_(lines[:1])
        state = client.passwords.lock_state("tove.brekke")
        assert (state.locked, state.standard, state.wrong) == (True, "counter", 3)
        assert state.until == (service.clock.now + timedelta(minutes=30)).isoformat().replace("+00:00", "Z")
        service.clock.forward(minutes=30)
        assert not client.passwords.lock_state("tove.brekke").locked


def test_the_command_line_names_what_fails(service: Live) -> None:
    done = run("password", "check", "tove.brekke", stdin="brekke\n", env=service.environment())
    assert done.returncode == 1
    assert "length: It has 6 characters; 14 are needed." in done.stdout
    assert "brekke\n" not in done.stdout
    passing = run("password", "check", "tove.brekke", "--json", stdin=f"{SECRETS[0]}\n", env=service.environment())
    assert (passing.returncode, json.loads(passing.stdout)["passes"]) == (0, True)
    assert run("password", "lock", "tove.brekke", env=service.environment()).returncode == 0
