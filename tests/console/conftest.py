"""Headless Chromium, signed in to the console of the Kelpline service."""

from __future__ import annotations

import shutil
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect, sync_playwright
from tests.conftest import Live

import caddrel
from caddrel import wiring

CHROMIUM = shutil.which("chromium")
STATIC = Path(caddrel.__file__).parent / "service" / "static" / "index.html"
_ARGUMENTS = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--disable-background-networking",
    "--disable-component-update", "--disable-sync",
]  # fmt: skip

# Two cores may be busy with other tests; waiting longer hides nothing.
expect.set_options(timeout=20_000)
Open = Callable[..., Page]


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    if CHROMIUM is None:
        pytest.skip("Chromium is not installed and could not be")
    assert STATIC.is_file(), "build the console first: make install"
    with sync_playwright() as playwright:
        launched = playwright.chromium.launch(executable_path=CHROMIUM, args=_ARGUMENTS)
        yield launched
        launched.close()


@pytest.fixture
def open_console(browser: Browser, kelpline: Live) -> Iterator[Open]:
    """Open a page of the console; at the end no error may have been written to its log."""
    contexts = []
    wrong: list[str] = []

    def open_page(path: str = "/rulebook", theme: str = "light", width: int = 1280) -> Page:
        context = browser.new_context(
            viewport={"width": width, "height": 800},
            reduced_motion="reduce",
            color_scheme="dark" if theme == "dark" else "light",
        )
        contexts.append(context)
        page = context.new_page()
        page.set_default_timeout(15_000)
        page.on("pageerror", lambda error: wrong.append(str(error)))
        # A refusal that the page shows is no error of the page, though the browser notes it.
        page.on(
            "console",
            lambda message: (
                wrong.append(message.text) if message.type == "error" and "status of 422" not in message.text else None
            ),
        )
        page.goto(f"{kelpline.url}/#/enter?code={wiring.way_in(kelpline.deps)}")
        page.wait_for_selector("nav")
        if path != "/rulebook":
            page.goto(f"{kelpline.url}/#{path}")
        return page

    yield open_page
    for context in contexts:
        context.close()
    assert wrong == []
