"""Headless Chromium, signed in to the console of the Kelpline service."""

from __future__ import annotations

import re
import shutil
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Browser, ConsoleMessage, Page, Request, StorageState, expect
from tests.conftest import PATIENCE, Live, serving

from caddrel import wiring
from caddrel.demo.fill import ADDRESSES

Open = Callable[..., Page]


def is_error(said: ConsoleMessage) -> bool:
    """Tell whether a page wrote an error to its log.

    A refusal that the page shows, or waits out, is none of the page's, though the browser notes it.
    """
    return said.type == "error" and re.search("status of 4(22|29)", said.text) is None


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


class Looking:
    """One page of the console, for all that is only looked at: to load it anew takes as long as to look."""

    def __init__(self, page: Page, url: str) -> None:
        self.page, self._url = page, url
        self.wrong: list[str] = []
        self._asked: set[Request] = set()
        page.set_default_timeout(PATIENCE * 1000)
        page.on("pageerror", lambda error: self.wrong.append(str(error)))
        page.on("console", lambda said: self.wrong.append(said.text) if is_error(said) else None)
        page.on("request", self._begun)
        # In functions of their own: the library looks at how many parameters they have.
        page.on("requestfinished", self._ended)
        page.on("requestfailed", self._ended)
        page.goto(url)
        page.wait_for_selector("nav")

    def at(self, path: str) -> Page:
        """Return the page at an address, once all of it is there; light and wide, whatever was done with it before."""
        page = self.page
        page.emulate_media(color_scheme="light", reduced_motion="reduce")
        page.set_viewport_size({"width": 1280, "height": 800})
        # By way of none: what is looked at is surely the page that was asked for, made anew.
        missing = page.get_by_role("heading", name="There is no page at this address.")
        page.goto(f"{self._url}/#/nowhere")
        expect(missing).to_be_visible()
        page.goto(f"{self._url}/#{path}")
        expect(missing).to_have_count(0)
        expect(page.locator("html")).to_have_attribute("data-theme", "light")
        expect(page.locator("[aria-busy=true]")).to_have_count(0)
        while self._asked:
            page.wait_for_timeout(20)
        expect(page.locator("[aria-busy=true]")).to_have_count(0)
        return page

    def _begun(self, request: Request) -> None:
        # What is told as it comes has no end.
        if request.resource_type != "eventsource" and not request.url.endswith("/events"):
            self._asked.add(request)

    def _ended(self, request: Request) -> None:
        self._asked.discard(request)


@pytest.fixture(scope="session")
def console_page(chromium: Browser, kelpline: Live, signed_in: StorageState) -> Iterator[Looking]:
    """The page that all look at which change nothing."""
    context = chromium.new_context(storage_state=signed_in, reduced_motion="reduce")
    yield Looking(context.new_page(), kelpline.url)
    context.close()


@pytest.fixture
def look_at(console_page: Looking) -> Iterator[Callable[[str], Page]]:
    """Look at a page that other tests look at too; at the end no error may have been written to its log."""
    console_page.wrong.clear()
    yield console_page.at
    assert console_page.wrong == []


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
        page.on("console", lambda said: wrong.append(said.text) if is_error(said) else None)
        page.goto(f"{kelpline.url}/#{path}")
        page.wait_for_selector("nav")
        return page

    yield open_page
    for context in contexts:
        context.close()
    assert wrong == []
