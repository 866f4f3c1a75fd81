"""Starter codes: issued by administrators, one person, one time, one use, known by a hash only."""

from __future__ import annotations

import json
from collections.abc import Mapping
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import pytest
from tests.command import run
from tests.conftest import Live

from caddrel import wiring
from caddrel.client import Caddrel, Refused
from caddrel.service.auth.secrets import new_id
from caddrel.service.auth.starter_codes import code_digest
from caddrel.service.auth.tokens import make_token
from caddrel.wire import authzen
from caddrel.wire.decisions import File

RULEBOOK = """
caddrel: 1
settings: {assume: {network.anonymiser: none}}
proofs: {starter: {any_of: [[starter-code]]}}
policies:
  hidden:
    mode: enforced
    operations: [enrol-device]
    rules: [{id: hidden, when: network.anonymiser is tor, then: block}]
  enrolment:
    mode: enforced
    operations: [enrol-device]
    rules: [{id: starter, then: require proof starter}]
"""


@pytest.fixture
def live(empty: Live) -> Live:
    with empty.client() as operator:
        operator.rulebook.publish([File("r.yaml", RULEBOOK)], "the first")
        people = [{"id": id, "kind": "employee", "groups": [], "factors": ["password"]} for id in ("salka", "odd")]
        operator.people.import_(json.dumps(person).encode() + b"\n" for person in people)
        operator.apps.import_([b'{"id": "library"}'])
    return empty


def _door(live: Live) -> Caddrel:
    return Caddrel(live.url, make_token(live.data, "front", "door", 30, "tests")[1])


def _enrol(code: str, person: str = "salka", said: Mapping[str, Any] | None = None) -> authzen.Evaluation:
    told = {"auth.methods": {"pwd": 3}, **({"starter_code": code} if code else {}), **(said or {})}
    return authzen.Evaluation(
        authzen.Entity("person", person), authzen.Action("enrol-device"), authzen.Entity("app", "library"), told
    )


def test_a_code_enrols_once_and_is_known_by_its_hash_only(live: Live) -> None:
    done = run("starter-code", "issue", "salka", "--lasts", "8h", env=live.environment())
    code = done.stdout.strip()
    assert "not shown again" in done.stderr
    with _door(live) as door, live.client() as operator:
        without = door.access.evaluate(_enrol(""))
        assert not without.decision
        # What the door claims of its own accord counts for nothing.
        assert not door.access.evaluate(_enrol("", said={"auth.methods": {"pwd": 3, "starter-code": 1}})).decision
        assert not door.access.evaluate(_enrol("AAAA-BBBB-CCCC-DDDD")).decision
        assert not door.access.evaluate(_enrol(code, "odd")).decision
        # Refused for another reason, it is not used up.
        assert not door.access.evaluate(_enrol(code, said={"network.anonymiser": "tor"})).decision
        assert operator.starter_codes.all()[0].used is None
        allowed = door.access.evaluate(_enrol(code.lower().replace("-", " ")), "r-1")
        assert allowed.decision
        assert door.access.evaluate(_enrol(code.lower().replace("-", " ")), "r-1") == allowed
        assert not door.access.evaluate(_enrol(code)).decision
        kept = operator.starter_codes.all()[0]
        assert (kept.person, kept.used_for, kept.issued_by) == ("salka", allowed.context["id"], "token tests")
        trace = operator.signins.trace(allowed.context["reference"])
        assert "starter-code" in trace.trace.facts["auth.methods"].value
        assert trace.same
    listed = run("starter-code", "list", env={**live.environment(), "COLUMNS": "200"})
    assert allowed.context["id"] in listed.stdout
    letters = code.replace("-", "")
    for path in live.folder.rglob("*"):
        if path.is_file():
            content = path.read_bytes()
            assert code.encode() not in content
            assert letters.encode() not in content


def test_a_code_has_its_time(live: Live) -> None:
    with _door(live) as door, live.client() as operator:
        code = operator.starter_codes.issue("salka", "2h", "2026-11-23T12:00:00Z").code
        assert not door.access.evaluate(_enrol(code)).decision
        live.clock.forward(hours=3)
        early = operator.starter_codes.issue("salka", "1h").code
        assert door.access.evaluate(_enrol(code)).decision
        live.clock.forward(hours=1)
        assert not door.access.evaluate(_enrol(early)).decision


@pytest.mark.parametrize(
    ("person", "lasts", "starts"),
    [("salk", "8h", ""), ("salka", "0s", ""), ("salka", "90d", ""), ("salka", "soon", ""), ("salka", "8h", "later"),
     ("salka", "8h", "2026-11-20T00:00:00Z"), ("salka", "8h", "2028-01-01T00:00:00Z")],
)  # fmt: skip
def test_a_code_of_no_use_is_not_issued(live: Live, person: str, lasts: str, starts: str) -> None:
    with live.client() as operator, pytest.raises(Refused) as refused:
        operator.starter_codes.issue(person, lasts, starts)
    assert (refused.value.problem.status, refused.value.problem.code) == (422, "bad-starter-code")
    with live.client("publisher") as publisher, pytest.raises(Refused, match="operator"):
        publisher.starter_codes.issue("salka")
    assert live.data.starter_codes.all() == []


def test_at_the_same_instant_one_wins(live: Live) -> None:
    with _door(live) as door, live.client() as operator:
        for _ in range(5):
            code = operator.starter_codes.issue("salka").code
            with ThreadPoolExecutor(8) as pool:
                answers = list(pool.map(lambda text: door.access.evaluate(_enrol(text)).decision, [code] * 8))
            assert sorted(answers) == [False] * 7 + [True]
        # Two services on the same folder, as two processes would be.
        other = wiring.open_data(live.folder, live.clock)
        code = operator.starter_codes.issue("salka").code
        digest, now = code_digest(code), live.clock()
        stores = [live.data.starter_codes, other.runtime.data.starter_codes] * 4
        with ThreadPoolExecutor(8) as pool:
            used = list(pool.map(lambda store: store.use(digest, "salka", now, new_id(8)), stores))
        assert sorted(used) == [False] * 7 + [True]
        other.close()
