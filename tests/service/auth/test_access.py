"""Who may do what: tokens, sessions, roles, and what is never told."""

from __future__ import annotations

import re
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import httpx
import pyotp
import pytest
from tests.command import run
from tests.conftest import NOW, PATIENCE, Live, serving

from caddrel import wiring
from caddrel.client import Caddrel, Refused
from caddrel.service.app import ENDPOINTS
from caddrel.service.auth import secrets
from caddrel.service.auth.tokens import AREAS, make_token
from caddrel.service.http.endpoints import NOBODY_NEEDED, Endpoint
from caddrel.store.accounts import DOOR, ROLES

NEEDING = [e for e in ENDPOINTS if e.role != NOBODY_NEEDED]


def _path(route: str) -> str:
    return re.sub("<[^>]*id>", "longer-than-six", route).replace("<path>", "settings")


@pytest.fixture(scope="module")
def refusing(tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[Live, dict[str, str]]]:
    """A service that is only asked for what it refuses, and a token of each role."""
    for live in serving(tmp_path_factory.mktemp("refusing") / "data"):
        # The token of a device has the name of one.
        live.data.inventory.put([("devices", {"id": "device"})], NOW)
        yield live, {role: make_token(live.data, role, role, 1, "tests")[1] for role in ROLES}


@pytest.mark.parametrize("endpoint", NEEDING, ids=lambda e: f"{e.method} {e.route}")
def test_every_endpoint_refuses_nobody_and_lesser_roles(
    refusing: tuple[Live, dict[str, str]], endpoint: Endpoint[Any]
) -> None:
    live, tokens = refusing
    with live.http("") as nobody:
        answer = nobody.request(endpoint.method, _path(endpoint.route))
        assert answer.status_code == 401
        assert answer.json()["code"] == "not-signed-in"
        assert answer.headers["WWW-Authenticate"].startswith("Bearer")
    for role in ROLES[: ROLES.index(endpoint.role)]:
        if role == DOOR and endpoint.doors:
            continue
        with live.http(tokens[role]) as lesser:
            answer = lesser.request(endpoint.method, _path(endpoint.route))
            assert (answer.status_code, answer.json()["code"]) == (403, "not-allowed")


def test_a_token_ends_when_it_expires_or_is_revoked(empty: Live) -> None:
    made, text = make_token(empty.data, "short", "viewer", 1, "tests")
    with empty.http(text) as http:
        assert http.get("/api/v1/people").status_code == 200
        empty.clock.forward(days=2)
        assert http.get("/api/v1/people").json()["code"] == "token-expired"
    with empty.client() as operator:
        made_now = operator.tokens.create("later", "viewer", 3)
        with empty.http(made_now.token) as http:
            assert http.get("/api/v1/people").status_code == 200
            operator.tokens.revoke(made_now.info.id)
            assert http.get("/api/v1/people").status_code == 401
        with pytest.raises(Refused, match="no token"):
            operator.tokens.revoke(made_now.info.id)
        assert {t.name for t in operator.tokens.all()} >= {"short", "later"}
    # 256 random bits need no slow hash.
    assert made.secret_hash == secrets.hashed_random(text.removeprefix(f"cad_{made.id}_"))


@pytest.mark.parametrize("token", ["nonsense", "cad_x_y", "cad__", "cad_0123_" + "x" * 5000])
def test_a_token_that_is_none_is_refused(empty: Live, token: str) -> None:
    with empty.http(token) as http:
        assert http.get("/api/v1/people").status_code == 401


def test_a_one_time_way_in_lets_in_once(empty: Live) -> None:
    code = wiring.way_in(empty.data)

    def enter(_: int) -> int:
        return httpx.post(f"{empty.url}/api/v1/session", json={"code": code}, timeout=PATIENCE).status_code

    with ThreadPoolExecutor(8) as pool:
        assert sorted(pool.map(enter, range(8))) == [200] + [401] * 7
    late = wiring.way_in(empty.data)
    empty.clock.forward(hours=1)
    assert (
        httpx.post(f"{empty.url}/api/v1/session", json={"code": late}, timeout=PATIENCE).json()["code"] == "code-used"
    )


def test_a_console_session_needs_its_csrf_value_and_ends(empty: Live) -> None:
    with empty.client() as operator:
        operator.accounts.put("maren", "operator", "a long enough password")
    with empty.http("") as http:
        wrong = http.post("/api/v1/session", json={"name": "maren", "password": "not this one"})
        assert wrong.json()["code"] == "wrong-credentials"
        session = http.post("/api/v1/session", json={"name": "maren", "password": "a long enough password"})
        assert session.json()["role"] == "operator"
        cookie = session.headers["set-cookie"]
        assert "HttpOnly" in cookie
        assert "SameSite=Strict" in cookie
        body = {"name": "x", "role": "viewer", "days": 1}
        assert http.post("/api/v1/tokens", json=body).json()["code"] == "csrf"
        headers = {"X-Caddrel-CSRF": session.json()["csrf"]}
        assert http.post("/api/v1/tokens", json=body, headers=headers).status_code == 201
        assert http.get("/api/v1/session").json()["account"] == "maren"
        empty.clock.forward(hours=13)
        assert http.get("/api/v1/session").json()["account"] == ""
        assert http.get("/api/v1/people").status_code == 401


def test_signing_out_ends_the_session_everywhere(empty: Live) -> None:
    code = wiring.way_in(empty.data)
    with empty.http("") as http:
        session = http.post("/api/v1/session", json={"code": code}).json()
        cookies = dict(http.cookies)
        assert http.delete("/api/v1/session", headers={"X-Caddrel-CSRF": session["csrf"]}).status_code == 200
    answer = httpx.get(f"{empty.url}/api/v1/people", cookies=cookies, timeout=PATIENCE)
    assert answer.status_code == 401


def test_guessing_is_slowed_down(empty: Live) -> None:
    with empty.client() as operator:
        operator.accounts.put("odd", "viewer", "a long enough password")
    with empty.http("") as http:
        for _ in range(5):
            assert http.post("/api/v1/session", json={"name": "odd", "password": "guess"}).status_code == 401
        right = {"name": "odd", "password": "a long enough password"}
        assert http.post("/api/v1/session", json=right).json()["code"] == "too-many-tries"
        empty.clock.forward(minutes=6)
        assert http.post("/api/v1/session", json=right).status_code == 200


def test_no_secret_is_stored_in_clear(empty: Live) -> None:
    with empty.client() as operator:
        operator.accounts.put("maren", "viewer", "a very secret password")
        made = operator.tokens.create("secret", "viewer")
        operator.people.import_([b'{"id": "ada"}'])
        starter = operator.starter_codes.issue("ada").code
    code = wiring.way_in(empty.data)
    with httpx.Client(base_url=empty.url, verify=False, timeout=PATIENCE) as http:
        info = http.post("/api/v1/session", json={"code": code}).json()
        cookie = http.cookies["caddrel_session"]
        begun = http.post("/api/v1/session/factors/totp", headers={"X-Caddrel-CSRF": info["csrf"]}).json()
        confirmed = {"begun": begun["begun"], "code": pyotp.TOTP(begun["secret"]).at(empty.clock.now)}
        kept = http.put("/api/v1/session/factors/totp", json=confirmed, headers={"X-Caddrel-CSRF": info["csrf"]})
        assert kept.status_code == 200
    stored = b"".join(path.read_bytes() for path in empty.folder.rglob("*") if path.is_file())
    assert b"secret" in stored, "its name is there"
    # A secret may itself hold what stands between the parts of a token.
    secret = made.token.removeprefix(f"cad_{made.info.id}_")
    assert len(secret) == 43
    for each in ("a very secret password", secret, code, cookie, begun["secret"], starter, starter.replace("-", "")):
        assert len(each) > 10
        assert each.encode() not in stored


@pytest.mark.parametrize(
    ("body", "code"),
    [
        ({"name": "", "role": "viewer"}, "bad-account"),
        ({"name": "x", "role": "king"}, "bad-account"),
        ({"name": "x", "role": "viewer", "password": "short"}, "bad-password"),
        ({"name": "x", "role": "viewer", "pasword": "a long enough one"}, "bad-request"),
    ],
    ids=["name", "role", "password", "field"],
)
def test_accounts_that_make_no_sense(empty: Live, body: dict[str, str], code: str) -> None:
    with empty.http() as http:
        assert http.post("/api/v1/accounts", json=body).json()["code"] == code
        token = {"name": "x", "role": "viewer", "days": 0}
        assert http.post("/api/v1/tokens", json=token).json()["code"] == "bad-token"
        assert http.delete("/api/v1/session").json()["code"] == "no-session"


def test_a_token_for_some_things_may_do_no_others(empty: Live) -> None:
    with empty.client() as operator:
        made = operator.tokens.create("nightly", "operator", 30, only=["signins", "jobs"])
        assert made.info.only == ["signins", "jobs"]
        for only, role in ((["tokens"], "operator"), (["signin"], "operator"), (["signins"], "door")):
            with pytest.raises(Refused) as refused:
                operator.tokens.create("wrong", role, 30, only=only)
            assert refused.value.problem.code == "bad-token"
    with Caddrel(empty.url, made.token) as nightly:
        assert nightly.jobs.all() == []
        for ask in (nightly.tokens.all, nightly.rulebook.history, nightly.people.list, nightly.drafts.all):
            with pytest.raises(Refused) as refused:
                ask()
            assert (refused.value.problem.status, refused.value.problem.code) == (403, "out-of-scope")
    areas = {e.route.removeprefix("/api/v1/").partition("/")[0] for e in ENDPOINTS if e.route.startswith("/api/v1/")}
    # Whoever may make tokens or accounts can do anything, so nothing can be for these alone.
    assert areas - set(AREAS) == {"tokens", "accounts", "session", "console-sessions"}
    done = run("token", "create", "n", "--role", "viewer", "--only", "rulebook", env=empty.environment())
    assert done.returncode == 0
    assert "signins, jobs" in " ".join(
        run("token", "list", env={**empty.environment(), "COLUMNS": "200"}).stdout.split()
    )
