"""All cases offline, and rehearsals kept beside a rulebook, as a pipeline runs them."""

from __future__ import annotations

import json
from pathlib import Path
from xml.etree import ElementTree as Xml

import pytest
from tests.command import run
from tests.conftest import Live

RULEBOOK = """caddrel: 1
places: {office: {networks: [192.0.2.0/26]}}
proofs: {key: {any_of: [[hwk]]}}
policies:
  devices:
    mode: enforced
    apps: [pay]
    rules: [{id: others, when: device.owner is not company, then: block}]
  outside:
    mode: enforced
    rules: [{id: outside, when: not from office, then: require proof key}]
  tautology:
    mode: enforced
    rules: [{id: never, when: not (device.managed or not device.managed), then: block}]
"""
KNOWN = {"person.factors": ["security-key"], "auth.methods": ["pwd"], "auth.notices": []}


@pytest.fixture
def book(tmp_path: Path) -> Path:
    path = tmp_path / "rulebook.yaml"
    path.write_text(RULEBOOK, encoding="utf-8")
    return path


def test_each_line_says_what_can_come_of_it(book: Path) -> None:
    attempts = [
        {"id": "pay", "facts": {"app.id": "pay", **KNOWN}},
        {"id": "post", "facts": {"app.id": "post", "network.ip": "192.0.2.1", **KNOWN}},
        {"id": "never", "facts": {"device.listed": False, "device.vetted": True}},
    ]
    lines = "".join(json.dumps(each) + "\n" for each in attempts)
    done = run("decide", "--open", "--rulebook", str(book), "--attempts", "-", stdin=lines)
    pay, post, never = (json.loads(line) for line in done.stdout.splitlines())
    assert done.returncode == 1
    found = pay["open"]
    # Whether the device is managed is read, and nothing ever turns on it.
    assert (found["facts"], found["matters"]) == (
        ["device.managed", "device.owner", "network.ip"],
        ["device.owner", "network.ip"],
    )
    assert (found["exact"], found["possible"]) == (True, ["allowed", "blocked", "challenged"])
    assert set(found["witnesses"]) == set(found["possible"])
    assert found["witnesses"]["allowed"]["facts"]["device.owner"] == "company"
    assert found["tree"] == {
        "test": "device.owner is not company",
        "yes": {"outcome": "blocked", "deciding": [{"policy": "devices", "rule": "others"}]},
        "no": {
            "test": "from office",
            "yes": {"outcome": "allowed", "deciding": []},
            "no": {"outcome": "challenged", "deciding": [{"policy": "outside", "rule": "outside"}]},
        },
    }
    assert post["open"]["tree"] == {"outcome": "allowed", "deciding": []}
    # The door would block, as it cannot know; in no case is anybody blocked.
    assert (post["outcome"], post["certain"], post["open"]["matters"]) == ("blocked", False, [])
    assert never["error"]["code"] == "contradictory-facts"
    assert "`device.listed` no and `device.vetted` yes" in never["error"]["message"]


def test_a_rulebook_made_to_explode_is_answered_in_time_and_says_what_it_left_out(tmp_path: Path) -> None:
    flags = [f"person.attributes.f{i}" for i in range(64)]
    # Pairs far apart: whichever is asked first, all the others have to be remembered.
    condition = " or ".join(f"({one} and {two})" for one, two in zip(flags[:32], flags[32:], strict=True))
    document = {
        "caddrel": 1,
        "attributes": dict.fromkeys(flags, "flag"),
        "policies": {"p": {"mode": "enforced", "rules": [{"when": condition, "then": "block"}]}},
    }
    book = tmp_path / "rulebook.json"
    book.write_text(json.dumps(document), encoding="utf-8")
    line = json.dumps({"id": "x", "facts": {"app.id": "a"}}) + "\n"
    found = json.loads(run("decide", "--open", "--rulebook", str(book), "--attempts", "-", stdin=line).stdout)["open"]
    assert set(found["possible"]) <= {"allowed", "blocked"}
    assert found["possible"]
    assert found["exact"] or found["tree"] == {"possible": found["possible"]}


KEPT = """rehearsals:
  at-the-office:
    title: At the office
    attempt: {app: post, network.ip: 192.0.2.1, device.managed: yes}
    expect: [allowed, challenged]
  anywhere:
    title: Anywhere
    attempt: {app: post, person.factors: [security-key]}
    expect_open: EXPECTED
"""


@pytest.mark.parametrize(
    ("expected", "failing", "told"),
    [
        ("[challenged, allowed]", [], ""),
        ("[allowed]", ["Anywhere"], "must be allowed, and is allowed or challenged"),
        ("[allowed, challenged, blocked]", ["Anywhere"], "must be allowed or challenged or blocked, and is"),
    ],
)
def test_rehearsals_beside_a_rulebook_are_run_and_reported(
    book: Path, tmp_path: Path, expected: str, failing: list[str], told: str
) -> None:
    folder, report = tmp_path / "rehearsals", tmp_path / "report.xml"
    folder.mkdir()
    (folder / "some.yaml").write_text(KEPT.replace("EXPECTED", expected), encoding="utf-8")
    done = run("rulebook", "check", str(book), "--rehearsals", str(folder), "--junit", str(report))
    suite = Xml.fromstring(report.read_text(encoding="utf-8"))
    assert (suite.get("tests"), suite.get("failures")) == ("2", str(len(failing)))
    failures = [case for case in suite if case.find("failure") is not None]
    assert [case.get("name") for case in failures] == failing
    assert all(told in (case.find("failure").get("message") or "") for case in failures)  # type: ignore[union-attr]
    assert done.returncode == (1 if failing else 0), done.stdout + done.stderr


@pytest.mark.parametrize(
    ("kept", "code"),
    [
        ("{attempt: {app: post}}", "missing-key"),
        ("{attempt: {app: post}, expect: maybe}", "wrong-value"),
        ("{attempt: {app: post}, expect_open: [allowed, perhaps]}", "wrong-value"),
    ],
)
def test_what_a_rehearsal_must_come_to_is_said_in_outcomes(book: Path, tmp_path: Path, kept: str, code: str) -> None:
    beside = tmp_path / "beside.yaml"
    beside.write_text(f"rehearsals:\n  one: {kept}\n", encoding="utf-8")
    done = run("rulebook", "check", str(book), "--rehearsals", str(beside))
    assert done.returncode == 1
    assert f"[{code}]" in done.stdout + done.stderr


def test_rehearsals_tell_who_it_is_and_stand_side_by_side(kelpline: Live) -> None:
    env = {**kelpline.environment(), "COLUMNS": "300"}

    def said(*words: str) -> str:
        done = run("rehearse", *words, env=env)
        assert done.returncode == 0, done.stderr
        return done.stdout

    who = ("person=salka.myhre", "app=post")
    alone = said(*who, "--policies", "order")
    assert "Crew (through Deck crew)" in alone
    assert "would have to enrol authenticator app" in alone
    assert "Before the credentials" in alone
    assert "  decides" in alone
    assert "Nobody comes in through a hidden network" in said(*who, "--policies", "list")
    both = said(*who, "--beside", "person=ines.faro", "--beside", "device=tab-0117")
    assert "person.id" in both
    assert "Facts that differ" in both
    assert "Nothing differs." in said(*who, "--beside-rulebook", "current")
    steps = said(*who, "--first-device", "enrolling.depth=noted")
    assert "1. Enrol the authenticator app" in steps
    assert "with a starter code" in steps
    clash = run("rehearse", *who, "--first-device", "--across", "device.owner", env=env)
    assert clash.returncode == 2
    assert "one at a time" in clash.stderr
    own = run("devices", "list", "--person", "ines.faro", env=env)
    assert "tab-0117" in own.stdout
