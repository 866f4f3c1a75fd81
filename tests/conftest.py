"""The real service on loopback: empty, or with the Kelpline data."""

from __future__ import annotations

import atexit
import fcntl
import os
import shutil
import tempfile
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from functools import cache
from pathlib import Path
from typing import TypeVar

import httpx
import pytest
from hypothesis import settings
from playwright.sync_api import Browser, expect, sync_playwright
from sqlalchemy import Connection, event

import caddrel
from caddrel import wiring
from caddrel.client import Caddrel
from caddrel.core.garbage import collect_seldom
from caddrel.demo.fill import ADDRESSES, fill
from caddrel.service.auth.tokens import make_token
from caddrel.service.runtime import Runtime
from caddrel.service.state.data_folder import DataFolder
from caddrel.service.state.limits import Limits
from caddrel.wire.decisions import File

settings.register_profile("steady", derandomize=True, deadline=None, print_blob=True)
settings.load_profile("steady")
# As the service does: rulebooks drawn by chance are millions of small objects.
collect_seldom()

# Nothing here is asked over TLS but what tests sign themselves: to load all the authorities of the world takes as long
# as a dozen requests, and clients do so for each call that is made without one.
os.environ["SSL_CERT_DIR"] = str(Path(__file__).parent)

CHROMIUM = shutil.which("chromium-headless-shell") or shutil.which("chromium")
STATIC = Path(caddrel.__file__).parent / "service" / "static" / "index.html"
_ARGUMENTS = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--disable-background-networking",
    "--disable-component-update", "--disable-sync",
]  # fmt: skip

# Seconds to wait for what must come: the cores may be busy with something else, and waiting longer hides nothing.
PATIENCE = int(os.environ.get("CADDREL_PATIENCE", "300"))
expect.set_options(timeout=PATIENCE * 1000)
T = TypeVar("T")
EMPTY_LIMITS = Limits(body=20_000, rulebook=60_000, line=5_000)
NOW = datetime(2026, 11, 23, 9, 0, tzinfo=UTC)


# Tests that take longest, by their files and names: begun first, so that at the end no core waits for one of them.
_LONGEST = (
    "test_attack.py", "test_foreign_client.py", "test_a_newcomer", "test_for_every_person_and_app", "test_killed.py",
    "test_reader_process.py", "test_the_tour", "test_files_are_private", "test_constructs.py", "test_every_reading",
    "test_the_order_in_which", "test_the_host_can_go_back", "test_evaluators_agree.py", "test_worker_process.py",
    "test_log_replay.py", "test_doorway.py", "test_writing.py",
)  # fmt: skip


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Give each worker some of the longest tests to begin with; the same order in all of them."""
    workers = int(os.environ.get("PYTEST_XDIST_WORKER_COUNT", "1"))
    if workers == 1:
        return
    longest = [item for item in items if any(name in item.nodeid for name in _LONGEST)]
    chosen = set(map(id, longest))
    others = [item for item in items if id(item) not in chosen]
    # Each worker is given as many as any other, those that follow one another.
    size = -(-len(items) // workers)
    ordered: list[pytest.Item] = []
    for worker in range(workers):
        mine = longest[worker::workers]
        rest = size - len(mine)
        ordered += mine + others[:rest]
        others = others[rest:]
    items[:] = ordered + others


def until(look: Callable[[], T | None]) -> T:
    """Return what a look gives as soon as it gives anything that is not false."""
    end = time.monotonic() + PATIENCE
    while True:
        found = look()
        if found:
            return found
        if time.monotonic() > end:
            raise AssertionError(f"still {found!r} after {PATIENCE} s")
        time.sleep(0.02)


def at_once(*calls: Callable[[], T]) -> list[T]:
    """Return what calls return that are begun at the same instant, each in a thread of its own."""
    together = threading.Barrier(len(calls))

    def begin(call: Callable[[], T]) -> T:
        together.wait()
        return call()

    with ThreadPoolExecutor(len(calls)) as threads:
        return list(threads.map(begin, calls))


class Clock:
    """A clock that tests move by hand."""

    def __init__(self, now: datetime = NOW) -> None:
        self.now = now

    def __call__(self) -> datetime:
        return self.now

    def forward(self, **by: float) -> None:
        self.now += timedelta(**by)


@dataclass
class Live:
    """A running service with an operator's client."""

    url: str
    token: str
    runtime: Runtime
    clock: Clock
    folder: Path

    @property
    def data(self) -> DataFolder:
        return self.runtime.data

    def client(self, role: str = "operator") -> Caddrel:
        token = make_token(self.data, f"test {role}", role, 30, "tests")[1]
        return Caddrel(self.url, token, timeout=PATIENCE)

    def http(self, token: str | None = None) -> httpx.Client:
        chosen = self.token if token is None else token
        headers = {"Authorization": f"Bearer {chosen}"} if chosen else {}
        return httpx.Client(base_url=self.url, headers=headers, timeout=PATIENCE, verify=False)

    def environment(self) -> dict[str, str]:
        return {"CADDREL_URL": self.url, "CADDREL_TOKEN": self.token}


@cache
def _made() -> Path:
    """Return a data folder with nothing in it, made once for this process."""
    folder = Path(tempfile.mkdtemp(prefix="caddrel-tests-"))
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    wiring.open_data(folder, Clock()).close()
    return folder


def writing_with(live: Live, setting: Callable[..., None]) -> None:
    """Have the log be written through connections that are set so, each once."""
    database = live.data.signins._database
    event.listen(database._writing, "checkout", setting)
    database._writers = _UsedOnce()


class _UsedOnce(list[Connection]):
    def append(self, connection: Connection) -> None:
        connection.close()


def serving(folder: Path, limits: Limits | None = None, address_files: Sequence[Path] = ()) -> Iterator[Live]:
    """Run a service on a folder for as long as the caller iterates."""
    wiring.log_nothing()
    clock = Clock()
    if not folder.exists():
        # Making the tables takes longer than most tests do.
        shutil.copytree(_made(), folder)
    opened = wiring.open_data(folder, clock, limits, address_files)
    server = wiring.build_server(opened, "127.0.0.1", 0)
    server.start()
    token = make_token(opened.runtime.data, "tests", "operator", 30, "tests")[1]
    yield Live(server.url, token, opened.runtime, clock, folder)
    server.stop()


@pytest.fixture
def empty(tmp_path: Path) -> Iterator[Live]:
    """A service without any data; bodies are limited more tightly than usual."""
    yield from serving(tmp_path / "data", EMPTY_LIMITS)


TILL_AND_POST = """
caddrel: 1
policies:
  strong: {mode: enforced, apps: [till], rules: [{then: require mfa within 15m}]}
  post: {mode: enforced, apps: [post], rules: [{then: allow, keep: {session_at_most: 1h}}]}
"""


@pytest.fixture
def till_and_post(empty: Live) -> Live:
    """A service with one person; a password lets her into the app `post`, and not into `till`."""
    with empty.client() as operator:
        operator.rulebook.publish([File("r.yaml", TILL_AND_POST)], "the first")
        operator.people.import_([b'{"id": "ines.faro", "factors": ["password", "push"]}'])
        operator.apps.import_([b'{"id": "till"}\n', b'{"id": "post"}\n'])
    return empty


@pytest.fixture(scope="session")
def vacant(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Live]:
    """A service as `empty` is, for tests that only read, or are refused."""
    yield from serving(tmp_path_factory.mktemp("vacant") / "data", EMPTY_LIMITS)


@pytest.fixture(scope="session")
def kelpline_folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The Kelpline data, made once for all test processes."""
    base = tmp_path_factory.getbasetemp()
    # The folder above is of this run alone where several processes share it; else runs of other days are in it.
    base = base.parent if "PYTEST_XDIST_WORKER" in os.environ else base
    shared = base / "kelpline"
    with (base / "kelpline.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not (shared / "done").is_file():
            opened = wiring.open_data(shared, Clock(), address_files=[ADDRESSES])
            fill(opened.runtime, NOW)
            # Whoever copies the folder need not prove again what stands in it.
            opened.runtime.standing.look_soon()
            until(opened.runtime.standing.is_proven)
            opened.close()
            (shared / "done").touch()
    return shared


@pytest.fixture(scope="session")
def kelpline(kelpline_folder: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Live]:
    """A service with the Kelpline data; tests read it and change nothing."""
    folder = tmp_path_factory.mktemp("service") / "data"
    shutil.copytree(kelpline_folder, folder)
    yield from serving(folder, address_files=[ADDRESSES])


@pytest.fixture(scope="session")
def chromium() -> Iterator[Browser]:
    """Headless Chromium, started once for this process."""
    if CHROMIUM is None:
        pytest.skip("Chromium is not installed and could not be")
    assert STATIC.is_file(), "build the console first: make install"
    with sync_playwright() as playwright:
        launched = playwright.chromium.launch(executable_path=CHROMIUM, args=_ARGUMENTS)
        yield launched
        launched.close()


@pytest.fixture
def browser(chromium: Browser) -> Iterator[Browser]:
    """Headless Chromium; at the end pages that a test opened are closed, or they would work on beside all others."""
    there = list(chromium.contexts)
    yield chromium
    for context in chromium.contexts:
        if context not in there:
            context.close()
