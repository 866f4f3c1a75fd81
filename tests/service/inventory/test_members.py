"""Memberships, and people who leave: no door lets them in from then on, whatever it reports."""

from __future__ import annotations

import json
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest
from tests.command import run
from tests.conftest import Live, serving

from caddrel.client import Caddrel, Refused
from caddrel.service.auth.tokens import make_token
from caddrel.wire import authzen
from caddrel.wire.authzen import AccessDecision
from caddrel.wire.coverage import GridRequest
from caddrel.wire.decisions import File

RULEBOOK = """
caddrel: 1
policies:
  crew: {mode: enforced, people: [group:crew], apps: [post], rules: [{id: aboard, then: require mfa}]}
  all: {mode: enforced, apps: [post], rules: [{then: allow}]}
"""


@pytest.fixture
def live(tmp_path: Path) -> Iterator[Live]:
    for each in serving(tmp_path / "data"):
        with each.client() as operator:
            operator.groups.import_([b'{"id": "crew"}\n{"id": "mates", "member_of": ["crew"]}\n'])
            factors = ["password", "authenticator-app"]
            people = [json.dumps({"id": id, "factors": factors}).encode() + b"\n" for id in ("cy", "dee")]
            operator.people.import_(people)
            operator.apps.import_([b'{"id": "post"}\n'])
            operator.rulebook.publish([File("r.yaml", RULEBOOK)], "to begin with")
        yield each


def _ask(live: Live, person: str, credentials: str = "right") -> AccessDecision:
    token = make_token(live.data, "front", "door", 30, "tests")[1]
    context = {"auth.methods": ["pwd"], "auth.credentials": credentials}
    asked = authzen.Evaluation(
        authzen.Entity("person", person), authzen.Action("sign-in"), authzen.Entity("app", "post"), context
    )
    with Caddrel(live.url, token) as door:
        return door.access.evaluate(asked)


def test_a_membership_counts_until_it_ends(live: Live) -> None:
    with live.client() as operator:
        assert _ask(live, "cy").decision
        (turned,) = operator.profiles.joining("mates", "cy").turned
        assert (turned.app, turned.before, turned.after) == ("post", "allowed", "challenged")
        assert operator.profiles.joining("mates", "cy").groups == ["crew", "mates"]
        operator.inventory.join("mates", "cy", "2026-11-24T00:00:00Z")
        assert not _ask(live, "cy").decision
        assert operator.profiles.joining("mates", "cy").already
        (member,) = operator.profiles.group("crew").members
        assert (member.person, member.through, member.until) == ("cy", ["mates"], "2026-11-24T00:00:00Z")
        live.clock.forward(days=2)
        assert _ask(live, "cy").decision
        assert operator.profiles.group("crew").members == []
        operator.inventory.leave("mates", "cy")
        with pytest.raises(Refused) as refused:
            operator.inventory.leave("mates", "cy")
        assert refused.value.problem.code == "no-member"
        for group, person in (("nowhere", "cy"), ("mates", "nobody")):
            with pytest.raises(Refused) as refused:
                operator.inventory.join(group, person)
            assert refused.value.problem.status == 404
        with pytest.raises(Refused) as refused:
            operator.inventory.join("mates", "cy", "tomorrow")
        assert refused.value.problem.code == "bad-inventory"


def test_of_many_who_are_made_members_at_once_none_is_forgotten(live: Live) -> None:
    groups = [f"g{i}" for i in range(8)]
    with live.client() as operator:
        operator.groups.import_([f'{{"id": "{group}"}}\n'.encode() for group in groups])

    def join(group: str) -> None:
        with live.client() as operator:
            operator.inventory.join(group, "cy")

    with ThreadPoolExecutor(8) as pool:
        list(pool.map(join, groups))
    with live.client() as operator:
        assert sorted(operator.people.get("cy").item.document["groups"]) == groups


def test_whoever_has_left_is_let_in_nowhere(live: Live) -> None:
    first = _ask(live, "cy")
    assert first.decision
    with live.client() as operator:
        operator.starter_codes.issue("cy", lasts="8h")
        gone = operator.inventory.off("cy")
        assert (gone.sessions, gone.starter_codes) == (1, 1)
        # The door says that the password was right; what it says is kept, and does not count.
        after = _ask(live, "cy")
        assert not after.decision
        record = operator.signins.trace(after.context["id"])
        assert (record.decision.reason, record.not_believed) == ("credentials", {"auth.credentials": "right"})
        assert "whoever has left" in "".join(piece.text for piece in record.sentence)
        assert _ask(live, "dee").decision
        told = operator.rehearse({"person": "cy", "app": "post"})
        assert told.decision.reason == "credentials"
        # Whoever rehearses with right credentials is told what policies would say.
        assert operator.rehearse({"person": "cy", "app": "post", "auth.credentials": "right"}).decision.reason is None
        # Nor is anything that only they could meet in the grid.
        everyone = operator.coverage.grid(GridRequest()).rows[0]
        assert everyone.people == 1
        profile = operator.profiles.person("cy")
        assert profile.off == gone.since
        assert {each.outcome for each in profile.reach} == {"blocked"}
        # Twice is once, and its moment stays.
        live.clock.forward(hours=1)
        assert operator.inventory.off("cy").since == gone.since
        operator.inventory.back("cy")
        assert _ask(live, "cy").decision
        notes = [entry.note for entry in operator.audit.list().items]
        assert "cy is off; 1 session and 1 starter code ended" in notes
    with live.client("author") as author, pytest.raises(Refused) as refused:
        author.inventory.off("dee")
    assert refused.value.problem.status == 403


def test_by_command(live: Live) -> None:
    env = live.environment()
    assert run("groups", "add", "mates", "cy", "dee", "--until", "2026-12-01", env=env).returncode == 0
    assert "through" in run("people", "show", "cy", env=env).stdout
    what_if = run("groups", "add", "crew", "cy", "--what-if", env=env)
    assert what_if.stdout == "cy is in crew already.\n"
    assert run("groups", "drop", "mates", "cy", env=env).returncode == 0
    assert "challenged" in run("groups", "add", "mates", "cy", "--what-if", env=env).stdout
    assert (
        run("people", "set", "cy", "kind=contractor", "attributes.level=2", env=env).stdout
        == "cy: kind contractor, level 2.\n"
    )
    assert run("people", "set", "cy", "kind=", env=env).stdout == "cy: kind not known.\n"
    wrong = run("people", "set", "cy", "knd=guest", env=env)
    assert (wrong.returncode, "fields are kind" in wrong.stderr) == (2, True)
    assert run("people", "set", "cy", "title=x", "--new", env=env).returncode == 3
    assert "is off since" in run("people", "off", "cy", env=env).stdout
    assert run("people", "back", "cy", env=env).stdout == "cy is back.\n"
    assert (
        run("devices", "set", "tab", "person=cy", "managed=no", "--new", env=env).stdout
        == "tab: person cy, managed no.\n"
    )


def test_a_record_of_somebody_who_had_left_decides_the_same_again(live: Live) -> None:
    with live.client() as operator:
        operator.inventory.off("cy")
        id = _ask(live, "cy").context["id"]
        record = operator.signins.record(id)
        operator.inventory.back("cy")
        said = {name: value for name, (_, value) in record.facts["values"].items()}
        assert operator.rehearse(facts=said).decision.reason == "credentials"
    recheck = run("trace", id, "--json", env=live.environment())
    again = run("decide", "--recheck", "-", stdin=recheck.stdout, env=live.environment())
    assert again.returncode == 0, again.stdout + again.stderr
