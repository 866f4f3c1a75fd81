"""Takes the pictures of docs/screenshots from a running demo: `python tools/screenshots.py .demo/demo.json`."""

from __future__ import annotations

import html
import json
import os
import shutil
import subprocess
import sys
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

from caddrel.client import Caddrel
from caddrel.doorway.holdings import FIRST_PASSWORD
from caddrel.wire import authzen

ROOT = Path(__file__).parent.parent
TARGET = ROOT / "docs" / "screenshots"
CHROMIUM = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--disable-background-networking",
    "--disable-component-update", "--disable-sync",
]  # fmt: skip
REHEARSAL = "/rehearse?person.id=ines.faro&app.id=manifest"


def caddrel(profile: Path, *words: str) -> str:
    """Return what a command of the demo writes."""
    env = {**os.environ, "CADDREL_PROFILE": str(profile), "COLUMNS": "96"}
    program = str(Path(sys.executable).parent / "caddrel")
    done = subprocess.run([program, *words], check=True, capture_output=True, text=True, env=env)  # noqa: S603 - our own
    return done.stdout


def settle(page: Page) -> None:
    """Wait until a page is as it stays."""
    page.wait_for_load_state("networkidle")
    page.evaluate("document.fonts.ready")
    page.wait_for_timeout(400)
    # A replay is followed by asking now and then.
    for under_way in ("Deciding the log again", "Trying each choice on the log", "Proving …"):
        page.get_by_text(under_way).first.wait_for(state="hidden")
    page.wait_for_timeout(300)


def sign_in_some(profile: Path, url: str) -> None:
    """Let some people in through a door, so that there are sessions."""
    token = caddrel(profile, "token", "create", "gangway terminal", "--role", "door", "--days", "1").splitlines()[0]
    people = [
        ("ines.faro", "post", "tab-0117", "198.51.100.90"),
        ("bruno.krog", "library", "", "198.51.100.140"),
        ("halvard.tind", "crew-roster", "tab-0118", "198.51.100.70"),
    ]
    with Caddrel(url, token) as door:
        for person, app, device, address in people:
            context = {"network.ip": address, "auth.methods": {"pwd": 4, "otp": 3, "hwk": 3, "pop": 3}}
            context |= {"auth.notices": ["guest-terms"], "client.kind": "browser"}
            context |= {"device.id": device} if device else {}
            asked = (authzen.Entity("person", person), authzen.Action("sign-in"), authzen.Entity("app", app), context)
            assert door.access.evaluate(authzen.Evaluation(*asked)).decision, person


def write_a_draft(url: str, token: str) -> None:
    """Begin a draft in which one policy is changed, and one that asks more of tablets."""
    with Caddrel(url, token) as operator:
        begun = operator.drafts.begin("abroad-at-once")
        text = next(each.text for each in begun.objects if each.path == "policies.abroad")
        operator.drafts.put_object(
            "abroad-at-once", 1, "policies.abroad", text.replace("within 15m", "within 5m or proof strong-key")
        )
        begun = operator.drafts.begin("android-16")
        text = next(each.text for each in begun.objects if each.path == "standards.crew-tablet")
        operator.drafts.put_object("android-16", 1, "standards.crew-tablet", text.replace("at least 15", "at least 16"))


def come_to_the_door(page: Page, url: str) -> None:
    """Take a picture of the mate being stopped at the doorway."""
    page.goto(f"{url}/?person=ines.faro&app=manifest")
    page.get_by_role("button", name="Go to the door").click()
    page.get_by_role("textbox", name="password").fill(FIRST_PASSWORD)
    page.keyboard.press("Enter")
    page.get_by_text("Stopped").wait_for()
    settle(page)
    page.screenshot(path=TARGET / "doorway-light.png")


def main(profile: Path) -> None:
    """Take every picture."""
    demo = json.loads(profile.read_text(encoding="utf-8"))
    find = ["signins", "list", "--person", "ines.faro", "--app", "manifest", "--outcome", "blocked"]
    id = json.loads(caddrel(profile, *find, "--limit", "2", "--json").splitlines()[-1])["id"]
    pages = [
        ("rulebook", "/rulebook", "light"),
        ("policy", "/rulebook/policy/farebox-at-the-counter", "dark"),
        ("watch", "/watch", "light"),
        ("rehearse", REHEARSAL, "dark"),
        ("signins", "/signins", "light"),
        ("causes", "/causes?since=7d", "light"),
        ("trace", f"/signins/{id}", "light"),
        ("sessions", "/sessions", "dark"),
        ("person", "/inventory/people/ines.faro", "light"),
        ("coverage", "/coverage?audience=group:deck-crew&app=manifest", "dark"),
        ("sheet", "/rulebook/policy/farebox-at-the-counter/sheet", "light"),
        ("draft", "/drafts/abroad-at-once/policies.abroad", "light"),
        ("publish", "/drafts/abroad-at-once", "light"),
        ("replay", "/replay?draft=android-16&since=30d", "dark"),
        ("tighten", "/tighten?limit=policies.stale-desktops.silent.when&since=30d", "light"),
        ("history", "/history?before=1&after=2", "dark"),
        ("proofs", "/proofs?draft=guests-at-the-berths&sensitive=passenger-data", "light"),
    ]
    TARGET.mkdir(parents=True, exist_ok=True)
    sign_in_some(profile, demo["url"])
    write_a_draft(demo["url"], demo["token"])
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(
            executable_path=shutil.which("chromium-headless-shell") or shutil.which("chromium"), args=CHROMIUM
        )
        code = caddrel(profile, "account", "enter", "--data", str(profile.parent), "--url", demo["url"]).strip()
        context = browser.new_context(viewport={"width": 1280, "height": 800}, reduced_motion="reduce")
        page = context.new_page()
        page.goto(code)
        page.wait_for_selector("nav")
        for name, path, theme in pages:
            page.emulate_media(color_scheme="dark" if theme == "dark" else "light")
            page.goto(f"{demo['url']}/#{path}")
            if name in {"publish", "history"}:
                page.locator("[data-meaning]").wait_for()
            settle(page)
            if name == "draft":
                page.get_by_role("heading", name="Rules").evaluate("rules => rules.scrollIntoView()")
                settle(page)
            page.screenshot(path=TARGET / f"{name}-{theme}.png")
        text = "\n".join(caddrel(profile, "trace", id).splitlines()[:38])
        page = browser.new_page(viewport={"width": 860, "height": 760})
        page.set_content(
            "<style>body{margin:0;background:#161614;color:#e9e6dd;padding:20px 24px;font:13px/1.42 'DejaVu Sans Mono'}"
            f"</style><pre>$ caddrel trace {id}\n{html.escape(text)}</pre>"
        )
        page.screenshot(path=TARGET / "terminal.png")
        come_to_the_door(browser.new_page(viewport={"width": 1280, "height": 800}), demo["doorway_url"])
        browser.close()


if __name__ == "__main__":
    main(Path(sys.argv[1]).resolve())
