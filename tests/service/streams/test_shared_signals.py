"""Shared signals: streams polled and pushed, events from others, what is wrong with tokens, keys and addresses."""

from __future__ import annotations

import base64
import hashlib
import hmac
import http.server
import json
import threading
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import replace
from datetime import timedelta
from functools import partial
from typing import Any

import httpx
import pytest
from joserfc import jws, jwt
from joserfc.jwk import KeySet, OctKey, OKPKey, RSAKey
from tests.conftest import PATIENCE, Live, at_once, until
from tests.service.streams.conftest import signed_in

from caddrel.client import Caddrel, Refused
from caddrel.core.facts.values import show_moment
from caddrel.service.auth.tokens import make_token
from caddrel.service.streams.delivery import PAGE
from caddrel.service.streams.events import TYPES
from caddrel.store.feeds import Feed
from caddrel.store.outbox import OutEvent
from caddrel.wire.feeds import FeedRequest

ISSUER = "https://feed.kelpline.example"
PUSH, POLL = "urn:ietf:rfc:8935", "urn:ietf:rfc:8936"


def _settled(live: Live) -> None:
    until(lambda: live.data.marks.get("decided-inventory") == live.data.inventory.version())


@pytest.fixture
def receiver(live: Live) -> Iterator[httpx.Client]:
    live.data.settings.origin = live.url
    live.data.settings.allow_private = True
    token = make_token(live.data, "mail gateway", "receiver", 30, "tests")[1]
    _settled(live)
    with httpx.Client(
        base_url=live.url, headers={"Authorization": f"Bearer {token}"}, timeout=60, verify=False
    ) as client:
        yield client


def _read(live: Live, token: str) -> dict[str, Any]:
    """Check a token as a receiver does that knows only where to begin."""
    begin = httpx.get(f"{live.url}/.well-known/ssf-configuration", timeout=PATIENCE).json()
    keys = KeySet.import_key_set(httpx.get(begin["jwks_uri"], timeout=PATIENCE).json())
    read = jwt.decode(token, keys, algorithms=["RS256"])
    assert read.header["typ"] == "secevent+jwt"
    assert read.claims["iss"] == begin["issuer"] == live.url
    return dict(read.claims)


def test_a_stream_is_polled_until_it_has_everything_once(
    live: Live,
    door: Caddrel,
    receiver: httpx.Client,
) -> None:
    ines = signed_in(door, "ines")
    made = receiver.post("/ssf/v1/stream", json={"delivery": {"method": POLL}}).json()
    assert receiver.get("/ssf/v1/stream").json() == [made]
    receiver.post("/ssf/v1/verification", json={"stream_id": made["stream_id"], "state": "hello"}).raise_for_status()
    with live.client() as client:
        client.people.import_([json.dumps({"id": "ines", "risk": "high"}).encode()])

    def poll(**asked: Any) -> dict[str, Any]:
        answer = httpx.post(made["delivery"]["endpoint_url"], json=asked, headers=receiver.headers, timeout=PATIENCE)
        assert answer.status_code == 200, answer.text
        return dict(answer.json())

    sets = until(lambda: found if len(found := poll()["sets"]) == 3 else None)
    claims = {jti: _read(live, token) for jti, token in sets.items()}
    assert all(claims[jti]["jti"] == jti and claims[jti]["aud"] == made["aud"] for jti in claims)
    told = {uri.rpartition("/")[2]: (said, c["sub_id"]) for c in claims.values() for uri, said in c["events"].items()}
    assert told["verification"][0] == {"state": "hello"}
    assert told["risk-level-change"][0]["current_level"] == "HIGH"
    assert told["session-revoked"][1]["session"] == {"format": "opaque", "id": ines}
    assert "risky / high" in told["session-revoked"][0]["reason_admin"]["en"]
    # What is not acknowledged comes again, and the same; what is, does not.
    assert poll().keys() == {"sets", "moreAvailable"}
    first, *rest = sets
    again = poll(ack=rest, maxEvents=1)
    assert list(again["sets"]) == [first]
    wrong = poll(setErrs={first: {"err": "invalid_key", "description": "cannot read it"}})
    assert wrong == {"sets": {}, "moreAvailable": False}
    with live.client() as client:
        (feed,) = client.feeds.all()
        assert (feed.kind, feed.waiting, "refused by the receiver" in feed.error) == ("events out", 0, True)
        client.people.import_([json.dumps({"id": "odd", "risk": "low"}).encode()])
    assert len(until(lambda: poll()["sets"])) == 1


def test_streams_are_changed_paused_and_kept_apart(live: Live, receiver: httpx.Client) -> None:
    kinds = [TYPES["session-revoked"], "https://example.org/unknown"]
    made = receiver.post("/ssf/v1/stream", json={"events_requested": kinds, "delivery": {"method": POLL}}).json()
    assert made["events_delivered"] == kinds[:1]
    id = made["stream_id"]
    changed = receiver.patch("/ssf/v1/stream", json={"stream_id": id, "description": "mail"}).json()
    assert (changed["description"], changed["events_requested"]) == ("mail", kinds)
    replaced = receiver.put("/ssf/v1/stream", json={"stream_id": id, "delivery": {"method": POLL}}).json()
    assert "description" not in replaced
    assert len(replaced["events_requested"]) == len(TYPES)
    person = {"stream_id": id, "subject": {"format": "opaque", "id": "odd"}}
    receiver.post("/ssf/v1/subjects/remove", json=person).raise_for_status()
    receiver.post("/ssf/v1/status", json={"stream_id": id, "status": "paused"}).raise_for_status()
    with live.client() as client:
        for who in ("odd", "ines"):
            client.people.import_([json.dumps({"id": who, "risk": "low"}).encode()])
    _settled(live)
    path = f"/ssf/v1/poll/{id}"
    assert receiver.post(path, json={}).json()["sets"] == {}
    assert receiver.post("/ssf/v1/status", json={"stream_id": id, "status": "enabled"}).json()["status"] == "enabled"
    (token,) = receiver.post(path, json={}).json()["sets"].values()
    assert _read(live, token)["sub_id"]["sub"] == "ines"
    other = {"Authorization": f"Bearer {make_token(live.data, 'other', 'receiver', 30, 'tests')[1]}"}
    for method, where in (("GET", f"/ssf/v1/status?stream_id={id}"), ("DELETE", f"/ssf/v1/stream?stream_id={id}")):
        assert receiver.request(method, where, headers=other).status_code == 404
    assert receiver.get("/api/v1/people").status_code == 403
    gopher = {"delivery": {"method": PUSH, "endpoint_url": "gopher://x"}}
    asked: list[tuple[dict[str, Any], str]] = [
        ({"delivery": {"method": "carrier pigeon"}}, "bad-stream"), ({"delivery": {"method": PUSH}}, "bad-stream"),
        ({"events_requested": "all"}, "bad-stream"), ({"colour": "red"}, "bad-stream"),
        ({"description": 7}, "bad-stream"), (gopher, "bad-address"),
    ]  # fmt: skip
    for wrong, code in asked:
        assert receiver.post("/ssf/v1/stream", json=wrong).json()["code"] == code
    nobody = {"stream_id": id, "subject": {"format": "opaque"}}
    assert receiver.post("/ssf/v1/subjects/remove", json=nobody).json()["code"] == "bad-subject"
    left = {"stream_id": id, "subject": {"format": "opaque", "id": "one-more"}}
    stream = live.data.event_streams.get(id)
    assert stream is not None
    many = {**stream.document, "left_out": [f"p-{n}" for n in range(10_000)]}
    live.data.event_streams.put(replace(stream, document=many))
    assert receiver.post("/ssf/v1/subjects/remove", json=left).json()["code"] == "too-many-subjects"
    assert receiver.post(path, json={"ack": "all"}).json()["code"] == "bad-poll"
    for odd in ('{"ack": "all"}', '{"maxEvents": -1}', '{"setErrs": []}', "[]", "{"):
        headers = {"Content-Type": "application/json"}
        assert receiver.post(path, content=odd, headers=headers).status_code in {400, 422}
    assert receiver.delete(f"/ssf/v1/stream?stream_id={id}").status_code == 204
    assert receiver.post(path, json={}).status_code == 404
    pushed = {"delivery": {"method": PUSH, "endpoint_url": "http://127.0.0.1:9/"}}
    id = receiver.post("/ssf/v1/stream", json=pushed).json()["stream_id"]
    assert receiver.post(f"/ssf/v1/poll/{id}", json={}).json()["code"] == "not-polled"
    live.data.settings.allow_private = False
    push = {"delivery": {"method": PUSH, "endpoint_url": "http://127.0.0.1:9/"}}
    assert receiver.post("/ssf/v1/stream", json=push).status_code == 422
    codes = [receiver.post("/ssf/v1/stream", json={}).json().get("code") for _ in range(20)]
    assert codes[-1] == "too-many-streams"


class _Taking(http.server.BaseHTTPRequestHandler):
    """A receiver that is down at first."""

    def do_POST(self) -> None:
        body = self.rfile.read(int(self.headers["Content-Length"])).decode()
        down = self.server.down > 0  # type: ignore[attr-defined]
        if down:
            self.server.down -= 1  # type: ignore[attr-defined]
        else:
            self.server.taken.append((self.headers["Authorization"], body))  # type: ignore[attr-defined]
        # The last refusal is none that RFC 8935 has for an event that is taken.
        self.send_response((204 if not self.server.down else 503) if down else 202)  # type: ignore[attr-defined]
        self.send_header("Content-Length", "0")
        self.end_headers()

    def log_message(self, *_: Any) -> None:
        pass


def test_events_are_pushed_in_order_also_to_who_was_down(live: Live, receiver: httpx.Client) -> None:
    server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), _Taking)
    server.down, server.taken = 2, []  # type: ignore[attr-defined]
    threading.Thread(target=server.serve_forever, daemon=True).start()
    url = f"http://127.0.0.1:{server.server_port}/events"
    delivery = {"method": PUSH, "endpoint_url": url, "authorization_header": "Bearer not-ours"}
    made = receiver.post("/ssf/v1/stream", json={"delivery": delivery}).json()
    # What is sent with each event is nobody's to read.
    assert "authorization_header" not in made["delivery"]
    with live.client() as client:
        for level in ("low", "medium", "high"):
            client.people.import_([json.dumps({"id": "odd", "risk": level}).encode()])
            _settled(live)
        until(lambda: len(server.taken) == 3)  # type: ignore[attr-defined]
        assert client.feeds.all()[0].error == ""
    claims = [_read(live, token) for _, token in server.taken]  # type: ignore[attr-defined]
    assert [next(iter(c["events"].values()))["current_level"] for c in claims] == ["LOW", "MEDIUM", "HIGH"]
    assert {header for header, _ in server.taken} == {"Bearer not-ours"}  # type: ignore[attr-defined]
    server.shutdown()
    server.server_close()


def _told_risks(live: Live, people: Iterable[str]) -> None:
    at = live.clock.now
    live.data.outbox.add(
        [
            OutEvent("risk-level-change", at, person=who, said={"before": "low", "now": "high", "because": "x"})
            for who in people
        ]
    )


def _polled(live: Live, receiver: httpx.Client, id: str) -> list[Any]:
    sets = receiver.post(f"/ssf/v1/poll/{id}", json={"maxEvents": 10}).json()["sets"]
    return [_read(live, token)["sub_id"]["sub"] for token in sets.values()]


def test_what_a_stream_does_not_want_neither_hides_what_it_wants_nor_is_kept_for_it(
    live: Live, receiver: httpx.Client
) -> None:
    outbox, look = live.data.outbox, live.runtime.delivery.look
    live.runtime.delivery.stop()
    everything = receiver.post("/ssf/v1/stream", json={}).json()["stream_id"]
    few = receiver.post("/ssf/v1/stream", json={"events_requested": [TYPES["session-revoked"]]}).json()["stream_id"]
    left_out = {"stream_id": everything, "subject": {"format": "opaque", "id": "odd"}}
    receiver.post("/ssf/v1/subjects/remove", json=left_out).raise_for_status()
    _told_risks(live, ["odd"] * (2 * PAGE + 3) + ["ines"])
    assert _polled(live, receiver, everything) == ["ines"]
    look()
    # What only the one waits for is kept, and nothing before it.
    assert (outbox.has(few), outbox.oldest()) == (outbox.head(), outbox.head())
    assert {each.id: each.status for each in live.data.event_streams.all()} == {everything: "enabled", few: "enabled"}
    assert _polled(live, receiver, everything) == ["ines"]


def test_what_is_lost_is_told_and_the_rest_goes_on(
    live: Live, receiver: httpx.Client, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("caddrel.store.outbox.MOST_KEPT", 5)
    id = receiver.post("/ssf/v1/stream", json={}).json()["stream_id"]
    live.runtime.delivery.stop()
    _told_risks(live, [f"p-{n}" for n in range(20)])
    live.runtime.delivery.look()
    live.runtime.delivery.look()
    with live.client() as client:
        (feed,) = client.feeds.all()
        assert (feed.state, feed.error) == ("paused", "too much waited: some is lost")
    receiver.post("/ssf/v1/status", json={"stream_id": id, "status": "enabled"}).raise_for_status()
    live.runtime.delivery.look()
    kept = [f"p-{n}" for n in range(14, 20)]
    assert _polled(live, receiver, id) == kept


def test_nothing_is_sent_to_or_kept_for_whose_token_is_revoked(live: Live, receiver: httpx.Client) -> None:
    id = receiver.post("/ssf/v1/stream", json={}).json()["stream_id"]
    stream = live.data.event_streams.get(id)
    assert stream is not None
    live.data.accounts.revoke_token(stream.receiver, live.clock.now)
    live.runtime.delivery.stop()
    _told_risks(live, ["ines", "odd"])
    live.runtime.delivery.look()
    assert live.data.outbox.oldest() == live.data.outbox.head()
    with live.client() as client:
        (feed,) = client.feeds.all()
        assert feed.error == "its token is revoked or has run out: nothing is sent"
        # Nobody can use it any more: it may be taken out.
        assert client.feeds.remove(feed.name) == []


KEY = OKPKey.generate_key("Ed25519", {"kid": "f-1"})


@pytest.fixture
def feed(live: Live) -> Live:
    keys = {"keys": [KEY.as_dict(private=False)]}
    with live.client() as client:
        client.feeds.add(
            FeedRequest(
                "threat feed",
                ISSUER,
                keys,
                "caddrel",
                [
                    "credential-compromise",
                    "account-disabled",
                    "account-enabled",
                    "session-revoked",
                    "device-compliance-change",
                ],
                24,
            )
        )
    _settled(live)
    return live


def _event(live: Live, kind: str, subject: Any, said: Mapping[str, Any] | None = None, **claims: Any) -> dict[str, Any]:
    return {
        "iss": ISSUER, "jti": f"j-{kind}-{len(claims)}", "iat": int(live.clock.now.timestamp()), "aud": "caddrel",
        "sub_id": subject, "events": {TYPES.get(kind, kind): dict(said or {})}, **claims,
    }  # fmt: skip


def _send(
    live: Live, claims: Mapping[str, Any], key: Any = KEY, alg: str = "Ed25519", typ: str = "secevent+jwt"
) -> httpx.Response:
    header = {"typ": typ, "alg": alg, "kid": "f-1"}
    text = jws.serialize_compact(header, json.dumps(claims), key, algorithms=[alg])
    return _bring(live, text)


def _bring(live: Live, text: str) -> httpx.Response:
    return httpx.post(
        f"{live.url}/ssf/v1/events",
        content=text,
        headers={"Content-Type": "application/secevent+jwt"},
        timeout=PATIENCE,
    )


INES = {"format": "iss_sub", "iss": "https://elsewhere.example", "sub": "ines"}


def test_what_a_feed_tells_becomes_facts_for_a_time(feed: Live, door: Caddrel) -> None:
    ines = signed_in(door, "ines")
    with feed.client() as client:
        told = _event(feed, "credential-compromise", INES, {"credential_type": "password"})
        assert _send(feed, told).status_code == 202
        assert _document(feed, "people", "ines")["risk"] == "medium"
        # Told again it changes nothing, whatever has become of it since.
        client.people.import_([json.dumps({"id": "ines", "risk": "low"}).encode()])
        assert _send(feed, told).status_code == 202
        assert _document(feed, "people", "ines")["risk"] == "low"
        client.people.import_([json.dumps({"id": "ines", "risk": "medium"}).encode()])
        feed.clock.forward(hours=25)
        until(lambda: _document(feed, "people", "ines").get("risk") == "none")
        assert _send(feed, _event(feed, "account-disabled", INES, {"reason": "hijacking"})).status_code == 202
        found = feed.data.door_sessions.get(ines)
        assert found is not None
        assert found.ended_by in {"feed threat feed", "too old"}
        assert "off" in _document(feed, "people", "ines")
        assert _send(feed, _event(feed, "account-enabled", INES)).status_code == 202
        assert "off" not in _document(feed, "people", "ines")
        device = {"format": "complex", "device": {"format": "opaque", "id": "tab-1"}}
        assert (
            _send(
                feed, _event(feed, "device-compliance-change", device, {"current_status": "not-compliant"})
            ).status_code
            == 202
        )
        assert _document(feed, "devices", "tab-1")["managed"] is False
        entry = client.feeds.all()[0]
        assert (entry.name, entry.events, entry.error) == ("threat feed", 4, "")
        said = [e.note for e in feed.data.audit.page() if e.who == "feed threat feed"]
        assert any("a credential is compromised" in note for note in said)


def _other_feed(live: Live, **asked: Any) -> str:
    keys = {"keys": [KEY.as_dict(private=False)]}
    with live.client() as client:
        client.feeds.add(FeedRequest("second feed", "https://second.kelpline.example", keys, "caddrel", **asked))
    return "https://second.kelpline.example"


def _risk(live: Live) -> Any:
    return _document(live, "people", "ines").get("risk")


def test_of_several_feeds_the_highest_risk_is_believed_as_long_as_it_is(feed: Live) -> None:
    other = _other_feed(feed, lasts_hours=2)
    level = "risk-level-change"
    assert _send(feed, _event(feed, "credential-compromise", INES)).status_code == 202
    for n, (told, risk) in enumerate([("HIGH", "high"), ("LOW", "medium"), ("HIGH", "high")]):
        claims = _event(feed, level, INES, {"current_level": told}, iss=other, jti=f"r-{n}")
        assert _send(feed, claims).status_code == 202
        assert _risk(feed) == risk
    feed.clock.forward(hours=3)
    until(lambda: _risk(feed) == "medium")
    with feed.client() as client:
        # Whoever is in charge says another: it stays, whatever ends, until a feed tells something new.
        client.people.import_([json.dumps({"id": "ines", "risk": "low"}).encode()])
        feed.clock.forward(hours=30)
        until(lambda: feed.data.told.risks("ines") == [])
    assert _risk(feed) == "low"
    assert _send(feed, _event(feed, level, INES, {"current_level": "HIGH"}, iss=other, jti="r-9")).status_code == 202
    feed.clock.forward(hours=3)
    until(lambda: _risk(feed) == "low")


def test_what_two_feeds_tell_at_the_same_instant_is_both_believed_and_ends(feed: Live) -> None:
    one, other = _two(feed)
    told, now = feed.runtime.receiver.told, feed.clock.now

    def tells(by: Feed, *levels: str) -> None:
        # Several times: so that one comes in between the steps of the other.
        for level in levels * 6:
            told.risk(by, "ines", level, now)

    for _ in range(3):
        at_once(partial(tells, one, "low", "high"), partial(tells, other, "medium", "low"))
        assert _risk(feed) == "high"
        assert feed.data.told.before("ines") == ("high", "none")
        told.risk(one, "ines", "low", now)
        told.risk(other, "ines", "low", now)
    feed.clock.forward(hours=200)
    until(lambda: _risk(feed) == "none")
    until(lambda: feed.data.told.before("ines") is None)


def _two(feed: Live) -> list[Feed]:
    _other_feed(feed)
    return feed.data.feeds.all()


def test_an_event_that_comes_many_times_at_once_is_taken_once(feed: Live) -> None:
    claims = _event(feed, "credential-compromise", INES)
    answers = at_once(*[partial(_send, feed, claims)] * 8)
    assert {answer.status_code for answer in answers} == {202}
    with feed.client() as client:
        assert [each.events for each in client.feeds.all()] == [1]
    said = [entry for entry in feed.data.audit.page() if entry.who == "feed threat feed"]
    assert len(said) == 1


def test_only_who_was_put_off_by_a_feed_is_brought_back_by_it(feed: Live) -> None:
    other = _other_feed(feed)

    def tell(kind: str, n: int, **claims: Any) -> bool:
        assert _send(feed, _event(feed, kind, INES, jti=f"o-{n}", **claims)).status_code == 202
        return "off" in _document(feed, "people", "ines")

    assert tell("account-disabled", 1)
    assert tell("account-disabled", 2, iss=other)
    assert tell("account-enabled", 3)
    assert not tell("account-enabled", 4, iss=other)
    with feed.client() as client:
        client.people.import_([json.dumps({"id": "ines", "off": "2026-01-01T00:00:00Z"}).encode()])
        assert tell("account-disabled", 5)
        # She has left: a feed that has locked her beside that does not bring her back.
        assert tell("account-enabled", 6)
    said = [e.note for e in feed.data.audit.page() if e.who == "feed threat feed"]
    assert any("stays off: threat feed has not put them off" in note for note in said)


def test_whoever_is_told_to_be_in_danger_is_in_a_group_as_long(feed: Live) -> None:
    other, level = _other_feed(feed, targeted="night", lasts_hours=2), "risk-level-change"

    def groups(told: str, n: int) -> list[Any]:
        claims = _event(feed, level, INES, {"current_level": told}, iss=other, jti=f"g-{n}")
        assert _send(feed, claims).status_code == 202
        return list(_document(feed, "people", "ines")["groups"])

    assert groups("LOW", 1) == ["crew"]
    ((name, ends),) = [(each["id"], each["until"]) for each in groups("HIGH", 2) if each != "crew"]
    assert (name, ends) == ("night", show_moment(feed.clock.now + timedelta(hours=2)))
    feed.clock.forward(seconds=60)
    assert groups("MEDIUM", 3)[-1]["until"] > ends
    assert groups("LOW", 4) == ["crew"]
    with feed.client() as client:
        client.people.import_([json.dumps({"id": "ines", "groups": ["crew", "night"]}).encode()])
        assert groups("HIGH", 5) == groups("LOW", 6) == ["crew", "night"]
        with pytest.raises(Refused, match="there is no group `nigth`"):
            _other_feed(feed, targeted="nigth")


class _Asked(http.server.BaseHTTPRequestHandler):
    """A feed that is asked for its events."""

    def do_POST(self) -> None:
        body = json.loads(self.rfile.read(int(self.headers["Content-Length"])))
        kept: dict[str, str] = self.server.kept  # type: ignore[attr-defined]
        self.server.asked.append((self.headers["Authorization"], body))  # type: ignore[attr-defined]
        for jti in [*body["ack"], *body["setErrs"]]:
            kept.pop(jti, None)
        answer = json.dumps({"sets": kept, "moreAvailable": False}).encode()
        status = 503 if self.server.down else 200  # type: ignore[attr-defined]
        self.send_response(status)
        self.send_header("Content-Length", str(len(answer)))
        self.end_headers()
        self.wfile.write(answer)

    def log_message(self, *_: Any) -> None:
        pass


def test_a_feed_is_asked_for_its_events_and_told_which_were_taken(feed: Live) -> None:
    server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), _Asked)
    server.asked, server.down = [], True  # type: ignore[attr-defined]
    issuer, header = "https://second.kelpline.example", {"typ": "secevent+jwt", "alg": "Ed25519", "kid": "f-1"}
    right = _event(feed, "risk-level-change", INES, {"current_level": "HIGH"}, iss=issuer, jti="a")
    told = {jti: {**right, "jti": jti, "aud": aud} for jti, aud in (("a", "caddrel"), ("b", "somebody else"))}
    signed = {
        jti: jws.serialize_compact(header, json.dumps(claims), KEY, algorithms=["Ed25519"])
        for jti, claims in told.items()
    }
    server.kept = {**signed, "c": 7}  # type: ignore[attr-defined]
    threading.Thread(target=server.serve_forever, daemon=True).start()
    url = f"http://127.0.0.1:{server.server_port}/poll"
    with feed.client() as client:
        with pytest.raises(Refused, match="is no https address"):
            _other_feed(feed, poll=url)
        feed.data.settings.allow_private = True
        for wrong in ({"token": "x"}, {"poll": url, "token": "x\ny"}, {"poll": url, "every_seconds": 1}):
            with pytest.raises(Refused):
                _other_feed(feed, **wrong)
        _other_feed(feed, poll=url, token="not-ours")
        (entry,) = [each for each in client.feeds.all() if each.name == "second feed"]
        assert entry.address == url
        until(lambda: "answered 503" in next(e.error for e in client.feeds.all() if e.name == "second feed"))
        server.down = False  # type: ignore[attr-defined]
        found = feed.data.feeds.get("second feed")
        assert found is not None
        assert feed.runtime.poller.ask(found) == 1
        assert _risk(feed) == "high"
    assert server.kept == {}  # type: ignore[attr-defined]
    *_, (sent, last) = server.asked  # type: ignore[attr-defined]
    assert sent == "Bearer not-ours"
    assert last["ack"] == ["a"]
    assert {jti: each["err"] for jti, each in last["setErrs"].items()} == {
        "b": "invalid_audience", "c": "invalid_request",
    }  # fmt: skip
    # What it is asked with is not sent to another address, nor told.
    assert "not-ours" not in json.dumps([dict(each.document) for each in feed.data.feeds.all()])
    _other_feed(feed, poll=url.replace("/poll", "/elsewhere"))
    elsewhere = feed.data.feeds.get("second feed")
    assert elsewhere is not None
    feed.runtime.poller.ask(elsewhere)
    assert server.asked[-1][0] is None  # type: ignore[attr-defined]
    server.shutdown()
    server.server_close()


@pytest.mark.parametrize(
    ("changed", "code"),
    [
        ({"iss": "https://somebody.example"}, "invalid_issuer"),
        ({"aud": "somebody else"}, "invalid_audience"),
        ({"iat": 4_000_000_000}, "invalid_request"),
        ({"iat": 1}, "invalid_request"),
        ({"iat": "now"}, "invalid_request"),
        ({"jti": ""}, "invalid_request"),
        ({"exp": 1}, "invalid_request"),
        ({"events": {}}, "invalid_request"),
        ({"events": {"https://example.org/unknown": {}}}, "invalid_request"),
        ({"events": {TYPES["risk-level-change"]: {"current_level": "HIGH"}}}, "access_denied"),
        ({"sub_id": {"format": "opaque", "id": "nobody"}}, "invalid_request"),
        ({"sub_id": None}, "invalid_request"),
    ],
)
def test_what_is_not_to_be_believed_changes_nothing(feed: Live, changed: dict[str, Any], code: str) -> None:
    before = feed.data.inventory.version()
    answer = _send(feed, _event(feed, "credential-compromise", INES, **changed))
    assert (answer.status_code, answer.json()["err"]) == (400, code)
    assert feed.data.inventory.version() == before


def test_a_signature_that_is_not_the_feeds_is_not_believed(feed: Live) -> None:
    told = _event(feed, "account-disabled", INES)
    other = OKPKey.generate_key("Ed25519", {"kid": "f-1"})
    unsigned = f"{_b64({'alg': 'none', 'typ': 'secevent+jwt'})}.{_b64(told)}."
    # Signed by what everybody knows, taken for a shared secret.
    begun = f"{_b64({'alg': 'HS256', 'typ': 'secevent+jwt', 'kid': 'f-1'})}.{_b64(told)}"
    known = hmac.new(KEY.as_bytes(private=False), begun.encode(), hashlib.sha256).digest()
    for answer in (
        _send(feed, told, other),
        _bring(feed, f"{begun}.{_b64(known)}"),
        _send(feed, told, RSAKey.generate_key(2048, {"kid": "f-1"}), "RS256"),
        _bring(feed, unsigned),
    ):
        assert (answer.status_code, answer.json()["err"]) == (401, "authentication_failed")
    # A token of another kind, rightly signed, is no event.
    assert _send(feed, told, typ="JWT").json()["err"] == "invalid_request"
    for text in ("", "a.b.c", "not a token", "é"):
        assert _bring(feed, text).json()["err"] == "invalid_request"
    assert _bring(feed, "x" * 25_000).status_code == 413
    assert "off" not in _document(feed, "people", "ines")
    with feed.client() as client:
        assert client.feeds.pause("threat feed", paused=True)[0].state == "paused"
        assert _send(feed, told).json()["err"] == "access_denied"
        wrong: list[dict[str, Any]] = [
            {"keys": []},
            {},
            {"keys": [KEY.as_dict(private=True)]},
            {"keys": [OctKey.generate_key().as_dict()]},
        ]
        for keys in wrong:
            with pytest.raises(Refused) as refused:
                client.feeds.add(FeedRequest("other", "https://other.example", keys))
            assert refused.value.problem.code == "bad-feed"
        with pytest.raises(Refused, match="that issuer is the feed") as known_already:
            client.feeds.add(FeedRequest("other", ISSUER, {"keys": [KEY.as_dict(private=False)]}))
        assert known_already.value.problem.code == "issuer-known"
        assert client.feeds.remove("threat feed") == []
        assert _send(feed, told).json()["err"] == "invalid_issuer"


def _document(live: Live, noun: str, id: str) -> Mapping[str, Any]:
    found = live.data.inventory.get(noun, id)
    assert found is not None
    return found.document


def _b64(claims: Mapping[str, Any] | bytes) -> str:
    raw = claims if isinstance(claims, bytes) else json.dumps(claims).encode()
    return base64.urlsafe_b64encode(raw).decode().rstrip("=")
