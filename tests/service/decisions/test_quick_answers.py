"""The quick path says what the app says, of what it decides and of what it refuses; too much at once is refused."""

from __future__ import annotations

import json
import socket
import threading
from concurrent.futures import ThreadPoolExecutor
from itertools import pairwise
from pathlib import Path
from typing import Any

import httpx
import pytest
from tests.conftest import PATIENCE, TILL_AND_POST, Live, serving, until

from caddrel.service.auth import secrets
from caddrel.service.auth.tokens import make_token
from caddrel.service.decisions import quick_answers
from caddrel.service.http import frame, front
from caddrel.wire.decisions import File

QUICK = quick_answers.PATH
# The same endpoint; with the stroke at the end it is left to the app.
BY_APP = f"{QUICK}/"


def _body(app: str = "post", /, **context: Any) -> dict[str, Any]:
    said = {"auth.credentials": "right", "auth.methods": ["pwd"], **context}
    subject, resource = {"type": "person", "id": "ines.faro"}, {"type": "app", "id": app}
    return {"subject": subject, "action": {"name": "sign-in"}, "resource": resource, "context": said}


@pytest.fixture
def live(till_and_post: Live) -> Live:
    return till_and_post


def _token(live: Live, role: str = "door") -> str:
    return make_token(live.data, f"a {role}", role, 30, "tests")[1]


def _told(answer: httpx.Response) -> tuple[int, dict[str, str], Any]:
    """Return an answer without what no two have in common."""
    own = {"date", "content-length", "x-request-id"}
    document = answer.json()
    document.pop("request_id", None)
    for name in ("id", "reference", "session"):
        document.get("context", {}).pop(name, None)
    return answer.status_code, {k: v for k, v in answer.headers.items() if k not in own}, document


_CONTENTS: list[Any] = [
    _body(), _body("till"), _body("nowhere"), _body(**{"auth.credentials": "wrong"}),
    _body(**{"auth.credentials": "perhaps"}), _body("post", **{"no.such": 1}),
    _body(**{"network.ip": "not an address"}), _body(session={"id": "in-none"}), _body(session=5),
    {"subject": {"type": "person", "id": "ines.faro"}}, {}, [], "text",
]  # fmt: skip
_BODIES = [
    b"",
    b"{",
    b"\xff",
    b"[" * 5_000,
    b"null",
    b"{}" * 40_000,
    b'{"a": "' + b"x" * 30_000 + b'"}',
    *(json.dumps(each).encode() for each in _CONTENTS),
]


@pytest.mark.parametrize("who", ["door", "viewer", "nobody", "unreadable"])
def test_both_ways_say_the_same(live: Live, who: str) -> None:
    token = _token(live, who) if who in {"door", "viewer"} else {"nobody": "", "unreadable": "\xe9\xff"}[who]
    headers = {b"Authorization": f"Bearer {token}".encode("latin-1")} if token else {}
    seen = set()
    with httpx.Client(base_url=live.url, headers=headers, verify=False, timeout=PATIENCE) as http:
        for body in _BODIES:
            quick, app = (http.post(path, content=body) for path in (QUICK, BY_APP))
            assert _told(quick) == _told(app), body[:200]
            seen.add(quick.status_code)
    assert seen == ({200, 400, 413} if who == "door" else {401, 413} if who != "viewer" else {403, 413})


def _sent(token: str, body: bytes, more: str = "", path: str = QUICK, version: str = "1.1") -> bytes:
    head = f"POST {path} HTTP/{version}\r\nHost: 127.0.0.1\r\nAuthorization: Bearer {token}\r\n{more}"
    return head.encode() + b"Content-Length: %d\r\n\r\n%b" % (len(body), body)


def _read(connection: socket.socket) -> bytes:
    """Return what comes until the other end closes."""
    answers = b""
    while piece := connection.recv(65536):
        answers += piece
    return answers


_BODY, _WRONG = json.dumps(_body()).encode(), json.dumps(_body("till")).encode()


@pytest.mark.parametrize(
    ("more", "version", "at"),
    [
        ("", "1.1", ()), ("", "1.1", (10, 40, 150)), ("", "1.1", (-1,)), ("", "1.1", (-len(_BODY),)),
        ("Expect: 100-continue\r\n", "1.1", (-20,)), ("Connection: keep-alive\r\n", "1.0", (-5,)),
    ],
)  # fmt: skip
def test_however_requests_come_each_gets_its_own_answer(
    live: Live, more: str, version: str, at: tuple[int, ...]
) -> None:
    token = _token(live)
    one, other = (_sent(token, body, more, version=version) for body in (_BODY, _WRONG))
    last = _sent(token, _BODY, "Connection: close\r\n", version=version)
    slow = _sent(token, _WRONG, path=BY_APP, version=version)
    whole = [one, other, slow, other, one, last] if version == "1.1" else [one]
    connection = socket.create_connection(("127.0.0.1", int(live.url.rpartition(":")[2])), timeout=PATIENCE)
    with connection:
        connection.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        if at:
            for request in whole:
                places = [0, *(place % len(request) for place in at), len(request)]
                for first, end in pairwise(places):
                    connection.sendall(request[first:end])
        else:
            connection.sendall(b"".join(whole))
        answers = _read(connection).replace(b"HTTP/1.1 100 Continue\r\n\r\n", b"").split(b"HTTP/1.1 ")[1:]
    assert [answer[:3] for answer in answers] == [b"200"] * len(whole)
    let_in = [json.loads(answer.partition(b"\r\n\r\n")[2])["decision"] for answer in answers]
    assert let_in == [request not in (other, slow) for request in whole]
    for answer in answers:
        names = [line.partition(b":")[0].lower() for line in answer.partition(b"\r\n\r\n")[0].split(b"\r\n")[1:]]
        assert len(names) == len(set(names))
        assert {b"date", b"x-content-type-options", b"x-request-id", b"cache-control"} <= set(names)


def test_who_reads_no_answers_gets_them_all_in_the_end(live: Live) -> None:
    request, last = (_sent(_token(live), _BODY, more) for more in ("", "Connection: close\r\n"))
    with socket.socket() as connection, ThreadPoolExecutor(1) as pool:
        # So little room that many answers wait with the server.
        connection.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 4096)
        connection.settimeout(PATIENCE)
        connection.connect(("127.0.0.1", int(live.url.rpartition(":")[2])))
        sent = pool.submit(connection.sendall, request * 400 + last)
        until(lambda: live.runtime.door.outcomes["allowed"] > 40)
        assert _read(connection).count(b'"decision":true') == 401
        sent.result()


def test_who_is_gone_before_the_answer_leaves_nothing_behind(live: Live) -> None:
    request = _sent(_token(live), _BODY)
    port = int(live.url.rpartition(":")[2])
    with live.runtime.log.deciding:
        for _ in range(3):
            with socket.create_connection(("127.0.0.1", port), timeout=PATIENCE) as connection:
                connection.sendall(request)
                until(lambda: live.runtime.quick.waiting)
    until(lambda: not live.runtime.quick.waiting)
    with live.http(_token(live)) as other:
        assert other.post(QUICK, json=_body()).json()["decision"]


def test_what_was_asked_is_answered_before_the_service_stops(tmp_path: Path) -> None:
    with ThreadPoolExecutor(2) as pool:
        service = serving(tmp_path / "data")
        live = next(service)
        with live.client() as operator:
            operator.rulebook.publish([File("r.yaml", TILL_AND_POST)], "the first")
        with live.runtime.log.deciding:
            asked = pool.submit(httpx.post, f"{live.url}{QUICK}", json=_body(), timeout=PATIENCE,
                                headers={"Authorization": f"Bearer {_token(live)}"})  # fmt: skip
            until(lambda: live.runtime.quick.waiting)
            stopped = pool.submit(next, service, None)
            until(lambda: _refuses(live.url))
        assert asked.result().json()["context"]["outcome"]
        stopped.result()


def _refuses(url: str) -> bool:
    """Tell whether nobody listens any more."""
    try:
        socket.create_connection(("127.0.0.1", int(url.rpartition(":")[2])), timeout=PATIENCE).close()
    except OSError:
        return True
    return False


def test_one_name_is_one_request_by_either_way(live: Live) -> None:
    headers = {"Authorization": f"Bearer {_token(live)}", "X-Request-ID": "once"}
    with httpx.Client(base_url=live.url, headers=headers, verify=False, timeout=PATIENCE) as http:
        found = [http.post(path, json=_body()).json() for path in (QUICK, BY_APP, QUICK)]
        assert found[0] == found[1] == found[2]
        assert [http.post(path, json=_body("till")).status_code for path in (QUICK, BY_APP)] == [409, 409]
        assert http.post(QUICK, json=_body(), headers={"X-Request-ID": "x" * 300}).status_code == 400
    with live.client() as client:
        assert client.signins.list().counts["allowed"] == 1


def test_the_newest_are_refused_when_too_many_wait(live: Live, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(quick_answers, "MOST_OF_TOKEN", 4)
    with live.runtime.log.deciding, ThreadPoolExecutor(12) as pool:
        headers = {"Authorization": f"Bearer {_token(live)}"}
        begun = threading.Barrier(12)

        def ask(_: int) -> httpx.Response:
            with httpx.Client(base_url=live.url, headers=headers, timeout=60, verify=False) as http:
                begun.wait()
                return http.post(QUICK, json=_body())

        waiting = [pool.submit(ask, i) for i in range(12)]
        # Those that are refused do not wait; the others do, until the lock is let go of.
        while sum(each.done() for each in waiting) < 8:
            threading.Event().wait(0.01)
        refused = [each.result() for each in waiting if each.done()]
        assert {answer.status_code for answer in refused} == {503}
        assert {answer.headers["retry-after"] for answer in refused} == {"1"}
        assert refused[0].json()["code"] == "too-busy"
        live.runtime.log.deciding.release()
        try:
            assert sorted(each.result().status_code for each in waiting) == [200] * 4 + [503] * 8
            # Nobody else was kept out, and whoever was is let in again.
            with live.http(_token(live)) as other:
                assert other.post(QUICK, json=_body()).json()["decision"]
            assert live.runtime.quick.refused == 8
        finally:
            live.runtime.log.deciding.acquire()


def test_what_is_asked_waits_and_is_refused_is_counted(live: Live) -> None:
    with live.http(_token(live)) as door:
        for body in (_body(), _body(), _body("till")):
            assert door.post(QUICK, json=body).status_code == 200
        assert door.post(QUICK, content=b"{").status_code == 400
    with live.http() as http:
        told = http.get("/metrics").text.splitlines()
    assert {'caddrel_evaluations_total{outcome="allowed"} 2.0', 'caddrel_waiting{queue="commit"} 0.0'} <= set(told)
    assert "caddrel_evaluation_seconds_count 4.0" in told
    assert "caddrel_commit_records_sum 3.0" in told
    assert 'caddrel_refused_total{why="token"} 0.0' in told
    # As OpenMetrics has it: none is larger than the next, and the last is all.
    found = [float(line.split()[1]) for line in told if line.startswith("caddrel_evaluation_seconds_bucket")]
    assert found == sorted(found)
    assert found[-1] == 4


def test_a_token_that_is_slow_to_look_at_holds_nobody_up(live: Live) -> None:
    token = _token(live)
    id, secret = token.removeprefix("cad_").split("_", 1)
    with live.data.accounts._database.write() as connection:
        # As an earlier release kept it.
        connection.exec_driver_sql("UPDATE tokens SET secret_hash = ? WHERE id = ?", (secrets.hashed(secret), id))
    callers = live.runtime.callers
    assert callers.at_once(f"Bearer {token}", "") is None
    assert callers.at_once(f"Bearer cad_{id}_wrong", "") is None
    with live.http(f"cad_{id}_wrong") as nobody:
        assert nobody.post(QUICK, json=_body()).status_code == 401
    assert callers.at_once(f"Bearer {token}", "") is None
    with live.http(token) as door:
        # The app looks at it once; from then on it is known.
        assert door.post(QUICK, json=_body()).status_code == 200
        known = callers.at_once(f"Bearer {token}", "")
        assert known is not None
        assert door.post(QUICK, json=_body()).status_code == 200
        live.data.accounts.revoke_token(id, live.clock())
        assert callers.at_once(f"Bearer {token}", "") is None
        assert door.post(QUICK, json=_body()).status_code == 401


def test_who_has_waited_too_long_is_told_and_the_next_are_decided(live: Live, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(front, "LONGEST_WAIT", 0.0)
    with live.http(_token(live)) as door:
        with live.runtime.log.deciding:
            late = door.post(QUICK, json=_body(), headers={"X-Request-ID": "late"})
        assert (late.status_code, late.json()["code"], late.headers["x-request-id"]) == (503, "too-busy", "late")
        monkeypatch.setattr(front, "LONGEST_WAIT", 60.0)
        # Asked again by the same name it is what was decided meanwhile.
        assert door.post(QUICK, json=_body(), headers={"X-Request-ID": "late"}).status_code == 200


class _Closed:
    """A log that nobody reads any more."""

    def __getattr__(self, _: str) -> Any:
        raise BrokenPipeError


def test_what_cannot_be_decided_or_logged_keeps_nobody_else_waiting(
    live: Live, monkeypatch: pytest.MonkeyPatch
) -> None:
    def broken(*_: object) -> None:
        raise RuntimeError

    monkeypatch.setattr(frame, "_log", _Closed())
    with live.http(_token(live)) as door:
        with monkeypatch.context() as inside:
            inside.setattr(live.runtime.door, "begin", broken)
            assert door.post(QUICK, json=_body()).json()["code"] == "internal-error"
        assert door.post(QUICK, json=_body()).status_code == 200
