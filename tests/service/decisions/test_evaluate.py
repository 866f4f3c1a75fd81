"""Live decisions over AuthZEN: mapping, what is believed, the durable log, idempotence, sessions."""

from __future__ import annotations

import json
import socket
import threading
import time
from collections.abc import Iterator, Mapping
from concurrent.futures import ThreadPoolExecutor
from datetime import timedelta
from functools import partial
from typing import Any

import httpx
import pytest
from tests.conftest import NOW, PATIENCE, Live, until, writing_with

from caddrel.client import Caddrel, Refused
from caddrel.service.auth.tokens import make_token
from caddrel.service.decisions import decider, evaluate
from caddrel.service.decisions.group_commit import Recorder
from caddrel.service.problems import ServiceError
from caddrel.store.queries import Query
from caddrel.wire import authzen
from caddrel.wire.decisions import File
from caddrel.wire.inventory import DeviceState

RULEBOOK = """
caddrel: 1
settings: {contact: help@example.org, assume: {network.anonymiser: none}}
proofs:
  strong-key: {any_of: [[hwk], [swk, fpt]]}
notices:
  terms: {title: House rules, version: 3, text: Behave.}
standards:
  tidy: {checks: {encrypted: {must: device.encrypted, fix: Encrypt it.}}}
signals:
  new-country: {kind: first-seen, of: network.country, after: 1, history: 30}
places:
  home: {countries: [NO]}
apps:
  vault: {stance: closed}
policies:
  hidden:
    mode: enforced
    rules:
      - {id: hidden, when: network.anonymiser is not none, then: block, tell: "No. Ask {contact}, quote {reference}."}
  keys:
    mode: enforced
    apps: [till]
    rules:
      - {id: untidy, when: not device passes tidy, then: block, tell: "{fixes}"}
      - {id: key, then: require mfa within 15m and notice terms,
         keep: {session_at_most: 12h, idle_at_most: 30m, end_with_browser: yes}}
  strangers:
    mode: enforced
    apps: [till]
    rules: [{id: new, when: signals has new-country, then: require proof strong-key}]
  later:
    mode: shadow
    apps: [post]
    rules: [{id: stop, then: block}]
  keyholders:
    mode: enforced
    people: [group:keepers]
    apps: [vault]
    rules: [{id: in, then: allow}]
"""
INVENTORY: dict[str, list[dict[str, Any]]] = {
    "people": [
        {"id": "ines", "kind": "employee", "groups": ["keepers"], "factors": ["password", "authenticator-app"]},
        {"id": "odd", "kind": "employee", "groups": [], "factors": ["password", "security-key"]},
    ],
    "groups": [{"id": "keepers"}],
    "apps": [{"id": "till"}, {"id": "post"}, {"id": "vault"}],
    "devices": [{"id": "tab", "owner": "company", "encrypted": True, "managed": True}],
}  # fmt: skip


@pytest.fixture
def live(empty: Live) -> Live:
    with empty.client() as client:
        client.rulebook.publish([File("r.yaml", RULEBOOK)], "the first")
        for noun, entries in INVENTORY.items():
            getattr(client, noun).import_(json.dumps(entry).encode() + b"\n" for entry in entries)
    return empty


def _door(live: Live, reports: tuple[str, ...] = (), sees: bool = True) -> Caddrel:
    return Caddrel(live.url, make_token(live.data, "front", "door", 30, "tests", reports, sees)[1])


def _ask(
    person: str = "ines", app: str = "till", action: str = "sign-in", said: Mapping[str, Any] | None = None
) -> authzen.Evaluation:
    told = {"device.id": "tab", "network.country": "NO", "network.anonymiser": "none", **(said or {})}
    return authzen.Evaluation(
        authzen.Entity("person", person), authzen.Action(action), authzen.Entity("app", app), told
    )


def test_a_person_is_asked_for_more_and_then_let_in_under_limits(live: Live) -> None:
    with _door(live) as door:
        asked = door.access.evaluate(_ask(said={"auth.methods": {"pwd": 5}}))
        assert not asked.decision
        assert asked.context["outcome"] == "challenged"
        mfa, notice = asked.context["outstanding"]
        assert (mfa["item"], mfa["max_age"], mfa["acr_values"]) == ("mfa within 15m", 900, "mfa")
        assert mfa["amr"] == [["otp", "pwd"]]
        assert notice["notice"] == {"id": "terms", "version": 3, "title": "House rules", "text": "Behave."}
        said = {"auth.methods": {"pwd": 5, "otp": 1}, "auth.notices": ["terms"]}
        allowed = door.access.evaluate(_ask(said=said))
        assert allowed.decision
        assert allowed.context["keep"] == {"session_at_most": 43200, "idle_at_most": 1800, "end_with_browser": True}
        assert allowed.context["session"]["ends_at"] == "2026-11-23T21:00:00Z"
        assert allowed.context["admin"]["deciding"] == [{"policy": "keys", "rule": "key"}]
    with live.client() as client:
        trace = client.signins.trace(asked.context["reference"])
        assert trace.summary.id == asked.context["id"]
        assert trace.same
        assert client.signins.list().counts == {"allowed": 1, "challenged": 1, "blocked": 0}
    with _door(live, sees=False) as door:
        assert "admin" not in door.access.evaluate(_ask()).context


def test_the_persons_words_have_the_reference_that_finds_the_record(live: Live) -> None:
    with _door(live) as door, live.client() as client:
        for _ in range(2):
            stopped = door.access.evaluate(_ask(said={"network.anonymiser": "tor"}))
            reference = stopped.context["reference"]
            assert stopped.context["tell"] == [{"text": f"No. Ask help@example.org, quote {reference}."}]
            trace = client.signins.trace(reference)
            assert trace.decision.tell[0].text == stopped.context["tell"][0]["text"]
            assert trace.summary.policy == "hidden"


def test_a_live_decision_is_exported_whole_and_nothing_has_changed_since(live: Live) -> None:
    with live.client() as client, _door(live) as door:
        listed = {"id": "tab", "owner": "company", "encrypted": True, "listed_at": "2026-11-01T00:00:00Z"}
        client.devices.import_([json.dumps(listed).encode()])
        answer = door.access.evaluate(_ask())
        trace = client.signins.trace(answer.context["id"])
        assert trace.trace.facts["device.listed_for"].origin == "inventory"
        assert trace.since == []
        lines = b"".join(client.signins.export("ndjson")).splitlines()
        assert [json.loads(line)["facts"]["time.at"] for line in lines] == ["2026-11-23T09:00:00Z"]
        other = json.dumps({**json.loads(lines[0]), "id": "again"}).encode()
        assert client.signins.import_([other]).added == 1
        assert client.signins.get("again").summary.at == trace.summary.at


def test_only_what_a_token_may_report_is_believed(live: Live) -> None:
    claims = {"device.encrypted": False, "device.managed": False, "time.at": "2020-01-01T00:00:00Z", "signals": []}
    request = _ask("odd", said={**claims, "auth.methods": {"pwd": 1, "hwk": 1}, "auth.notices": ["terms"]})
    request = authzen.Evaluation(
        authzen.Entity("user", "odd", {"groups": ["keepers"], "risk": "none"}),
        request.action,
        request.resource,
        request.context,
    )
    with _door(live) as door, live.client() as client:
        answer = door.access.evaluate(request)
        assert answer.decision, answer
        trace = client.signins.trace(answer.context["id"])
        assert trace.not_believed == {**claims, "person.groups": ["keepers"], "person.risk": "none"}
        assert trace.trace.facts["device.encrypted"].value is True
        assert trace.trace.facts["time.at"].value == "2026-11-23T09:00:00Z"
    # One that may report a device's state is believed about it.
    with _door(live, ("person.id", "app.id", "operation", "device", "network", "auth")) as door:
        answer = door.access.evaluate(request)
        assert answer.context["tell"] == [{"text": "Encrypt it."}]
    with live.client() as client, pytest.raises(Refused, match="no fact `netwrk`"):
        client.tokens.create("x", "door", 5, ["netwrk"])


def test_a_closed_app_is_closed_unless_a_policy_lets_in_and_a_device_not_named_is_none(live: Live) -> None:
    with _door(live) as door:
        assert door.access.evaluate(_ask("ines", "vault")).decision
        assert door.access.evaluate(_ask("odd", "vault")).context["admin"]["reason"] == "closed"
        assert door.access.evaluate(_ask("odd", "nothing-listed")).context["admin"]["reason"] == "closed"
        bare = authzen.Evaluation(
            authzen.Entity("person", "odd"), authzen.Action("sign-in"), authzen.Entity("app", "post")
        )
        answer = door.access.evaluate(bare)
        assert answer.decision
        assert answer.context["admin"]["shadow"] == {"each": {"later": "blocked"}, "together": "blocked"}


_GOOD = {
    "subject": {"type": "person", "id": "ines"},
    "action": {"name": "sign-in"},
    "resource": {"type": "app", "id": "post"},
}


@pytest.mark.parametrize(
    ("change", "code"),
    [
        ({"subject": {"type": "robot", "id": "x"}}, "unknown-subject-type"),
        ({"subject": {"type": "person"}}, "missing-key"),
        ({"subject": None}, "missing-key"),
        ({"resource": {"type": "file", "id": "x"}}, "unknown-resource-type"),
        ({"context": {"device.managed": "yes"}}, None),
        ({"context": {"network": {"ip": 5}}}, "wrong-value"),
        ({"context": {"netwrk.ip": "x"}}, "unknown-fact"),
        ({"context": {"person.id": "odd"}}, "given-twice"),
        ({"context": {"session": "x"}}, "bad-session"),
    ],
)
def test_what_cannot_be_read_is_refused_by_name(live: Live, change: dict[str, Any], code: str | None) -> None:
    token = make_token(live.data, "front", "door", 30, "tests")[1]
    with live.http(token) as http:
        answer = http.post("/access/v1/evaluation", json={**_GOOD, **change})
        if code is None:
            # Not a fact that this door is believed about: of whatever type, it counts for nothing.
            assert answer.status_code == 200
            return
        assert (answer.status_code, answer.json()["code"]) == (400, "bad-attempt")
        assert code in {error["code"] for error in answer.json()["errors"]}
        assert live.data.signins.page(Query()) == []
        # As one of several it is refused alone.
        if None in change.values():
            return
        several = {**_GOOD, "evaluations": [change, {}]}
        found = http.post("/access/v1/evaluations", json=several).json()["evaluations"]
        assert [each["decision"] for each in found] == [False, True]
        assert found[0]["context"]["error"]["status"] == 400


def test_who_may_ask(live: Live) -> None:
    with live.http("") as http:
        assert http.post("/access/v1/evaluation", json=_GOOD).status_code == 401
        assert http.get("/.well-known/authzen-configuration").json() == {
            "policy_decision_point": live.url,
            "access_evaluation_endpoint": f"{live.url}/access/v1/evaluation",
            "access_evaluations_endpoint": f"{live.url}/access/v1/evaluations",
            "search_subject_endpoint": f"{live.url}/access/v1/search/subject",
            "search_resource_endpoint": f"{live.url}/access/v1/search/resource",
            "search_action_endpoint": f"{live.url}/access/v1/search/action",
        }
    with live.http() as http:
        assert http.post("/access/v1/evaluation", json=_GOOD).json()["code"] == "not-allowed"
    with live.http(make_token(live.data, "front", "door", 30, "tests")[1]) as http:
        for path in ("/api/v1/signins", "/api/v1/rulebook", "/api/v1/people", "/api/v1/sessions"):
            assert http.get(path).status_code == 403
        assert (
            http.post("/access/v1/evaluation", json=_GOOD, headers={"X-Request-ID": "r-1"}).headers["X-Request-ID"]
            == "r-1"
        )


def test_several_evaluations_have_three_semantics(live: Live) -> None:
    yes, no = {"resource": {"type": "app", "id": "post"}}, {"context": {"network.anonymiser": "tor"}}
    with live.http(make_token(live.data, "front", "door", 30, "tests")[1]) as http:

        def asked(semantic: str, *each: dict[str, Any]) -> list[bool]:
            body = {**_GOOD, "evaluations": each, "options": {"evaluations_semantic": semantic}}
            return [one["decision"] for one in http.post("/access/v1/evaluations", json=body).json()["evaluations"]]

        assert asked("execute_all", yes, no, yes) == [True, False, True]
        assert asked("deny_on_first_deny", yes, no, yes) == [True, False]
        assert asked("permit_on_first_permit", no, yes, no) == [False, True]
        assert http.post("/access/v1/evaluations", json=_GOOD).json()["decision"] is True
        wrong = {**_GOOD, "evaluations": [yes], "options": {"evaluations_semantic": "all"}}
        assert http.post("/access/v1/evaluations", json=wrong).status_code == 400
        many = http.post("/access/v1/evaluations", json={**_GOOD, "evaluations": [{}] * 10_000})
        assert (many.status_code, many.json()["code"]) == (413, "too-large")
        assert len(live.data.signins.page(Query(limit=100))) == 8


def test_several_come_to_what_each_alone_comes_to_wherever_they_are_parted(live: Live) -> None:
    yes, no = {"resource": {"type": "app", "id": "post"}}, {"context": {"network.anonymiser": "tor"}}
    unreadable = {"context": {"network.ip": "nowhere"}}
    many = 2 * evaluate.SLICE + 3
    token = make_token(live.data, "front", "door", 30, "tests")[1]
    with live.http(token) as http:

        def asked(semantic: str, each: list[dict[str, Any]], name: str = "") -> list[Any]:
            body = {**_GOOD, "evaluations": each, "options": {"evaluations_semantic": semantic}}
            headers = {"X-Request-ID": name} if name else {}
            answer = http.post("/access/v1/evaluations", json=body, headers=headers)
            found: list[Any] = answer.raise_for_status().json()["evaluations"]
            return found

        for at in (0, evaluate.SLICE - 1, evaluate.SLICE, evaluate.SLICE + 1, 2 * evaluate.SLICE, many - 1):
            for other in (no, unreadable):
                each = [yes] * at + [other] + [yes] * (many - at - 1)
                found = asked("execute_all", each)
                assert [one["decision"] for one in found] == [one is yes for one in each]
                assert ("error" in found[at]["context"]) == (other is unreadable)
                assert [one["decision"] for one in asked("deny_on_first_deny", each)] == [True] * at + [False]
            each = [no] * at + [yes] + [no] * (many - at - 1)
            assert [one["decision"] for one in asked("permit_on_first_permit", each)] == [False] * at + [True]
        # By one name they are one request, each of them by its place.
        before = live.runtime.door.outcomes.total()
        assert asked("execute_all", [yes, no] * 20, "once") == asked("execute_all", [yes, no] * 20, "once")
        assert live.runtime.door.outcomes.total() == before + 40


def test_more_than_may_wait_is_refused(live: Live) -> None:
    go_on, door, made = threading.Event(), live.runtime.decider, list[int]()

    def hold_up() -> None:
        go_on.wait()

    door.put(hold_up)
    until(lambda: door.waiting == 0)
    for i in range(decider.MOST_WAITING):
        door.put(partial(made.append, i))
    with live.http(make_token(live.data, "front", "door", 30, "tests")[1]) as http:
        for path in ("/access/v1/evaluation", "/access/v1/evaluations"):
            refused = http.post(path, json={**_GOOD, "evaluations": [{}, {}]})
            assert (refused.status_code, refused.json()["code"]) == (503, "too-busy")
            assert refused.headers["Retry-After"] == "1"
        assert door.refused == 2
        go_on.set()
        until(lambda: door.waiting == 0)
        assert http.post("/access/v1/evaluations", json={**_GOOD, "evaluations": [{}, {}]}).status_code == 200
    assert made == list(range(decider.MOST_WAITING))
    with pytest.raises(ZeroDivisionError):
        door.ask(lambda: 1 // 0)
    door.stop()
    with pytest.raises(ServiceError, match="stopping"):
        door.ask(lambda: 1)


def test_searches_find_who_what_and_how(live: Live) -> None:
    with _door(live) as door:
        base = {
            "subject": authzen.Entity("person"),
            "action": authzen.Action("sign-in"),
            "resource": authzen.Entity("app", "vault"),
        }
        people = door.access.search("subject", authzen.Search(**base))  # type: ignore[arg-type]
        assert people.results == [{"type": "person", "id": "ines"}]
        apps = authzen.Search(authzen.Entity("person", "odd"), authzen.Action("sign-in"), authzen.Entity("app"))
        assert [found["id"] for found in door.access.search("resource", apps).results] == ["post"]
        actions = authzen.Search(authzen.Entity("person", "odd"), authzen.Action(), authzen.Entity("app", "post"))
        first = door.access.search(
            "action",
            authzen.Search(actions.subject, actions.action, actions.resource, {}, authzen.PageRequest(limit=2)),
        )
        assert first.results == [{"name": "change-password"}, {"name": "enrol-device"}]
        page = authzen.PageRequest(first.page.next_token, 100)
        rest = door.access.search("action", authzen.Search(actions.subject, actions.action, actions.resource, {}, page))
        assert rest.page.next_token == ""
        assert [found["name"] for found in rest.results] == ["enrol-factor", "register-account", "sign-in"]
    assert live.data.signins.page(Query()) == []


def test_a_request_by_the_same_id_is_answered_and_recorded_once(live: Live) -> None:
    with _door(live) as door:
        said = {"auth.methods": {"pwd": 5, "otp": 1}, "auth.notices": ["terms"]}
        first = door.access.evaluate(_ask(said=said), "r-1")
        live.clock.forward(minutes=5)
        assert door.access.evaluate(_ask(said=said), "r-1") == first
        with pytest.raises(Refused) as refused:
            door.access.evaluate(_ask("odd"), "r-1")
        assert (refused.value.problem.status, refused.value.problem.code) == (409, "request-id-used")
        # At once from many threads too, and another door's ids are its own.
        with ThreadPoolExecutor(8) as pool:
            answers = list(pool.map(lambda _: door.access.evaluate(_ask("odd"), "r-2"), range(40)))
        assert len({answer.context["id"] for answer in answers}) == 1
        with _door(live) as other:
            assert other.access.evaluate(_ask("odd"), "r-2").context["id"] != answers[0].context["id"]
        with pytest.raises(Refused, match="X-Request-ID") as long:
            door.access.evaluate(_ask(), "x" * 300)
        assert long.value.problem.code == "bad-request-id"
    assert len(live.data.signins.page(Query(limit=100))) == 3


def test_signals_look_back_at_live_decisions(live: Live) -> None:
    said = {"auth.methods": {"pwd": 5, "otp": 1}, "auth.notices": ["terms"], "auth.credentials": "right"}
    with _door(live) as door:
        assert door.access.evaluate(_ask(said=said)).decision
        live.clock.forward(minutes=1)
        abroad = door.access.evaluate(_ask(said={**said, "network.country": "GL"}))
        assert abroad.context["admin"]["deciding"] == [{"policy": "strangers", "rule": "new"}]
        live.clock.forward(minutes=1)
        assert door.access.evaluate(_ask(said=said)).decision


def test_asked_again_decided_again(live: Live) -> None:
    # What a door asks is decided as all is then, whether or not anybody has decided it again meanwhile.
    live.runtime.sessions.stop()
    said = {"auth.methods": {"pwd": 5, "otp": 1}, "auth.notices": ["terms"]}
    with _door(live) as door, live.client() as client:
        session = door.access.evaluate(_ask(said=said)).context["session"]["id"]

        def click(**context: Any) -> authzen.AccessDecision:
            live.clock.forward(minutes=2)
            return door.access.evaluate(_ask(said={"auth.notices": ["terms"], "session": {"id": session}, **context}))

        assert click().decision
        assert [s.person for s in client.sessions.all()] == ["ines"]
        # The network changes, and changes back.
        assert not click(**{"network.anonymiser": "tor"}).decision
        assert click().decision
        # The device falls below standard in the inventory.
        with Caddrel(live.url, client.tokens.create("tab", "device").token) as device:
            device.report_state("tab", DeviceState(encrypted=False))
            stopped = click()
            assert stopped.context["tell"] == [{"text": "Encrypt it."}]
            assert client.signins.trace(stopped.context["reference"]).summary.rule == "untidy"
            told = device.report_state("tab", DeviceState(encrypted=True, os_version="15.1"))
        assert told.document == {
            "id": "tab",
            "owner": "company",
            "managed": True,
            "encrypted": True,
            "os_version": "15.1",
            "state_at": live.clock.now.isoformat().replace("+00:00", "Z"),
        }
        assert click().decision
        # The second factor grows too old for what the policy asks.
        live.clock.forward(minutes=10)
        again = click()
        assert again.context["outstanding"][0]["item"] == "mfa within 15m"
        assert click(**{"auth.methods": {"pwd": 1, "otp": 1}}).decision
        # A new revision counts from the next request on.
        client.rulebook.publish(
            [
                File(
                    "r.yaml",
                    RULEBOOK.replace('then: block, tell: "{fixes}"', "then: abstain").replace(
                        "network.anonymiser is not none", "network.country is NO"
                    ),
                )
            ],
            "shut",
        )
        assert not click().decision
        client.rulebook.publish([File("r.yaml", RULEBOOK)], "open")
        with pytest.raises(Refused, match="another person") as other:
            door.access.evaluate(_ask("odd", said={"session": {"id": session}}))
        assert other.value.problem.code == "other-person"
        # Nobody clicks for too long.
        live.clock.forward(minutes=31)
        idle = click()
        assert idle.context == {
            "session": {"ended": "idle"},
            "tell": [{"text": ("You have not done anything here for a while. Please sign in again.")}],
        }
        assert client.sessions.all() == []


def test_a_device_reports_its_own_state_only(live: Live) -> None:
    with live.client() as client:
        token = client.tokens.create("tab", "device").token
        with pytest.raises(Refused, match="no device `tub`"):
            client.tokens.create("tub", "device")
        with pytest.raises(Refused, match="only the token of a device"):
            client.report_state("tab", DeviceState(encrypted=False))
    with live.http(token) as http:
        assert http.post("/api/v1/devices/other/state", json={}).status_code == 403
        assert http.get("/api/v1/devices/tab").status_code == 403
        assert http.post("/access/v1/evaluation", json=_GOOD).status_code == 403
        for wrong, status in (({"owner": "company"}, 400), ({"os_version": "new"}, 422), ({"encrypted": "yes"}, 400)):
            assert http.post("/api/v1/devices/tab/state", json=wrong).status_code == status
        assert "state_at" not in live.data.inventory.get("devices", "tab").document  # type: ignore[union-attr]


def test_sessions_end_by_age_by_the_door_and_by_an_administrator(live: Live) -> None:
    said = {"auth.methods": {"pwd": 5, "otp": 1}, "auth.notices": ["terms"]}
    with _door(live) as door, _door(live) as other, live.client() as client:

        def begin() -> str:
            return str(door.access.evaluate(_ask(said=said)).context["session"]["id"])

        def why(session: str, by: Caddrel = door) -> Any:
            return by.access.evaluate(_ask(said={**said, "session": {"id": session}})).context["session"].get("ended")

        one, two, three = begin(), begin(), begin()
        assert why(one, other) == "unknown"
        with pytest.raises(Refused, match="no session"):
            other.access.end(one)
        door.access.end(one)
        assert why(one) == "door"
        assert len(client.sessions.end(two)) == 1
        assert why(two) == "token test operator"
        for _ in range(26):
            assert why(three) is None or _ == 25
            live.clock.forward(minutes=29)
        assert why(three) == "too old"
        assert why("nonsense") == "unknown"


def _refused_for_room(door: Caddrel, client: str) -> bool:
    try:
        door.access.evaluate(_ask("odd", "post", said={"client.name": client}))
    except Refused as refused:
        return (refused.problem.status, refused.problem.code) == (503, "cannot-record")
    return False


def test_a_full_disk_or_a_stopping_service_lets_nobody_in_unrecorded(live: Live) -> None:
    def limited(connection: Any, *_: Any) -> None:
        pages = connection.execute("PRAGMA page_count").fetchone()[0]
        connection.execute(f"PRAGMA max_page_count={pages}")

    with _door(live) as door:
        door.access.evaluate(_ask())
        writing_with(live, limited)
        refusals = 0
        for i in range(200):
            refusals += _refused_for_room(door, f"client {i} " + "x" * 1500)
        assert refusals > 50
        assert len(live.data.signins.page(Query(limit=500))) == 201 - refusals
        writing_with(live, lambda c, *_: c.execute("PRAGMA max_page_count=1000000"))
        assert door.access.evaluate(_ask("odd", "post")).decision
        live.runtime.recorder.stop()
        with pytest.raises(Refused) as refused_at_last:
            door.access.evaluate(_ask())
        assert (refused_at_last.value.problem.status, refused_at_last.value.problem.code) == (503, "service-stopping")


def test_when_too_many_wait_the_door_is_told(live: Live, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("caddrel.service.decisions.group_commit.MOST_WAITING", 3)
    data = live.data
    live.runtime.door._recorder = Recorder(data.signins, lambda _: None, lambda _: None, lambda: None)
    held = threading.Event()
    add = data.signins.add

    def slow(*given: Any) -> None:
        held.wait(10)
        add(*given)

    monkeypatch.setattr(data.signins, "add", slow)
    with _door(live) as door, ThreadPoolExecutor(12) as pool:
        answers = [pool.submit(lambda: door.access.evaluate(_ask("odd", "post"))) for _ in range(12)]
        done: list[Any] = []
        for answer in answers:
            try:
                done.append(answer.result(0.5))
            except Refused as refused:
                done.append(refused.problem.code)
            except TimeoutError:
                held.set()
                done.append(answer.result(10))
    assert "too-busy" in done
    allowed = [answer for answer in done if answer != "too-busy"]
    assert len(data.signins.page(Query(limit=100))) == len(allowed)


def test_an_import_and_a_door_go_on_together(live: Live) -> None:
    lines = [
        json.dumps({"id": f"s-{i}", "facts": {"person.id": "odd", "app.id": "post", "network.country": "NO",
                    "time.at": (NOW - timedelta(seconds=9000 - i)).isoformat()}}).encode() + b"\n"
        for i in range(9000)
    ]  # fmt: skip

    def sent() -> Iterator[bytes]:
        yield from lines

    with _door(live) as door, live.client() as client, ThreadPoolExecutor(4) as pool:
        imported = pool.submit(lambda: client.signins.import_(sent()))
        answers = [pool.submit(lambda: door.access.evaluate(_ask("odd", "post"))) for _ in range(60)]
        assert all(answer.result(PATIENCE).decision for answer in answers)
        assert imported.result(PATIENCE).added == 9000
    assert sum(count for _, _, count in live.data.signins.per_day(Query())) == 9060
    deadline = time.monotonic() + PATIENCE
    while live.data.signins.due() and time.monotonic() < deadline:
        time.sleep(0.05)
    assert live.data.signins.due() == []


def test_the_answers_are_what_the_standard_says(live: Live) -> None:
    token = make_token(live.data, "front", "door", 30, "tests")[1]
    with httpx.Client(
        base_url=live.url, headers={"Authorization": f"Bearer {token}"}, verify=False, timeout=PATIENCE
    ) as http:
        answer = http.post("/access/v1/evaluation", json=_GOOD)
        assert answer.headers["Content-Type"] == "application/json"
        assert set(answer.json()) == {"decision", "context"}
        assert answer.json()["decision"] is True


def test_an_acceptance_is_kept_with_its_version_and_counts_from_then_on(live: Live) -> None:
    methods = {"auth.methods": {"pwd": 5, "otp": 1}}
    with _door(live) as door, live.client() as client:
        asked = door.access.evaluate(_ask(said=methods))
        assert [item["item"] for item in asked.context["outstanding"]] == ["notice terms"]
        # Who accepted an earlier text has not accepted this one.
        earlier = door.access.evaluate(_ask(said={**methods, "accepted": [{"notice": "terms", "version": 2}]}))
        assert earlier.context["outcome"] == "challenged"
        assert client.acceptances.list().items == []
        accepted = door.access.evaluate(_ask(said={**methods, "accepted": [{"notice": "terms", "version": 3}]}), "r-9")
        assert accepted.decision
        live.clock.forward(days=3)
        assert door.access.evaluate(_ask(said={**methods, "accepted": [{"notice": "terms", "version": 3}]})).decision
        assert door.access.evaluate(_ask(said=methods)).decision
        assert not door.access.evaluate(_ask("odd", said=methods)).decision
        kept = client.acceptances.list("ines")
        assert [(a.notice, a.version, a.accepted, a.door, a.signin) for a in kept.items] == [
            ("terms", 3, "2026-11-23T09:00:00Z", "front", accepted.context["id"])
        ]
        trace = client.signins.trace(accepted.context["reference"])
        assert (trace.same, trace.trace.facts["auth.notices"].value) == (True, ["terms"])
        # A new text is to be accepted anew.
        client.rulebook.publish([File("r.yaml", RULEBOOK.replace("version: 3", "version: 4"))], "a new text")
        assert door.access.evaluate(_ask(said=methods)).context["outcome"] == "challenged"
        door.access.evaluate(_ask(said={**methods, "accepted": [{"notice": "terms", "version": 4}]}))
        lines = b"".join(client.acceptances.export(notice="terms")).splitlines()
        assert [json.loads(line)["version"] for line in lines] == [3, 4]
        rows = b"".join(client.acceptances.export("csv")).decode().splitlines()
        assert rows[0] == "person,notice,version,accepted,door,signin"
        assert rows[1].startswith("ines,terms,3,2026-11-23T09:00:00Z,front,d-")
        page = client.acceptances.list(limit=1)
        assert (len(page.items), page.total) == (1, 2)
        assert [a.version for a in client.acceptances.list(after=page.next or 0).items] == [4]
    with _door(live, reports=("network", "auth.methods", "device.id")) as other:
        # A door that may not report it claims it at most.
        claimed = other.access.evaluate(_ask("odd", said={**methods, "accepted": [{"notice": "terms", "version": 4}]}))
        assert not claimed.decision
        with live.client() as client:
            assert client.acceptances.list("odd").items == []
            assert "auth.notices" in client.signins.trace(claimed.context["id"]).not_believed


@pytest.mark.parametrize(
    "accepted",
    [
        "terms",
        ["terms"],
        [{"notice": "terms"}],
        [{"notice": "terms", "version": "3"}],
        [{"notice": "terms", "version": True}],
        [{"notice": "term", "version": 3}],
        [{"notice": ["terms"], "version": 3}],
        [{"notice": "terms", "version": 3}] * 21,
    ],
)
def test_an_acceptance_that_cannot_be_read_is_refused(live: Live, accepted: Any) -> None:
    with _door(live) as door, pytest.raises(Refused) as refused:
        door.access.evaluate(_ask(said={"accepted": accepted}))
    assert [problem.code for problem in refused.value.problem.errors] == ["bad-acceptance"]


def test_a_membership_that_has_ended_counts_no_more_for_who_is_in(live: Live) -> None:
    until = {"id": "keepers", "until": "2026-11-23T10:00:00Z"}
    with live.client() as client, _door(live) as door:
        person = {"id": "odd", "kind": "employee", "groups": [until], "factors": ["password"]}
        client.people.import_([json.dumps(person).encode()])
        answer = door.access.evaluate(_ask("odd", "vault", said={"auth.methods": {"pwd": 1}}))
        assert answer.decision
        live.clock.forward(minutes=59)
        again = _ask("odd", "vault", said={"session": {"id": answer.context["session"]["id"]}})
        assert door.access.evaluate(again).decision
        assert client.people.get("odd").groups == ["keepers"]
        live.clock.forward(minutes=1)
        refused = door.access.evaluate(again)
        assert (refused.decision, refused.context["admin"]["reason"]) == (False, "closed")
        assert client.people.get("odd").groups == []


def test_bodies_that_never_come_keep_nobody_waiting(live: Live) -> None:
    host, port = live.url.removeprefix("http://").split(":")
    stalled = []
    for _ in range(40):
        connection = socket.create_connection((host, int(port)))
        connection.sendall(
            f"POST /access/v1/evaluation HTTP/1.1\r\nHost: {host}\r\nAuthorization: Bearer {live.token}\r\n"
            'Content-Type: application/json\r\nContent-Length: 500\r\n\r\n{"subject": '.encode()
        )
        stalled.append(connection)
    with _door(live) as door:
        assert door.access.evaluate(_ask("ines", "post")).decision
    for connection in stalled:
        connection.close()
    with _door(live) as door:
        assert door.access.evaluate(_ask("ines", "post")).decision


def test_clocks_that_go_wrong_let_nobody_in_and_lose_nothing(live: Live) -> None:
    said = {"auth.methods": {"pwd": 5, "otp": 1}, "auth.notices": ["terms"]}
    with _door(live) as door, live.client() as client:
        # What a door's clock says does not count, however far off it is.
        for moment in ("2031-01-01T00:00:00Z", "1999-01-01T00:00:00Z"):
            answer = door.access.evaluate(_ask("ines", "post", said={"time.at": moment}))
            trace = client.signins.trace(answer.context["id"])
            assert (trace.summary.at, trace.not_believed["time.at"]) == ("2026-11-23T09:00:00Z", moment)
        with pytest.raises(Refused):
            door.access.evaluate(_ask(said={"auth.methods": {"pwd": -60}}))
        # The service's own clock is set back: nobody is older than before, no limit is stretched, no record is lost.
        inside = door.access.evaluate(_ask(said=said)).context["session"]
        live.clock.forward(hours=-1)
        again = door.access.evaluate(_ask(said={"session": {"id": inside["id"]}, "auth.notices": ["terms"]}))
        assert again.decision
        assert again.context["session"]["ends_at"] == inside["ends_at"]
        trace = client.signins.trace(again.context["id"])
        assert trace.same
        assert trace.trace.facts["auth.methods"].value == {"otp": 0, "pwd": 0}
        live.clock.forward(hours=13, seconds=1)
        ended = door.access.evaluate(_ask(said={"session": {"id": inside["id"]}, **said}))
        assert ended.context["session"]["ended"] in {"idle", "too old"}
        # A device that was listed tomorrow has been listed for no time that anybody knows.
        tomorrow = {"id": "new", "owner": "company", "encrypted": True, "listed_at": "2026-12-24T00:00:00Z"}
        client.devices.import_([json.dumps(tomorrow).encode()])
        answer = door.access.evaluate(_ask("ines", "post", said={"device.id": "new"}))
        assert "device.listed_for" not in client.signins.trace(answer.context["id"]).trace.facts
        assert sum(client.signins.list().counts.values()) == 5


def test_a_device_just_enrolled_has_some_time(live: Live) -> None:
    grace = """
  grace:
    mode: enforced
    apps: [post]
    rules:
      - {id: new, when: device.listed_for is below 1d, then: allow}
      - {id: tidy, when: not device passes tidy, then: block, tell: "{fixes}"}
"""
    with live.client() as client, _door(live) as door:
        client.rulebook.publish([File("r.yaml", RULEBOOK + grace)], "a day for new devices")
        new = {"id": "new", "owner": "company", "encrypted": False, "listed_at": "2026-11-23T09:00:00Z"}
        client.devices.import_([json.dumps(new).encode()])
        assert door.access.evaluate(_ask("ines", "post", said={"device.id": "new"})).decision
        live.clock.forward(days=1)
        late = door.access.evaluate(_ask("ines", "post", said={"device.id": "new"}))
        assert (late.decision, late.context["tell"][0]["text"]) == (False, "Encrypt it.")
