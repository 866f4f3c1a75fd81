"""The inventory at work: objects taken out, changed as they were seen, and who hears of it."""

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
from caddrel.wire.decisions import File

RULEBOOK = """
caddrel: 1
settings: {keyholders: [group:keys]}
apps: {vault: {stance: closed}}
policies:
  known: {mode: enforced, apps: [post], rules: [{id: unlisted, when: not device.listed, then: block}]}
  crew: {mode: enforced, people: [group:crew], apps: [post], rules: [{id: aboard, then: require mfa}]}
  keys: {mode: enforced, people: [role:administrator], apps: [vault], rules: [{then: allow}]}
"""
PEOPLE = [
    {"id": "ada", "roles": ["administrator"], "groups": ["keys"], "factors": ["password"]},
    {"id": "bo", "roles": ["administrator"], "groups": ["keys"], "factors": ["password"]},
    {"id": "cy", "title": "Cy", "groups": ["mates"], "factors": ["password", "authenticator-app"]},
]


@pytest.fixture
def live(tmp_path: Path) -> Iterator[Live]:
    for each in serving(tmp_path / "data"):
        with each.client() as operator:
            operator.groups.import_([b'{"id": "keys"}\n{"id": "crew"}\n{"id": "mates", "member_of": ["crew"]}\n'])
            operator.people.import_([json.dumps(person).encode() + b"\n" for person in PEOPLE])
            operator.apps.import_([b'{"id": "post"}\n{"id": "vault"}\n'])
            operator.devices.import_([b'{"id": "tab", "serial": "S1"}\n'])
            operator.rulebook.publish([File("r.yaml", RULEBOOK)], "to begin with")
        yield each


def _outcome(live: Live, person: str, device: str = "tab", **beside: str) -> tuple[str, str]:
    context = (
        {"device.id": device, "auth.methods": ["pwd"], **beside} if device else {"auth.methods": ["pwd"], **beside}
    )
    asked = authzen.Evaluation(
        authzen.Entity("person", person), authzen.Action("sign-in"), authzen.Entity("app", "post"), context
    )
    token = make_token(live.data, "front", "door", 30, "tests", sees=True)[1]
    with Caddrel(live.url, token) as door:
        said = door.access.evaluate(asked).context
    return said["outcome"], (said["admin"]["deciding"] or [{"rule": ""}])[0]["rule"]


def test_what_is_taken_out_counts_from_the_next_decision_on(live: Live) -> None:
    with live.client() as operator:
        assert _outcome(live, "ada")[0] == "allowed"
        assert _outcome(live, "cy") == ("challenged", "aboard")
        # Through a group that is taken out nobody is a member of others any more.
        operator.groups.remove("mates")
        assert _outcome(live, "cy")[0] == "allowed"
        operator.groups.import_([b'{"id": "mates", "member_of": ["crew"]}\n'])
        assert _outcome(live, "cy") == ("challenged", "aboard")
        operator.devices.remove("tab", operator.devices.get("tab").item.version)
        assert _outcome(live, "ada") == ("blocked", "unlisted")
        assert _outcome(live, "ada", device="", **{"device.serial": "S1"}) == ("blocked", "unlisted")
        operator.devices.import_([b'{"id": "tab", "serial": "S1"}\n'])
        assert _outcome(live, "ada")[0] == "allowed"
        assert _outcome(live, "ada", device="", **{"device.serial": "S1"})[0] == "allowed"


def test_an_object_is_changed_as_it_was_seen(live: Live) -> None:
    with live.client() as operator, live.http() as http:
        read = http.get("/api/v1/people/cy")
        tag, item = read.headers["ETag"], operator.people.get("cy").item
        assert tag == f'"{item.version}"'
        document = {**item.document, "kind": "guest"}
        done = http.put("/api/v1/people/cy", json={"document": document}, headers={"If-Match": tag})
        assert (done.status_code, done.json()["document"]["kind"]) == (200, "guest")
        for method, headers, code in (
            ("PUT", {"If-Match": tag}, "object-changed"),
            ("PUT", {"If-None-Match": "*"}, "object-changed"),
            ("PUT", {}, "no-version"),
            ("DELETE", {"If-Match": tag}, "object-changed"),
            ("DELETE", {"If-None-Match": "*"}, "no-version"),
            ("DELETE", {"If-Match": "7"}, "no-version"),
        ):
            body = {"document": document} if method == "PUT" else None
            refused = http.request(method, "/api/v1/people/cy", headers=headers, json=body)
            assert (refused.json()["code"], refused.status_code) == (code, 412 if "changed" in code else 428)
        wrong = http.put("/api/v1/people/cy", json={"document": {"kind": "gost"}}, headers={"If-Match": "*"})
        assert (wrong.status_code, wrong.json()["code"]) == (422, "bad-inventory")
        assert operator.people.get("cy").item.document["kind"] == "guest"
        made = operator.people.put("dee", {"kind": "contractor"}, 0)
        assert operator.people.remove("dee", made.version).id == "dee"
        with pytest.raises(Refused) as gone:
            operator.people.remove("dee")
        assert gone.value.problem.status == 404
        said = [entry.note for entry in operator.audit.list().items]
        assert "cy: person.kind is guest now" in said
        assert any(note.startswith("dee: removed") for note in said)
    with live.client("viewer") as viewer, pytest.raises(Refused) as refusal:
        viewer.people.remove("cy")
    assert refusal.value.problem.status == 403


def test_of_two_who_take_out_one_another_one_stays(live: Live) -> None:
    def take_out(id: str) -> str:
        try:
            with live.client() as operator:
                operator.people.remove(id)
        except Refused as refused:
            return refused.problem.code
        return "done"

    with ThreadPoolExecutor(2) as pool:
        assert sorted(pool.map(take_out, ["ada", "bo"])) == ["done", "lockout-risk"]
    with live.client() as operator:
        (left,) = (item.id for item in operator.people.all() if item.id in {"ada", "bo"})
        for change in (
            lambda: operator.people.put(left, {"groups": ["keys"]}),
            lambda: operator.people.import_([json.dumps({"id": left}).encode() + b"\n"], how="replace"),
            lambda: operator.people.change(left, {"groups": [], "roles": []}),
            lambda: operator.inventory.off(left),
            lambda: operator.people.import_([b'{"id": "cy"}\n'], how="sync", accept_removals="9"),
        ):
            with pytest.raises(Refused) as refused:
                change()
            assert refused.value.problem.code == "lockout-risk"
        operator.people.remove(left, accept_lockout_risk="the last one leaves")
        assert "lock" in " ".join(entry.outcome for entry in operator.audit.list().items)


def test_whoever_asks_what_has_changed_is_told_once(live: Live) -> None:
    with live.client("viewer") as viewer, live.client() as operator:
        seen: dict[tuple[str, str], object] = {}
        since, pages = "", 0
        while True:
            found = viewer.inventory.changes(since, 2)
            seen |= {(each.noun, each.id): each.document for each in found.items}
            since, pages = found.next, pages + 1
            if not found.more:
                break
        assert pages == 5
        assert {id for noun, id in seen if noun == "people"} == {"ada", "bo", "cy"}
        assert viewer.inventory.changes(since).items == []
        operator.people.remove("cy")
        operator.groups.import_([b'{"id": "mates", "title": "Mates"}\n'], how="replace")
        told = viewer.inventory.changes(since)
        assert [(each.noun, each.id, each.document) for each in told.items] == [
            ("people", "cy", None),
            ("groups", "mates", {"id": "mates", "title": "Mates"}),
        ]
        for wrong in ("x", "1.people", "-1", "1.things.a", "9" * 40):
            with pytest.raises(Refused) as refused:
                viewer.inventory.changes(wrong)
            assert refused.value.problem.code == "bad-cursor"


def test_from_the_command_line(live: Live) -> None:
    environment = live.environment()
    assert run("people", "remove", "cy", "nobody", env=environment).returncode == 3
    assert run("people", "remove", "cy", env=environment).stdout == "cy is taken out.\n"
    assert run("people", "show", "cy", env=environment).returncode == 3
    done = run("devices", "remove", "tab", "--json", env=environment)
    assert json.loads(done.stdout) == {"noun": "devices", "id": "tab"}
