"""Doors in a few lines: an app's requests are asked about, one by one; closed when nobody answers."""

from __future__ import annotations

import os
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import httpx
import pytest
from tests.conftest import PATIENCE, TILL_AND_POST, Live

from caddrel.client import Refused
from caddrel.door import Gate, Visitor, WsgiDoor
from caddrel.door.refusal import refusal
from caddrel.door.verdict import Unanswered
from caddrel.door.visitor import cookie_for, visitor_of
from caddrel.service.auth.tokens import make_token
from caddrel.wire.decisions import File

EXAMPLES = Path(__file__).parents[2] / "examples"
PASSWORD = "the tide turns at six"


def _token(till_and_post: Live) -> str:
    return make_token(till_and_post.data, "an app", "door", 30, "tests")[1]


@pytest.fixture(params=["flask_door.py", "starlette_door.py"])
def app(request: pytest.FixtureRequest, till_and_post: Live) -> Iterator[tuple[str, Live]]:
    given = {
        "CADDREL_URL": till_and_post.url,
        "CADDREL_TOKEN": _token(till_and_post),
        "CADDREL_APP": "post",
        "PORT": "0",
    }
    words = [sys.executable, str(EXAMPLES / request.param)]
    with subprocess.Popen(
        words, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, env=os.environ | given
    ) as ran:
        assert ran.stdout is not None
        yield ran.stdout.readline().strip(), till_and_post
        ran.terminate()


def test_somebody_signs_in_goes_on_and_is_put_out_by_what_changes(app: tuple[str, Live]) -> None:
    url, live = app
    with (
        httpx.Client(base_url=url, timeout=PATIENCE, follow_redirects=True, verify=False) as browser,
        live.client() as operator,
    ):
        assert "<form" in browser.get("/").text
        wrong = browser.post("/sign-in", data={"person": "ines.faro", "password": "guess"})
        assert (wrong.status_code, "Reference: " in wrong.text) == (403, True)
        inside = browser.post("/sign-in", data={"person": "ines.faro", "password": PASSWORD})
        assert "Good morning, ines.faro." in inside.text
        assert "Good morning" in browser.get("/").text
        # Somebody else's name with this session is nobody's.
        held = browser.cookies["caddrel_door"]
        forged = {"Cookie": f"caddrel_door={held.replace('ines', 'odd')}"}
        assert httpx.get(url, headers=forged, timeout=PATIENCE).status_code == 401
        # What changes is held for a second look: it is the door's asking that puts them out, not that change.
        live.data.settings.hold_sessions = 0
        operator.rulebook.publish(
            [File("r.yaml", f"{TILL_AND_POST}  stop: {{mode: enforced, rules: [{{then: block, tell: Not now.}}]}}\n")],
            "s",
        )
        stopped = browser.get("/")
        assert (stopped.status_code, "Not now." in stopped.text) == (403, True)
        operator.rulebook.publish([File("r.yaml", TILL_AND_POST)], "back")
        for session in operator.sessions.all():
            operator.sessions.end(session.id)
        ended = browser.get("/")
        assert (ended.status_code, "ended" in ended.text) == (401, True)
        # The cookie is forgotten, so that the page can ask in again.
        assert "<form" in browser.get("/").text
        browser.post("/sign-in", data={"person": "ines.faro", "password": PASSWORD})
        assert "<form" in browser.post("/sign-out").text
        assert operator.sessions.all() == []


def test_what_is_still_needed_is_said_as_the_standard_has_it(till_and_post: Live) -> None:
    with Gate(till_and_post.url, _token(till_and_post), "till") as gate:
        verdict = gate.sign_in("ines.faro", {"auth.credentials": "right", "auth.methods": {"pwd": 0}})
    status, _, headers, body = refusal(verdict)
    assert (status, verdict.why, verdict.visitor) == (401, "challenged", None)
    told = 'Bearer error="insufficient_user_authentication", acr_values="mfa", max_age=900'
    assert dict(headers)["WWW-Authenticate"] == told
    assert verdict.outstanding[0]["says"] in body.decode()


@pytest.mark.parametrize("unanswered", ["closed", "stay"])
def test_nobody_new_gets_in_while_nobody_answers(till_and_post: Live, unanswered: Unanswered) -> None:
    down = False

    def answer(request: httpx.Request) -> httpx.Response:
        if down:
            raise httpx.ConnectError("the line is down", request=request)
        with httpx.Client(verify=False, timeout=PATIENCE) as http:
            found = http.request(request.method, request.url, headers=request.headers, content=request.content)
            return httpx.Response(found.status_code, content=found.content)

    transport = httpx.MockTransport(answer)
    with Gate(till_and_post.url, _token(till_and_post), "post", unanswered=unanswered, transport=transport) as gate:
        said = {"auth.credentials": "right", "auth.methods": {"pwd": 0}}
        visitor = gate.sign_in("ines.faro", said).visitor
        assert visitor is not None
        down = True
        assert gate.ask(visitor, {}).allowed is (unanswered == "stay")
        for nobody in (Visitor("ines.faro", "in-made-up"), Visitor("odd", visitor.session)):
            assert not gate.ask(nobody, {}).allowed
        new = gate.sign_in("ines.faro", said)
        assert (new.allowed, new.why, refusal(new)[0]) == (False, "unanswered", 503)
        down = False
        with till_and_post.client() as operator:
            operator.sessions.end(visitor.session)
        assert gate.ask(visitor, {}).why == "ended"
        down = True
        # Who was put out does not stay because nobody answers now.
        assert not gate.ask(visitor, {}).allowed


@pytest.mark.parametrize(("status", "code", "why"), [(503, "too-busy", "unanswered"), (429, "too-many", "unanswered")])
def test_a_service_that_is_too_busy_lets_nobody_in(status: int, code: str, why: str) -> None:
    problem = httpx.Response(status, json={"title": "t", "status": status, "code": code})
    with Gate("http://caddrel.test", "t", "post", transport=httpx.MockTransport(lambda _: problem)) as gate:
        assert gate.sign_in("ines.faro", {}).why == why


def test_a_door_that_is_set_up_wrongly_says_so(till_and_post: Live) -> None:
    with Gate(till_and_post.url, "cad_none_none", "post") as gate, pytest.raises(Refused):
        gate.sign_in("ines.faro", {})
    with Gate(till_and_post.url, _token(till_and_post), "post") as gate, pytest.raises(Refused):
        gate.sign_in("ines.faro", {"no.such.fact": 1})


@pytest.mark.parametrize("person", ["ines.faro", "a:b", "ünï ©", 'x"; Path=/', "%3A"])
def test_cookies_say_who_it_was(person: str) -> None:
    visitor = Visitor(person, "in-0123")
    for secure in (False, True):
        cookie = cookie_for(visitor, secure)
        held = cookie.partition("; ")[0]
        assert visitor_of(held, secure) == visitor
        # Over https only the cookie counts that no other host, and nobody on the way, can have set.
        assert visitor_of(held, not secure) is None
        assert visitor_of(f'other={{"a": 1}}; x=a b,c; {held}; y="', secure) == visitor
        assert ("Secure" in cookie) is secure
        assert "HttpOnly" in cookie
    assert visitor_of(cookie_for(None, secure=False).partition("; ")[0], secure=False) is None


@pytest.mark.parametrize(
    "cookies",
    [
        "",
        "x=1",
        "caddrel_door=",
        "caddrel_door=:",
        "caddrel_door=a",
        "caddrel_door=:b",
        f"caddrel_door=a:{'b' * 5000}",
        "\x00",
        "caddrel_door",
    ],
)
def test_whatever_is_no_such_cookie_is_nobody(cookies: str) -> None:
    assert visitor_of(cookies, secure=False) is None


def test_nobody_can_say_from_outside_who_is_in() -> None:
    seen: list[dict[str, Any]] = []

    def inner(environ: dict[str, Any], start: Any) -> list[bytes]:
        seen.append(environ)
        start("200 OK", [])
        return []

    with Gate("http://caddrel.test", "t", "post", transport=httpx.MockTransport(lambda _: httpx.Response(500))) as gate:
        door = WsgiDoor(inner, gate)
        door({"HTTP_CADDREL_VISITOR": "ines", "caddrel.visitor": "left over"}, lambda *_: None)
        told: list[str] = []
        door({"HTTP_COOKIE": "caddrel_door=ines:in-1"}, lambda status, _: told.append(status))
    assert seen[0]["caddrel.visitor"] is None
    assert (len(seen), told) == (1, ["503 Service Unavailable"])
