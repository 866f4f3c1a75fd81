"""Builds the real thing from settings: the only place that knows everyone."""

from __future__ import annotations

import atexit
import contextlib
import fcntl
import logging
import os
import signal
import socket
import sys
import threading
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from pathlib import Path
from types import FrameType, MappingProxyType
from typing import Any
from urllib.parse import urlsplit

import structlog
from flask import Flask

from caddrel.core.garbage import collect_seldom as collect_seldom  # noqa: PLC0414 - where the bench looks in releases
from caddrel.core.garbage import keep_what_is_there
from caddrel.service.app import ENDPOINTS, STANDARD_ENDPOINTS, create_app, refusal
from caddrel.service.auth import accounts as access
from caddrel.service.auth.tokens import make_token
from caddrel.service.decisions.quick_answers import PATH
from caddrel.service.http.dispatch import body_limits
from caddrel.service.http.front import Front
from caddrel.service.http.server import HttpServer
from caddrel.service.http.spans import Spans, is_wanted
from caddrel.service.http.wsgi import Threads
from caddrel.service.problems import ServiceError
from caddrel.service.runtime import Runtime, begin, go_on, stop
from caddrel.service.scim.questions import asks
from caddrel.service.signins.recompute import catch_up
from caddrel.service.state.address_data import AddressData
from caddrel.service.state.data_folder import DataFolder
from caddrel.service.state.keys import open_keys
from caddrel.service.state.limits import Limits
from caddrel.service.state.settings import Settings
from caddrel.store.acceptances import AcceptanceStore
from caddrel.store.accounts import AccountStore, Token
from caddrel.store.audit import AuditStore
from caddrel.store.causes import CauseStore
from caddrel.store.door_sessions import DoorSessionStore
from caddrel.store.draft_outcomes import DraftOutcomeStore
from caddrel.store.drafts import DraftStore
from caddrel.store.engine import Database, DatabaseError, NewerForm
from caddrel.store.event_streams import EventStreamStore
from caddrel.store.feeds import FeedStore
from caddrel.store.held_changes import HeldChangeStore
from caddrel.store.imports import ImportStore
from caddrel.store.inventory import InventoryStore
from caddrel.store.kept_by import KeptByStore
from caddrel.store.log_seal import LogSeal
from caddrel.store.mappings import MappingStore
from caddrel.store.marks import MarkStore
from caddrel.store.outbox import OutboxStore
from caddrel.store.passwords import PasswordStore
from caddrel.store.proven import ProvenStore
from caddrel.store.reviews import ReviewStore
from caddrel.store.revisions import RevisionStore
from caddrel.store.set_aside import SetAsideStore
from caddrel.store.signins import SigninStore
from caddrel.store.sources import SourceStore
from caddrel.store.starter_codes import StarterCodeStore
from caddrel.store.told import ToldStore
from caddrel.store.unlisted import RefusedDeviceStore, UnlistedDevices
from caddrel.store.unlocks import UnlockStore

CONSOLE = Path(__file__).parent / "service" / "static"
FIRST_ACCOUNT = "operator"
# Batches of evaluations have threads of their own, so that nobody's exports keep them waiting.
BATCH_THREADS = 4
# Requests that wait for a thread; the newest of more is refused.
MOST_WAITING = 512


def _is_batch(_method: str, path: str) -> bool:
    return path == "/access/v1/evaluations"


def _is_change(method: str, path: str) -> bool:
    """Tell whether a request is a directory's that changes something."""
    return path.startswith("/scim/") and not asks(method, path)


def utc_now() -> datetime:
    """Return the moment it is."""
    return datetime.now(UTC)


class SteadyClock:
    """A clock that is never set back: what lasts so long does not last longer when the machine's clock is.

    It goes on from where it was until the machine's clock has come up to it.
    """

    def __init__(self, wall: Callable[[], datetime], steady: Callable[[], float]) -> None:
        self._wall, self._steady = wall, steady
        self._lock = threading.Lock()
        self._at, self._since = wall(), steady()

    def __call__(self) -> datetime:
        """Return the moment it is."""
        with self._lock:
            steady = self._steady()
            self._at = max(self._at + timedelta(seconds=max(steady - self._since, 0.0)), self._wall())
            self._since = steady
            return self._at


def make_private(folder: Path) -> None:
    """Have nobody else read the folder nor any file in it, whatever was there before."""
    os.umask(0o077)
    folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    folder.chmod(0o700)
    for path in folder.iterdir():
        if path.is_file() and not path.is_symlink():
            # Files that come and go, as those of SQLite do.
            with contextlib.suppress(FileNotFoundError):
                path.chmod(0o600)


class NotADatabase(Exception):
    """A file that should be a database of ours and is none, or is one of a newer release."""


class FolderTaken(Exception):
    """Another service works on the folder."""


@contextlib.contextmanager
def holding(folder: Path) -> Iterator[None]:
    """Hold a folder for one service: two that decide at once would not know of one another's decisions.

    Raises
    ------
    FolderTaken
        When another holds it.
    """
    make_private(folder)
    with (folder / "lock").open("a+", encoding="ascii") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            file.seek(0)
            raise FolderTaken(
                f"{folder} is served already, by process {file.readline().strip() or 'unknown'}"
            ) from None
        file.truncate(0)
        file.write(f"{os.getpid()}\n")
        file.flush()
        yield


def tell_url(folder: Path, url: str) -> None:
    """Write down what the service that holds a folder is called, for the commands of its host."""
    with (folder / "lock").open("a", encoding="ascii") as file:
        file.write(f"{url}\n")


def url_of(folder: Path) -> str | None:
    """Return what the service that works on a folder is called, None where none does."""
    try:
        with (folder / "lock").open("r+", encoding="ascii") as file:
            try:
                fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except OSError:
                lines = file.read().splitlines()
                return lines[1] if len(lines) > 1 else None
    except (OSError, UnicodeDecodeError):
        return None
    # Nobody holds it: what stands there is of a service that has ended.
    return None


def tell_supervisor(state: str) -> None:
    """Tell systemd how the service is, where it was started by it: ``READY=1``, ``STOPPING=1`` (sd_notify(3))."""
    address = os.environ.get("NOTIFY_SOCKET", "")
    if not address.startswith(("/", "@")):
        return
    # An abstract socket is written with an @ and begins with a null byte.
    address = f"\0{address[1:]}" if address.startswith("@") else address
    with contextlib.suppress(OSError), socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM) as told:
        told.sendto(state.encode("ascii"), address)


@dataclass(slots=True)
class Opened:
    """An opened data folder."""

    runtime: Runtime
    databases: tuple[Database, ...]

    def close(self) -> None:
        """Store what waits, stop the jobs and close the files."""
        stop(self.runtime)
        for database in self.databases:
            database.close()
        addresses = self.runtime.data.addresses
        if addresses is not None:
            addresses.close()


def open_data(
    folder: Path,
    clock: Callable[[], datetime] | None = None,
    limits: Limits | None = None,
    address_files: Sequence[Path] = (),
    key_file: Path | None = None,
    settings: Settings | None = None,
) -> Opened:
    """Open a data folder, making or upgrading what is in it.

    Parameters
    ----------
    address_files
        MaxMind DB files that tell country, city, autonomous system and anonymisers; without any, those facts stay
        unknown unless they are reported.
    key_file
        Holds the key that seals and locks what is kept; without it one is made in the folder.

    Raises
    ------
    KeyRefused
        When the key file holds none.
    """
    make_private(folder)
    keys = open_keys(folder, key_file)
    addresses = AddressData(address_files) if address_files else None
    book = Database(folder / "book.sqlite", "book")
    log = Database(folder / "signins.sqlite", "log")
    for database in (book, log):
        try:
            database.migrate()
            database.settle()
        except NewerForm as newer:
            database.close()
            raise NotADatabase(f"{newer}: use that release, or put a backup back that this one made") from None
        except DatabaseError as error:
            database.close()
            if "not a database" in str(error.orig):
                raise NotADatabase(f"{database.path} is no database: put it back from a backup") from None
            raise
    make_private(folder)
    seal, audit = LogSeal(keys.of("log")), AuditStore(book, keys.of("audit"))
    found = seal.begin(log)
    if keys.made:
        audit.seal_again()
    if found:
        audit.add((clock or utc_now)(), "host", "seal", "sign-in log", "done", f"{found} records, as they were found")
    data = DataFolder(
        revisions=RevisionStore(book),
        inventory=InventoryStore(book),
        signins=SigninStore(log, seal),
        causes=CauseStore(log),
        accounts=AccountStore(book),
        passwords=PasswordStore(book),
        mappings=MappingStore(book),
        imports=ImportStore(log),
        door_sessions=DoorSessionStore(log),
        held_changes=HeldChangeStore(log),
        marks=MarkStore(log),
        outbox=OutboxStore(log),
        event_streams=EventStreamStore(book),
        feeds=FeedStore(book),
        told=ToldStore(book),
        sources=SourceStore(book),
        unlisted=UnlistedDevices(log),
        refused_devices=RefusedDeviceStore(book),
        kept_by=KeptByStore(book),
        starter_codes=StarterCodeStore(book),
        acceptances=AcceptanceStore(book),
        audit=audit,
        drafts=DraftStore(book),
        unlocks=UnlockStore(book),
        set_aside=SetAsideStore(book),
        reviews=ReviewStore(book),
        proven=ProvenStore(book),
        draft_outcomes=DraftOutcomeStore(log),
        clock=clock or SteadyClock(utc_now, time.monotonic),
        keys=keys,
        settings=settings or Settings(),
        folder=folder,
        limits=limits or Limits(),
        addresses=addresses,
    )
    # An import that was cut short may have left signals to be worked out again.
    made = begin(data)
    catch_up(data, made.log)
    return Opened(made, (book, log))


def go_back(data: DataFolder, number: int, why: str, by: str) -> int:
    """Publish a revision again without any check, from the host; return the number it has now.

    Raises
    ------
    ServiceError
        When there is no such revision.
    """
    files = data.rulebooks.get(number).revision.files
    made = data.revisions.publish(files, by, why, data.clock(), override="rescued on the host")
    data.audit.add(data.clock(), by, "rescue", f"revision {number}", "done", f"revision {made.number}: {why}")
    return made.number


def token_from_host(
    data: DataFolder, name: str, role: str, days: int, reports: Sequence[str] = (), sees: bool = False,
    only: Sequence[str] = (),
) -> tuple[Token, str]:  # fmt: skip
    """Return a token that the host of the service makes, and its text, which is not kept anywhere.

    Raises
    ------
    ServiceError
        When it makes no sense.
    """
    made = make_token(data, name, role, days, "host", reports, sees, only)
    data.audit.add(data.clock(), "host", "token", name, "done", f"{role}, {days} days")
    return made


def way_in(data: DataFolder, account: str = FIRST_ACCOUNT, role: str = "operator") -> str:
    """Return a one-time code for an account, making the account when it is not there; from the host."""
    data.audit.add(data.clock(), "host", "way in", account, "done", "a one-time code")
    if data.accounts.account(account) is None:
        access.make_account(data, account, role, "")
    return access.make_entry_code(data, account)


@dataclass(slots=True)
class Server:
    """A running service on one address; `port` is the real one when 0 was asked for."""

    opened: Opened
    host: str
    port: int
    _server: HttpServer
    _front: Front
    _thread: threading.Thread | None = field(default=None)

    @property
    def url(self) -> str:
        """The address to reach it at."""
        host = f"[{self.host}]" if ":" in self.host else self.host
        return f"http://{host}:{self.port}"

    def start(self) -> None:
        """Serve in a thread of its own."""
        go_on(self.opened.runtime)
        self._thread = threading.Thread(target=self._server.listen, name="caddrel-server", daemon=True)
        self._thread.start()

    def run(self) -> None:
        """Serve until told to stop by SIGTERM or SIGINT; a supervisor is told when it serves, and when it stops."""

        def stop(_number: int, _frame: FrameType | None) -> None:
            raise SystemExit(0)

        # Before it is told that it serves: from then on it may be told to stop, and stops in order.
        signal.signal(signal.SIGTERM, stop)
        signal.signal(signal.SIGINT, stop)
        try:
            go_on(self.opened.runtime)
            keep_what_is_there()
            tell_supervisor("READY=1")
            self._server.listen()
        finally:
            self.stop()

    def stop(self) -> None:
        """Finish what is under way and close."""
        tell_supervisor("STOPPING=1")
        self._server.end()
        if self._thread is not None:
            self._thread.join(timeout=15)
        self._server.close()
        self._front.stop()
        self.opened.close()


def share_fairly() -> None:
    """Have threads give way sooner than Python's usual: a decision waits for others some dozen times."""
    sys.setswitchinterval(0.0002)


def build_server(
    opened: Opened,
    host: str,
    port: int,
    threads: int = 16,
    app: Flask | None = None,
    public_url: str = "",
    trusted_proxy: str = "",
) -> Server:
    """Return a service that listens on an address.

    Parameters
    ----------
    app
        Another than the service's own, as benchmarks need it.
    public_url
        What the service is called by those who use it, where that is not the address it listens on.
    trusted_proxy
        The address of the proxy in front, whose word on client and scheme is taken.
    """
    data = opened.runtime.data
    app = app or create_app(opened.runtime, CONSOLE)
    front = Front(
        Threads(app, "caddrel-request", threads, MOST_WAITING),
        [
            (_is_batch, Threads(app, "caddrel-batch", BATCH_THREADS, MOST_WAITING)),
            # They are made one after another: more threads would only take turns from those at the doors.
            (_is_change, Threads(app, "caddrel-directory", 1, MOST_WAITING)),
        ],
        {PATH: opened.runtime.quick},
        body_limits(opened.runtime, [*ENDPOINTS, *STANDARD_ENDPOINTS]),
        refusal,
        data.limits.stream + 1024 * 1024,
    )
    server = HttpServer(front, host, port, refusal, trusted_proxy)
    made = Server(opened, host, server.port, server, front)
    data.settings.origin = (public_url or made.url).rstrip("/")
    named = urlsplit(public_url).hostname
    data.settings.hosts = (named.casefold(),) if named else ()
    return made


def log_to_stderr(environment: Mapping[str, str] = MappingProxyType({})) -> None:
    """Write one JSON line for each event to standard error.

    Parameters
    ----------
    environment
        Where it configures an endpoint for spans, each request is told of there too.

    Raises
    ------
    NotInstalled
        When it does, and what sends to it is not there.
    """
    told: list[Any] = []
    if is_wanted(environment):
        spans = Spans()
        atexit.register(spans.close)
        told = [spans]
    structlog.configure(
        processors=[
            *told,
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso", utc=True),
            structlog.processors.format_exc_info,
            structlog.processors.JSONRenderer(),
        ],
        logger_factory=structlog.WriteLoggerFactory(file=sys.stderr),
    )


def log_to_file(path: Path) -> None:
    """Write one JSON line for each event to a file, so that the terminal stays readable."""
    path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    log_to_stderr()
    structlog.configure(logger_factory=structlog.WriteLoggerFactory(file=path.open("a", encoding="utf-8", buffering=1)))


def kept_token(runtime: Runtime, text: str, name: str, role: str = "operator") -> str:
    """Return a token of a role: the one given while it is good, else a new one."""
    try:
        caller = runtime.callers.caller(f"Bearer {text}", "") if text else None
    except ServiceError:
        caller = None
    if caller is not None and caller.role == role:
        return text
    return make_token(runtime.data, name, role, 3650, name)[1]


def log_nothing() -> None:
    """Keep the log quiet, as tests want it."""
    structlog.configure(wrapper_class=structlog.make_filtering_bound_logger(logging.CRITICAL))
