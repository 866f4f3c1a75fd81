"""Console accounts: second factors, fresh proofs, what ends sessions, and how guessing is slowed down."""

from __future__ import annotations

from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import httpx
import pyotp
import pytest
from playwright.sync_api import Browser
from tests.conftest import PATIENCE, Live, serving

from caddrel.service.auth import accounts as access

PASSWORD = "four words by the sea"


@pytest.fixture
def live(tmp_path: Path) -> Iterator[Live]:
    for each in serving(tmp_path / "data"):
        access.make_account(each.data, "maren", "operator", PASSWORD)
        yield each


_open: list[httpx.Client] = []


@pytest.fixture(autouse=True)
def _closing() -> Iterator[None]:
    yield
    while _open:
        _open.pop().close()


def _console(live: Live, **said: str) -> tuple[httpx.Client, dict[str, Any]]:
    http = httpx.Client(base_url=live.url, timeout=PATIENCE, verify=False)
    _open.append(http)
    answer = http.post("/api/v1/session", json=said or {"name": "maren", "password": PASSWORD})
    assert answer.status_code == 200, answer.text
    http.headers["X-Caddrel-CSRF"] = answer.json()["csrf"]
    return http, answer.json()


def _code(answer: httpx.Response) -> str:
    return str(answer.json()["code"])


def _enrol(live: Live, http: httpx.Client) -> pyotp.TOTP:
    begun = http.post("/api/v1/session/factors/totp").json()
    totp = pyotp.TOTP(begun["secret"])
    code = totp.at(live.clock.now)
    assert http.put("/api/v1/session/factors/totp", json={"begun": begun["begun"], "code": code}).status_code == 200
    return totp


def test_a_password_alone_opens_nothing_once_there_is_a_second_factor(live: Live) -> None:
    http, info = _console(live)
    assert (info["half"], info["factors"]) == (False, [])
    totp = _enrol(live, http)
    half, info = _console(live)
    assert (info["half"], info["factors"]) == (True, ["totp"])
    for path in ("/api/v1/people", "/api/v1/tokens", "/api/v1/rulebook/view"):
        assert _code(half.get(path)) == "second-factor"
    assert _code(half.post("/api/v1/session/factors/totp")) == "second-factor"
    assert _code(half.post("/api/v1/session/proof", json={"password": PASSWORD})) == "second-factor"
    assert _code(half.post("/api/v1/session/proof", json={"totp": "000000"})) == "wrong-proof"
    live.clock.forward(minutes=1)
    code = totp.at(live.clock.now)
    # Good once, also for two who give it at the same instant.
    again, _ = _console(live)
    with ThreadPoolExecutor(2) as pool:
        proofs = list(
            pool.map(lambda c: c.post("/api/v1/session/proof", json={"totp": code}).status_code, [half, again])
        )
    assert sorted(proofs) == [200, 401]
    proved = half if proofs[0] == 200 else again
    assert proved.get("/api/v1/people").status_code == 200
    assert live.data.accounts.account("maren").totp != totp.secret  # type: ignore[union-attr]


def test_where_it_is_required_it_is_added_before_anything_else(live: Live) -> None:
    live.data.settings.second_factor = True
    http, info = _console(live)
    assert (info["half"], info["factors"]) == (True, [])
    assert _code(http.get("/api/v1/people")) == "second-factor"
    _enrol(live, http)
    assert http.get("/api/v1/people").status_code == 200
    assert _code(http.delete("/api/v1/session/kept-factors/totp")) == "last-factor"
    # A way in from the host stands for all factors.
    way_in, info = _console(live, code=access.make_entry_code(live.data, "maren"))
    assert not info["half"]
    assert way_in.get("/api/v1/people").status_code == 200


def test_what_needs_a_fresh_proof_asks_for_one(live: Live) -> None:
    http, _ = _console(live)
    asked = {"name": "nightly", "role": "viewer", "days": 1}
    assert http.post("/api/v1/tokens", json=asked).status_code == 201
    live.clock.forward(minutes=6)
    assert _code(http.post("/api/v1/tokens", json=asked)) == "prove-again"
    assert (
        _code(http.post("/api/v1/session/proof", json={"password": "something else entirely"})) == "wrong-credentials"
    )
    assert http.post("/api/v1/session/proof", json={"password": PASSWORD}).status_code == 200
    assert http.post("/api/v1/tokens", json=asked).status_code == 201
    with live.http() as token:
        assert _code(token.post("/api/v1/session/proof", json={"password": "x"})) == "no-session"


@pytest.mark.parametrize(
    ("method", "path", "body", "code"),
    [
        ("PUT", "factors/totp", {"begun": "x", "code": "123456"}, "bad-factor"),
        ("PUT", "factors/passkey", {"credential": {"id": "x"}, "title": ""}, "no-challenge"),
        ("DELETE", "kept-factors/nothing", None, "not-found"),
        ("POST", "proof", {"passkey": {"id": "x"}}, "no-challenge"),
        ("POST", "proof", {"totp": "12345"}, "wrong-proof"),
    ],
)
def test_factors_that_are_none_are_refused(live: Live, method: str, path: str, body: Any, code: str) -> None:
    http, _ = _console(live)
    assert _code(http.request(method, f"/api/v1/session/{path}", json=body)) == code
    http.headers.pop("X-Caddrel-CSRF")
    assert _code(http.request(method, f"/api/v1/session/{path}", json=body)) == "csrf"


def test_a_code_of_another_secret_and_a_passkey_of_nonsense_are_refused(live: Live) -> None:
    http, _ = _console(live)
    begun = http.post("/api/v1/session/factors/totp").json()
    wrong = {"begun": begun["begun"], "code": "000000"}
    assert _code(http.put("/api/v1/session/factors/totp", json=wrong)) == "wrong-code"
    http.post("/api/v1/session/factors/passkey")
    nonsense = {"credential": {"id": "x", "rawId": "x", "type": "public-key", "response": {}}, "title": "x"}
    assert _code(http.put("/api/v1/session/factors/passkey", json=nonsense)) == "bad-passkey"
    from caddrel.store.accounts import Passkey

    for i in range(10):
        live.data.accounts.add_passkey(Passkey(f"k{i}", "maren", b"", 0, f"key {i}", live.clock()))
    live.clock.forward(seconds=1)
    assert _code(http.post("/api/v1/session/factors/passkey")) == "too-many-passkeys"
    assert not live.data.accounts.add_passkey(Passkey("k1", "maren", b"", 0, "again", live.clock())), "passkey-there"


def test_a_passkey_is_made_and_proved_in_a_browser(live: Live, browser: Browser) -> None:
    # Browsers make passkeys at localhost, and not at an address.
    at = live.url.replace("127.0.0.1", "localhost")
    live.data.settings.origin = at
    context = browser.new_context(viewport={"width": 1280, "height": 800}, reduced_motion="reduce")
    page = context.new_page()
    errors: list[str] = []
    page.on("pageerror", lambda error: errors.append(str(error)))
    devtools = context.new_cdp_session(page)
    devtools.send("WebAuthn.enable")
    devtools.send(
        "WebAuthn.addVirtualAuthenticator",
        {
            "options": {
                "protocol": "ctap2", "transport": "internal", "hasResidentKey": True, "hasUserVerification": True,
                "isUserVerified": True, "automaticPresenceSimulation": True,
            }
        },
    )  # fmt: skip

    def sign_in() -> None:
        page.goto(f"{at}/#/enter")
        page.get_by_label("Name").fill("maren")
        page.get_by_label("Password").fill(PASSWORD)
        page.get_by_role("button", name="Enter").click()

    sign_in()
    page.wait_for_url("**/#/watch")
    page.goto(f"{at}/#/settings/account")
    page.get_by_role("button", name="Add a second factor").click()
    page.get_by_label("What it is called").fill("Laptop")
    page.get_by_role("button", name="Make one").click()
    page.get_by_text("maren has 1 second factor.").wait_for()
    page.get_by_text("Laptop").wait_for()
    context.clear_cookies()
    page.reload()
    sign_in()
    page.get_by_role("heading", name="One more proof, maren").wait_for()
    page.get_by_role("button", name="Use a passkey").click()
    page.wait_for_url("**/#/watch")
    kept = live.data.accounts.passkeys("maren")
    assert [key.title for key in kept] == ["Laptop"]
    assert kept[0].used is not None
    assert errors == []
    context.close()


def test_sessions_end_when_they_must(live: Live) -> None:
    def works(http: httpx.Client) -> bool:
        return http.get("/api/v1/people").status_code == 200

    first, _ = _console(live)
    second, _ = _console(live)
    assert first.post("/api/v1/accounts", json={"name": "maren", "role": "operator"}).status_code == 201
    assert works(first)
    assert works(second), "nothing has changed"
    changed = first.post(
        "/api/v1/accounts", json={"name": "maren", "role": "operator", "password": "other words at sea"}
    )
    assert changed.status_code == 201
    assert (works(first), works(second)) == (True, False)
    third, _ = _console(live, name="maren", password="other words at sea")
    live.clock.forward(minutes=59)
    assert works(third)
    live.clock.forward(minutes=61)
    assert not works(third), "it was idle for over an hour"
    fourth, _ = _console(live, name="maren", password="other words at sea")
    with live.client() as operator:
        assert [session.account for session in operator.accounts.sessions()][:1] == ["maren"]
        operator.accounts.end_sessions("maren")
        assert not works(fourth)
        assert [account.name for account in operator.accounts.remove("maren")] == []
    with live.http("") as nobody:
        answer = nobody.post("/api/v1/session", json={"name": "maren", "password": "other words at sea"})
        assert _code(answer) == "wrong-credentials"


def test_whoever_knows_their_password_changes_it(live: Live) -> None:
    http, _ = _console(live)
    other, _ = _console(live)
    new = "six boats in the harbour"
    for body, code in (
        ({"current": "something else entirely", "password": new}, "wrong-credentials"),
        ({"password": new}, "wrong-credentials"),
        ({"current": PASSWORD, "password": "maren"}, "bad-password"),
        ({"current": PASSWORD, "password": ""}, "bad-password"),
    ):
        assert _code(http.put("/api/v1/session/password", json=body)) == code
    live.clock.forward(minutes=6)
    right = {"current": PASSWORD, "password": new}
    assert _code(http.put("/api/v1/session/password", json=right)) == "prove-again"
    assert http.post("/api/v1/session/proof", json={"password": PASSWORD}).status_code == 200
    assert http.put("/api/v1/session/password", json=right).status_code == 200
    assert http.get("/api/v1/people").status_code == 200
    assert other.get("/api/v1/people").status_code == 401
    assert _code(
        httpx.post(f"{live.url}/api/v1/session", json={"name": "maren", "password": PASSWORD}, timeout=PATIENCE)
    ) == ("wrong-credentials")
    _console(live, name="maren", password=new)
    # Whoever came by a one-time code to an account without a password gives it its first.
    access.make_account(live.data, "odd", "viewer", "")
    first, _ = _console(live, code=access.make_entry_code(live.data, "odd"))
    assert first.put("/api/v1/session/password", json={"password": new}).status_code == 200
    _console(live, name="odd", password=new)
    with live.http() as token:
        assert _code(token.put("/api/v1/session/password", json=right)) == "no-session"


def test_nobody_takes_out_their_own_account(live: Live) -> None:
    http, _ = _console(live)
    assert _code(http.delete("/api/v1/accounts/maren")) == "own-account"


@pytest.mark.parametrize("password", ["password1234", "Marenmaren1!", "aaaabbbbaaaa", "short"])
def test_passwords_that_are_guessed_first_are_refused(vacant: Live, password: str) -> None:
    with vacant.http() as http:
        answer = http.post("/api/v1/accounts", json={"name": "maren", "role": "viewer", "password": password})
    assert (answer.status_code, _code(answer)) == (422, "bad-password")


def test_tries_are_counted_before_they_are_looked_at(live: Live) -> None:
    def guess(i: int) -> int:
        with httpx.Client(base_url=live.url, timeout=PATIENCE, verify=False) as http:
            return http.post("/api/v1/session", json={"name": "maren", "password": f"guess {i}"}).status_code

    with ThreadPoolExecutor(24) as pool:
        answers = list(pool.map(guess, range(24)))
    assert answers.count(401) <= 5
    with live.http("") as nobody:
        answer = nobody.post("/api/v1/session", json={"name": "maren", "password": PASSWORD})
        assert _code(answer) == "too-many-tries"
        # One address cannot go through names either.
        live.clock.forward(minutes=6)
        tried = [nobody.post("/api/v1/session", json={"name": f"n{i}", "password": "x"}).status_code for i in range(24)]
        assert tried.count(401) <= 20
        assert tried[-1] == 429


def test_signing_in_is_for_the_console_itself(live: Live) -> None:
    body = {"name": "maren", "password": PASSWORD}
    with live.http("") as http:
        other = http.post("/api/v1/session", json=body, headers={"Sec-Fetch-Site": "cross-site"})
        assert (other.status_code, _code(other)) == (403, "other-site")
        form = http.post("/api/v1/session", content=b'{"name": "maren"}', headers={"Content-Type": "text/plain"})
        assert (form.status_code, _code(form)) == (415, "not-json")
        foreign = http.get("/healthz", headers={"Host": "rebound.example"})
        assert (foreign.status_code, _code(foreign)) == (421, "unknown-host")
        live.data.settings.hosts = ("caddrel.kelpline.example",)
        live.data.settings.origin = "https://caddrel.kelpline.example"
        named = http.post("/api/v1/session", json=body, headers={"Host": "caddrel.kelpline.example"})
        assert named.status_code == 200
        assert named.headers["Strict-Transport-Security"]
        cookie = named.headers["Set-Cookie"]
        assert cookie.startswith("__Host-caddrel_session=")
        assert "Secure" in cookie
        assert "HttpOnly" in cookie
