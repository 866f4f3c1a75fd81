"""Headless Chromium, signed in to the console of the Kelpline service."""

from __future__ import annotations

import re
import shutil
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, StorageState
from tests.conftest import PATIENCE, Live, serving

from caddrel import wiring
from caddrel.demo.fill import ADDRESSES

Open = Callable[..., Page]


@pytest.fixture(scope="session")
def signed_in(chromium: Browser, kelpline: Live) -> StorageState:
    """What a browser keeps once it is signed in: for pages that are only looked at, once is enough."""
    context = chromium.new_context()
    page = context.new_page()
    page.goto(f"{kelpline.url}/#/enter?code={wiring.way_in(kelpline.data)}")
    page.wait_for_selector("nav")
    kept = context.storage_state()
    context.close()
    return kept


@pytest.fixture
def mine(kelpline_folder: Path, tmp_path: Path) -> Iterator[Live]:
    """The Kelpline data, to be changed."""
    shutil.copytree(kelpline_folder, tmp_path / "data")
    yield from serving(tmp_path / "data", address_files=[ADDRESSES])


def entered(browser: Browser, live: Live, path: str, width: int = 1280, theme: str = "light") -> Page:
    """Return a page of a service of one's own, signed in to it."""
    context = browser.new_context(
        reduced_motion="reduce",
        viewport={"width": width, "height": 800},
        color_scheme="dark" if theme == "dark" else "light",
    )
    page = context.new_page()
    page.set_default_timeout(PATIENCE * 1000)
    page.goto(f"{live.url}/#/enter?code={wiring.way_in(live.data)}")
    page.wait_for_selector("nav")
    page.goto(f"{live.url}/#{path}")
    return page


@pytest.fixture
def open_console(browser: Browser, kelpline: Live, signed_in: StorageState) -> Iterator[Open]:
    """Open a page of the console; at the end no error may have been written to its log."""
    contexts = []
    wrong: list[str] = []

    def open_page(path: str = "/rulebook", theme: str = "light", width: int = 1280) -> Page:
        context = browser.new_context(
            storage_state=signed_in,
            viewport={"width": width, "height": 800},
            reduced_motion="reduce",
            color_scheme="dark" if theme == "dark" else "light",
        )
        contexts.append(context)
        page = context.new_page()
        page.set_default_timeout(PATIENCE * 1000)
        page.on("pageerror", lambda error: wrong.append(str(error)))
        # A refusal that the page shows, or waits out, is no error of the page, though the browser notes it.
        page.on(
            "console",
            lambda message: (
                wrong.append(message.text)
                if message.type == "error" and not re.search("status of 4(22|29)", message.text)
                else None
            ),
        )
        page.goto(f"{kelpline.url}/#{path}")
        page.wait_for_selector("nav")
        return page

    yield open_page
    for context in contexts:
        context.close()
    assert wrong == []
