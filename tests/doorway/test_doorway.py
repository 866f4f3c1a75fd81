"""The doorway as a process of its own, used as people use it: in a browser, before a service with the Kelpline data."""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys
from collections.abc import Callable, Iterator
from pathlib import Path

import httpx
import pytest
from playwright.sync_api import Browser, Page, expect
from tests.axe import OF_THEME, axe_findings
from tests.conftest import PATIENCE, Live, serving, until

from caddrel.demo.fill import ADDRESSES
from caddrel.doorway.holdings import FIRST_PASSWORD, Holdings

Come = Callable[..., Page]


@pytest.fixture(scope="module")
def world(kelpline_folder: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Live]:
    """A service whose data these tests change; its clock is the real one's moment, since codes depend on it."""
    folder = tmp_path_factory.mktemp("doorway") / "data"
    shutil.copytree(kelpline_folder, folder)
    yield from serving(folder, address_files=[ADDRESSES])


@pytest.fixture(scope="module")
def doorway(world: Live) -> Iterator[str]:
    command = [sys.executable, "-c", "from caddrel.cli import main; main()", "doorway", "--bind", "127.0.0.1:0"]
    process = subprocess.Popen(
        [*command, "--with-parent"],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        env={**os.environ, **world.environment()},
    )
    assert process.stdin is not None
    assert process.stdout is not None
    yield process.stdout.readline().decode().strip()
    process.stdout.close()
    process.stdin.close()
    # It ends with whoever started it, and leaves no token behind that is good.
    assert process.wait(PATIENCE) == 0
    with world.client() as client:
        made = [token for token in client.tokens.all() if token.created_by == "token tests"]
        assert "door" in {token.role for token in made}
        assert all(token.revoked for token in made if token.role in {"door", "device"})


@pytest.fixture
def come(browser: Browser, doorway: str) -> Iterator[Come]:
    """Come to the door as somebody."""
    contexts = []
    wrong: list[str] = []

    def at_the_door(theme: str = "light", width: int = 1280, **chosen: str) -> Page:
        context = browser.new_context(
            viewport={"width": width, "height": 800}, color_scheme="dark" if theme == "dark" else "light"
        )
        contexts.append(context)
        page = context.new_page()
        page.set_default_timeout(PATIENCE * 1000)
        page.on("pageerror", lambda error: wrong.append(str(error)))
        page.on("console", lambda message: wrong.append(message.text) if message.type == "error" else None)
        page.goto(f"{doorway}/?{httpx.QueryParams(chosen)}")
        page.get_by_role("button", name="Go to the door").click()
        return page

    yield at_the_door
    for context in contexts:
        context.close()
    assert wrong == []


def _password(page: Page, password: str = FIRST_PASSWORD) -> None:
    page.get_by_label("Type your password once more").fill(password)
    page.keyboard.press("Enter")


def _code(page: Page) -> None:
    code = page.locator("dt", has_text="authenticator").locator("+ dd code").inner_text()
    page.get_by_label("Code of your authenticator app").fill(code)
    page.keyboard.press("Enter")


def _change(page: Page, label: str, option: str) -> None:
    page.get_by_label(label).select_option(label=option)
    page.get_by_role("button", name="Change", exact=True).click()


def _report(page: Page, version: str) -> None:
    page.get_by_label("System version").fill(version)
    page.get_by_role("button", name="Report this state").click()


def _reference(page: Page) -> str:
    found = re.search(r"[0-9A-Z]{5}-[0-9A-Z]{5}", page.locator("main").inner_text())
    assert found is not None
    return found.group()


def _heading(page: Page) -> str:
    return page.get_by_role("heading", level=1).inner_text()


def test_the_mates_tablet_falls_below_standard_while_she_is_in(come: Come, world: Live) -> None:
    page = come(person="ines.faro", app="manifest")
    _password(page)
    expect(page.get_by_text("Install the system update to Android 15").first).to_be_visible()
    expect(page.get_by_role("link", name="https://help.kelpline.example/tablets")).to_be_visible()
    expect(page.get_by_role("link", name="access-help@kelpline.example")).to_be_visible()
    _report(page, "15")
    page.get_by_role("button", name="Try again").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Manifest asks for more")
    _code(page)
    expect(page.get_by_text("You are in")).to_be_visible()
    page.get_by_role("button", name="Passengers").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Manifest: Passengers")
    _change(page, "Risk of this attempt", "high")
    page.get_by_role("button", name="Cars and freight").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Manifest does not open now")
    _change(page, "Risk of this attempt", "none")
    page.get_by_role("button", name="Try again").click()
    expect(page.get_by_text("You are in")).to_be_visible()
    _report(page, "14")
    # Whoever is in is decided again at once, and told why at the next click.
    with world.client() as client:
        until(lambda: not [s for s in client.sessions.all() if s.person == "ines.faro"])
    page.get_by_role("button", name="Sailings today").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("You are not signed in any more")
    expect(page.get_by_text("Install the system update to Android 15").first).to_be_visible()
    page.get_by_role("button", name="Sign in again").click()
    _password(page)
    expect(page.get_by_role("heading", level=1)).to_have_text("Manifest does not open now")
    expect(page.get_by_text("Install the system update to Android 15").first).to_be_visible()
    with world.client() as client:
        trace = client.signins.trace(_reference(page))
        assert (trace.summary.person, trace.summary.outcome) == ("ines.faro", "blocked")
        assert [(step.policy, step.rule) for step in trace.decision.deciding] == [
            ("manifest-on-company-devices", "below-standard")
        ]
        assert trace.same
    _report(page, "16")
    page.get_by_role("button", name="Try again").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Manifest asks for more")


def test_a_stolen_password_is_stopped_by_its_network(come: Come, world: Live) -> None:
    page = come(person="ines.faro", app="post", device="none", network="hidden")
    _password(page)
    expect(page.get_by_role("heading", level=1)).to_have_text("Post does not open now")
    expect(page.get_by_text("Turn off your VPN or relay")).to_be_visible()
    with world.client() as client:
        trace = client.signins.trace(_reference(page))
        assert [step.policy for step in trace.decision.deciding] == ["hidden-origins"]
        assert trace.summary.credentials == "right"


def test_a_starter_code_enrols_the_new_hands_tablet_once_and_not_twice(come: Come, world: Live) -> None:
    with world.client() as client:
        code = client.starter_codes.issue("salka.myhre", "8h").code
    chosen = {"person": "salka.myhre", "app": "library", "operation": "enrol-device", "network": "satellite"}
    page = come(**chosen)
    _password(page)
    expect(page.get_by_text("Ask the crew office for a starter code")).to_be_visible()
    page.get_by_label("Starter code").fill("AAAA-BBBB-CCCC-DDDD")
    page.get_by_role("button", name="Use the code").click()
    expect(page.get_by_role("alert")).to_contain_text("That code did not help")
    page.get_by_label("Starter code").fill(code.lower())
    page.get_by_role("button", name="Use the code").click()
    expect(page.get_by_text("is enrolled as new-kl")).to_be_visible()
    reference = _reference(page)
    again = come(**chosen)
    _password(again)
    again.get_by_label("Starter code").fill(code)
    again.get_by_role("button", name="Use the code").click()
    expect(again.get_by_role("alert")).to_contain_text("That code did not help")
    with world.client() as client:
        devices = [item for item in client.devices.all() if item.document.get("person") == "salka.myhre"]
        assert len(devices) == 1
        assert devices[0].document["managed"] is True
        assert client.signins.trace(reference).summary.operation == "enrol-device"
        assert client.signins.trace(_reference(again)).summary.outcome == "blocked"
    # The new tablet signs her in.
    page = come(person="salka.myhre", app="library", network="satellite")
    _password(page)
    expect(page.get_by_text("You are in")).to_be_visible()
    expect(page.get_by_text("Tablet of Salka Myhre")).to_be_visible()


def test_a_notice_is_read_and_accepted_once(come: Come, world: Live) -> None:
    page = come(person="nadia.aalto", app="berthplan", device="none", network="quay")
    _password(page)
    page.get_by_role("button", name="Send a text message").click()
    code = page.locator("dt", has_text="telephone").locator("+ dd code").inner_text()
    page.get_by_label("Code from a text message").fill(code)
    page.keyboard.press("Enter")
    expect(page.get_by_text("Berth plans are confidential.")).to_be_visible()
    page.get_by_role("button", name="I have read this and accept it").click()
    expect(page.get_by_text("You are in")).to_be_visible()
    with world.client() as client:
        assert [(a.notice, a.version, a.door) for a in client.acceptances.list("nadia.aalto").items] == [
            ("guest-terms", 3, "doorway")
        ]
    page.get_by_role("button", name="Sign out").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Who comes to the door?")
    with world.client() as client:
        assert [s for s in client.sessions.all() if s.person == "nadia.aalto"] == []


def test_a_new_password_is_held_against_the_standards(come: Come, world: Live) -> None:
    with world.client() as client:
        person = client.people.get("tove.brekke").item.document
        client.people.import_([httpx.Request("POST", "http://x", json={**person, "risk": "medium"}).content])
    page = come(person="tove.brekke", app="post", device="desk-nordkai-1", network="nordkai")
    _password(page)
    expect(page.get_by_text("Your password may be known to others")).to_be_visible()
    page.get_by_role("button", name="Touch your security key").click()
    page.get_by_label("New password").fill("tove-2026")
    page.get_by_role("button", name="Take this one").click()
    expect(page.get_by_role("alert")).to_contain_text("It has 9 characters; 14 are needed.")
    expect(page.get_by_role("alert")).to_contain_text("a part of the person's name")
    page.get_by_label("New password").fill("Grey seals on 7 skerries")
    page.get_by_role("button", name="Take this one").click()
    expect(page.get_by_text("You are in")).to_be_visible()
    # The old one is no good any more.
    page = come(person="tove.brekke", app="post", device="desk-nordkai-1", network="nordkai")
    _password(page)
    expect(page.get_by_role("alert")).to_have_text("That password is not right.")
    _password(page, "Grey seals on 7 skerries")
    expect(page.get_by_role("alert")).to_have_count(0)


def test_guessing_locks_out_and_is_in_the_log(come: Come, world: Live) -> None:
    page = come(person="bruno.krog", app="berthplan", device="none", network="shipyard")
    for guess in range(10):
        _password(page, f"guess number {guess}")
        expect(page.get_by_role("alert")).to_have_text("That password is not right.")
    _password(page)
    expect(page.get_by_role("alert")).to_contain_text("Too many wrong tries. Try again after")
    with world.client() as client:
        found = client.signins.list(where="auth.credentials is wrong and person.id is bruno.krog", since="1h")
        assert sum(found.counts.values()) == 10


def test_a_factor_is_enrolled_after_a_stronger_proof(come: Come, world: Live) -> None:
    page = come(person="tove.brekke", app="post", operation="enrol-factor", factor="push", network="nordkai")
    page.get_by_role("button", name="Touch your security key").click()
    expect(page.get_by_text("The factor push is enrolled.")).to_be_visible()
    with world.client() as client:
        assert "push" in client.people.get("tove.brekke").item.document["factors"]
    page = come(person="salka.myhre", app="post", operation="enrol-factor", factor="passkey", network="satellite")
    _password(page)
    expect(page.get_by_text("Ask the crew office for a starter code")).to_be_visible()
    with world.client() as client:
        anyone = next(item.id for item in client.people.all() if item.document["unit"] == "/fleet/engine")
    page = come(person=anyone, app="library", operation="change-password", network="satellite")
    _password(page)
    expect(page.get_by_role("heading", level=1)).to_have_text("Choose a new password")
    page.get_by_label("New password").fill("Four puffins & a kettle")
    page.get_by_role("button", name="Take this one").click()
    expect(page.get_by_text("Your password is changed.")).to_be_visible()


def test_a_session_that_an_administrator_ends_is_ended_at_the_next_click(come: Come, world: Live) -> None:
    page = come(person="keyholder-1", app="gangway", network="head-office")
    page.get_by_role("button", name="Touch your security key").click()
    expect(page.get_by_text("You are in")).to_be_visible()
    with world.client() as client:
        found = next(s for s in client.sessions.all() if s.person == "keyholder-1")
        client.sessions.end(found.id)
    page.get_by_role("button", name="Devices").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("You are not signed in any more")
    page.get_by_role("button", name="Sign in again").click()
    expect(page.get_by_role("button", name="Touch your security key")).to_be_visible()


@pytest.mark.parametrize("theme", ["light", "dark"])
def test_axe_finds_nothing_at_the_door(come: Come, theme: str) -> None:
    rules = OF_THEME if theme == "dark" else ()
    page = come(theme, 1280, person="nadia.aalto", app="gangway", network="hidden")
    for width in (1280, 600):
        page.set_viewport_size({"width": width, "height": 800})
        assert axe_findings(page, rules) == []
        assert page.evaluate("document.documentElement.scrollWidth") <= width
    _password(page)
    expect(page.get_by_text("Stopped")).to_be_visible()
    assert axe_findings(page, rules) == []
    page.get_by_role("button", name="Somebody else comes").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("Who comes to the door?")
    assert axe_findings(page, rules) == []
    # Another mate in each theme: a code is good once.
    mate = {"light": "halvard.tind", "dark": "ines.faro"}[theme]
    page = come(theme, person=mate, app="crew-roster", network="hotel")
    _password(page)
    expect(page.get_by_text("Something more is needed")).to_be_visible()
    assert axe_findings(page, rules) == []
    _code(page)
    expect(page.get_by_text("You are in")).to_be_visible()
    assert axe_findings(page, rules) == []


def test_other_pages_cannot_act_at_the_door(doorway: str) -> None:
    with httpx.Client(base_url=doorway, verify=False, timeout=PATIENCE) as stranger:
        assert stranger.post("/begin", data={"person": "ines.faro"}).status_code == 403
        assert stranger.get("/", headers={"Host": "elsewhere.example:80"}).status_code == 421
        page = stranger.get("/?person=%22%3E%3Cscript%3E")
        assert "<script>" not in page.text
        guard = re.search(r'name="guard" value="([^"]+)"', page.text)
        assert guard is not None
        for form in ({}, {"person": "nobody", "network": "home"}, {"person": "ines.faro", "network": "moon"}):
            wrong = stranger.post("/begin", data={"guard": guard.group(1), **form})
            assert wrong.status_code == 422
            assert 'role="alert"' in wrong.text
        assert stranger.post("/prove", data={"guard": guard.group(1)}).status_code == 303
        assert stranger.post("/begin", content=b"x" * 20_000).status_code in {403, 413}


def test_nothing_opens_before_something_is_proved(doorway: str, world: Live) -> None:
    # Somebody whom no other test has sent anywhere: a second place would ask for more.
    with world.client() as client:
        mate = [item.id for item in client.people.all() if item.document["unit"] == "/fleet/engine"][-1]
    with httpx.Client(base_url=doorway, follow_redirects=True, verify=False, timeout=PATIENCE) as thief:
        guard = re.search(r'name="guard" value="([^"]+)"', thief.get("/").text)
        assert guard is not None
        form = {"guard": guard.group(1)}
        thief.post("/begin", data={**form, "person": mate, "app": "library", "network": "satellite"})
        for path, typed in (("/open", ""), ("/accept", ""), ("/starter-code", "A"), ("/choose", "Four gulls & a net")):
            page = thief.post(path, data={**form, "typed": typed})
            assert "You are in" not in page.text, path
            assert "Type your password" in page.text, path
        assert "the password chosen here" not in page.text
        assert "You are in" in thief.post("/prove", data={**form, "factor": "password", "typed": FIRST_PASSWORD}).text


def test_without_a_decision_nobody_comes_in() -> None:
    command = [sys.executable, "-c", "from caddrel.cli import main; main()", "doorway", "--bind", "127.0.0.1:0"]
    environment = {**os.environ, "CADDREL_URL": "http://127.0.0.1:9", "CADDREL_TOKEN": "none"}
    process = subprocess.Popen(
        [*command, "--with-parent"], stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.PIPE,
        env=environment,
    )  # fmt: skip
    assert process.stdout is not None
    url = process.stdout.readline().decode().strip()
    page = httpx.get(url, timeout=PATIENCE)
    assert page.status_code == 503
    assert "Nobody can be let in now" in page.text
    process.communicate()
    outside = subprocess.run([*command[:-1], "0.0.0.0:0"], capture_output=True, text=True, check=False)
    assert outside.returncode == 2
    assert "lets anybody in as anybody" in outside.stderr


def test_codes_are_good_once_and_for_a_while() -> None:
    now = [1_000_000_000.0]
    held = Holdings("ines.faro", lambda: now[0])
    code = held.code_now()
    assert held.is_code(f" {code} ")
    assert not held.is_code(code)
    now[0] += 120
    later = held.code_now()
    now[0] += 30
    assert held.is_code(later)
    assert not held.is_code(held.code_now()[:5])
    now[0] += 120
    old = held.code_now()
    now[0] += 90
    assert not held.is_code(old)
    assert not held.is_text("")
    held.send_text()
    text = held.text_now()
    assert not held.is_text("0000000")
    assert held.is_text(text)
    assert not held.is_text(text)
    held.send_text()
    now[0] += 301
    assert not held.is_text(held.text_now())
    assert held.knows(FIRST_PASSWORD)
    held.choose("Another one entirely")
    assert held.knows("Another one entirely")
    assert not held.knows(FIRST_PASSWORD)
