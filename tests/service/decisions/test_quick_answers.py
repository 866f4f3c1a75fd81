"""The quick path says what the app says, of what it decides and of what it refuses; too much at once is refused."""

from __future__ import annotations

import json
import threading
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import httpx
import pytest
from tests.conftest import Live

from caddrel.service.auth.tokens import make_token
from caddrel.service.decisions import quick_answers
from caddrel.wire.decisions import File

RULEBOOK = """
caddrel: 1
policies:
  strong: {mode: enforced, apps: [till], rules: [{then: require mfa}]}
  post: {mode: enforced, apps: [post], rules: [{then: allow, keep: {session_at_most: 1h}}]}
"""
QUICK = quick_answers.PATH
# The same endpoint; with the stroke at the end it is left to the app.
BY_APP = f"{QUICK}/"


def _body(app: str = "post", /, **context: Any) -> dict[str, Any]:
    said = {"auth.credentials": "right", "auth.methods": ["pwd"], **context}
    subject, resource = {"type": "person", "id": "ines"}, {"type": "app", "id": app}
    return {"subject": subject, "action": {"name": "sign-in"}, "resource": resource, "context": said}


@pytest.fixture
def live(empty: Live) -> Live:
    with empty.client() as operator:
        operator.rulebook.publish([File("r.yaml", RULEBOOK)], "the first")
        operator.people.import_([json.dumps({"id": "ines", "factors": ["password", "push"]}).encode()])
        operator.apps.import_([b'{"id": "till"}\n', b'{"id": "post"}\n'])
    return empty


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
    {"subject": {"type": "person", "id": "ines"}}, {}, [], "text",
]  # fmt: skip
_BODIES = [
    b"",
    b"{",
    b"\xff",
    b"[" * 5_000,
    b"null",
    b"{}" * 40_000,
    *(json.dumps(each).encode() for each in _CONTENTS),
]


@pytest.mark.parametrize("who", ["door", "viewer", "nobody", "unreadable"])
def test_both_ways_say_the_same(live: Live, who: str) -> None:
    token = _token(live, who) if who in {"door", "viewer"} else {"nobody": "", "unreadable": "\xe9\xff"}[who]
    headers = {b"Authorization": f"Bearer {token}".encode("latin-1")} if token else {}
    seen = set()
    with httpx.Client(base_url=live.url, headers=headers) as http:
        for body in _BODIES:
            quick, app = (http.post(path, content=body) for path in (QUICK, BY_APP))
            assert _told(quick) == _told(app), body[:200]
            seen.add(quick.status_code)
    assert seen == ({200, 400, 413} if who == "door" else {401, 413} if who != "viewer" else {403, 413})


def test_one_name_is_one_request_by_either_way(live: Live) -> None:
    headers = {"Authorization": f"Bearer {_token(live)}", "X-Request-ID": "once"}
    with httpx.Client(base_url=live.url, headers=headers) as http:
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
            with httpx.Client(base_url=live.url, headers=headers, timeout=60) as http:
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
            assert live.runtime.quick.refused["token"] == 8
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
