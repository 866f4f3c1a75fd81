"""A service killed at any moment, and machines that lose their power: nothing that was told is lost or doubled."""

from __future__ import annotations

import base64
import contextlib
import json
import os
import random
import shutil
import signal
import socket
import sqlite3
import subprocess
import sys
import threading
import time
from collections import Counter
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime, timedelta
from functools import partial
from pathlib import Path

import httpx
from tests.command import BIN
from tests.conftest import PATIENCE, Live, serving, until
from tests.service.signins.test_signal_history import RULEBOOK, START, _lines
from tests.service.wal_syncs import lose_power

from caddrel.client import Caddrel
from caddrel.client.caller import CaddrelError, Unreachable
from caddrel.service.auth.tokens import make_token
from caddrel.store.queries import Query
from caddrel.wire import authzen
from caddrel.wire.decisions import File

# Long runs are for `make soak`; a few are tried every time.
SOAK = int(os.environ.get("CADDREL_SOAK", "1"))
KILLS = 2 * SOAK
LOSSES = 2 * SOAK
ROOT = Path(__file__).parents[2]
WATCHED = (
    sys.executable,
    "-c",
    "from tests.service.wal_syncs import watch; watch(); from caddrel.cli import main; main()",
)


def _free_port() -> int:
    """Return a port that stays free while nobody listens: below those that the system hands out to whoever asks."""
    worker = int(os.environ.get("PYTEST_XDIST_WORKER", "gw0").removeprefix("gw"))
    for port in random.SystemRandom().sample(range(20_000 + worker % 10 * 1_000, 21_000 + worker % 10 * 1_000), 100):
        with socket.socket() as found, contextlib.suppress(OSError):
            found.bind(("127.0.0.1", port))
            return port
    raise OSError("no port is free")


@contextlib.contextmanager
def _service(
    folder: Path, port: int, program: tuple[str, ...] = (str(BIN / "caddrel"),)
) -> Iterator[subprocess.Popen[bytes]]:
    words = [*program, "serve", "--data", str(folder), "--bind", f"127.0.0.1:{port}"]
    process = subprocess.Popen(words, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, cwd=ROOT)
    try:
        yield process
    finally:
        process.kill()
        # Anything else, and it had ended by itself.
        assert process.wait() == -signal.SIGKILL


def _wait(client: Caddrel) -> None:
    until = time.monotonic() + PATIENCE
    while True:
        try:
            client.signins.list(limit=1)
        except Unreachable:
            assert time.monotonic() < until
            time.sleep(0.05)
        else:
            return


def _state(folder: Path) -> dict[str, object]:
    found: dict[str, object] = {}
    for live in serving(folder):
        for person in ("ines.faro", "odd.vik"):
            for record in live.data.signins.of_person(person, START):
                found[record.id] = (record.facts, record.decision, record.cause)
        assert live.data.signins.due() == []
    return found


def _prepared(folder: Path) -> str:
    token = ""
    for live in serving(folder):
        live.clock.now = START - timedelta(days=1)
        with live.client() as client:
            client.rulebook.publish([File("r.yaml", RULEBOOK)], "signals")
        live.clock.now = datetime.now(UTC)
        token = live.client()._caller._http.headers["Authorization"].removeprefix("Bearer ")
    return token


def _untouched(folder: Path) -> Path:
    """Return a copy of a folder, which this process never had open.

    A connection of this process that is let go of late would take itself for the last one, and take away the
    write-ahead log that lies there by then.
    """
    copied = folder.with_name(f"{folder.name}-served")
    shutil.copytree(folder, copied)
    return copied


def test_nothing_is_lost_or_doubled(tmp_path: Path) -> None:
    # Half of the lines come late, so that signals are due while the service dies.
    lines = _lines(1200, 6)
    lines = [*lines[1::2], *lines[::2]]
    whole, torn = tmp_path / "whole", tmp_path / "torn"
    _prepared(whole)
    for live in serving(whole):
        with live.client() as client:
            assert client.signins.import_(lines).added == 1200
    token = _prepared(torn)
    torn = _untouched(torn)
    port, rng = _free_port(), random.Random(8)
    for attempt in range(KILLS + 1):
        with _service(torn, port) as process, Caddrel(f"http://127.0.0.1:{port}", token) as client:
            _wait(client)
            if attempt == KILLS:
                result = client.signins.import_(lines)
                assert result.added + result.already_there == 1200
                assert result.conflicting == 0
                continue
            watching = threading.Event()
            killer = threading.Thread(target=_kill_when_due, args=(torn, rng.random(), process, watching))
            # Either while lines are on their way, or once records are stored and signals are worked out again.
            sent = rng.randrange(len(lines)) if attempt % 2 else len(lines)
            if sent == len(lines):
                killer.start()
            with contextlib.suppress(CaddrelError):
                client.signins.import_(_killing(lines, sent, process))
            watching.set()
            if sent == len(lines):
                killer.join()
    assert _state(torn) == _state(whole)
    assert json.loads(json.dumps(sorted(_state(torn)))) == sorted(f"s-{i:03}" for i in range(1200))


def _killing(lines: list[bytes], after: int, process: subprocess.Popen[bytes]) -> Iterator[bytes]:
    """Yield lines; kill a process once so many have been taken."""
    for number, line in enumerate(lines):
        if number == after:
            process.kill()
        yield line


def _kill_when_due(folder: Path, left: float, process: subprocess.Popen[bytes], done: threading.Event) -> None:
    """Kill a process when, of the people whose signals became due, only a part is left; or when its work is done."""
    most = 0
    with contextlib.closing(sqlite3.connect(f"file:{folder / 'signins.sqlite'}?mode=ro", uri=True)) as log:
        while not done.wait(0.002):
            (due,) = log.execute("SELECT count(*) FROM due").fetchone()
            most = max(most, due)
            if most and due <= most * left:
                break
    process.kill()


class _Told:
    """What doors were told; kills a process at a given number of answers."""

    def __init__(self, process: subprocess.Popen[bytes], after: int) -> None:
        self._process, self._after = process, after
        self._lock = threading.Lock()
        self.answers: dict[str, bool] = {}

    def take(self, id: str, decision: bool) -> None:
        with self._lock:
            self.answers[id] = decision
            if len(self.answers) == self._after:
                self._process.kill()


def test_no_decision_that_was_told_is_lost(tmp_path: Path) -> None:
    folder = tmp_path / "data"
    _prepared(folder)
    for live in serving(folder):
        token = make_token(live.data, "front", "door", 3000, "tests")[1]
        operator = make_token(live.data, "all", "operator", 3000, "tests")[1]
    folder = _untouched(folder)
    port, rng = _free_port(), random.Random(3)
    told: dict[str, bool] = {}
    for _ in range(KILLS):
        with _service(folder, port) as process:
            with Caddrel(f"http://127.0.0.1:{port}", operator) as client:
                _wait(client)
            answers = _Told(process, rng.randint(1, 120))
            with ThreadPoolExecutor(6) as pool:
                list(pool.map(lambda seed: _asking(port, token, seed, answers), range(6)))  # noqa: B023 - done by then
            told |= answers.answers
    # However slow the machine is, there was something to lose.
    assert len(told) >= KILLS
    for live in serving(folder):
        kept = {record.id: record.columns["outcome"] == "allowed" for record in live.data.signins.every(Query())}
        assert {id: kept.get(id) for id in told} == told


def _asking(port: int, token: str, seed: int, told: _Told) -> None:
    """Ask until nobody answers."""
    with Caddrel(f"http://127.0.0.1:{port}", token) as door:
        for i in range(10_000):
            context = {"device.id": "t1" if i % 3 else "t9", "auth.credentials": "right", "network.country": "NO"}
            person = authzen.Entity("person", ("ines.faro", "odd.vik")[(i + seed) % 2])
            asked = authzen.Evaluation(person, authzen.Action("sign-in"), authzen.Entity("app", "post"), context)
            try:
                answer = door.access.evaluate(asked)
            except CaddrelError:
                return
            told.take(answer.context["id"], answer.decision)


def test_no_decision_that_was_told_is_missing_after_a_loss_of_power(tmp_path: Path) -> None:
    folder = tmp_path / "data"
    _prepared(folder)
    for live in serving(folder):
        token = make_token(live.data, "front", "door", 3000, "tests")[1]
        operator = make_token(live.data, "all", "operator", 3000, "tests")[1]
    folder = _untouched(folder)
    port, rng = _free_port(), random.Random(4)
    told: dict[str, bool] = {}
    for _ in range(LOSSES):
        with _service(folder, port, WATCHED) as process:
            with Caddrel(f"http://127.0.0.1:{port}", operator) as client:
                _wait(client)
            answers = _Told(process, rng.randint(60, 200))
            with ThreadPoolExecutor(6) as pool:
                list(pool.map(lambda seed: _asking(port, token, seed, answers), range(6)))  # noqa: B023 - done by then
            told |= answers.answers
        assert lose_power(folder / "signins.sqlite")
    assert len(told) >= LOSSES
    for live in serving(folder):
        kept = {record.id: record.columns["outcome"] == "allowed" for record in live.data.signins.every(Query())}
        assert {id: kept.get(id) for id in told} == told


def test_a_loss_of_power_is_felt_where_commits_are_not_synced(tmp_path: Path) -> None:
    script = (
        "import os, sqlite3, sys\n"
        "from tests.service.wal_syncs import watch\n"
        "watch()\n"
        "c = sqlite3.connect(sys.argv[1], isolation_level=None)\n"
        "c.execute('PRAGMA journal_mode=WAL')\n"
        "c.execute('CREATE TABLE t (a)')\n"
        "c.execute('PRAGMA wal_checkpoint')\n"
        "c.execute('PRAGMA synchronous=' + sys.argv[2])\n"
        "for i in range(50): c.execute('INSERT INTO t VALUES (1)')\n"
        "os._exit(9)\n"
    )
    left = {}
    for mode in ("FULL", "NORMAL"):
        file = tmp_path / f"{mode}.sqlite"
        subprocess.run([sys.executable, "-c", script, str(file), mode], cwd=ROOT, check=False)
        lose_power(file)
        with contextlib.closing(sqlite3.connect(file)) as connection:
            left[mode] = connection.execute("SELECT count(*) FROM t").fetchone()[0]
    assert left["FULL"] == 50
    assert left["NORMAL"] < 50


def _is_settled(live: Live) -> bool:
    return live.data.marks.get("decided-inventory") == live.data.inventory.version()


def test_no_event_to_others_is_lost_or_doubled(tmp_path: Path) -> None:
    folder, people, port = tmp_path / "data", 12 * SOAK, _free_port()
    receiver = ""
    for live in serving(folder):
        live.clock.now = datetime.now(UTC)
        with live.client() as client:
            client.rulebook.publish([File("r.yaml", RULEBOOK)], "signals")
            client.people.import_(
                json.dumps({"id": f"p-{n}", "kind": "employee", "risk": "none"}).encode() + b"\n" for n in range(people)
            )
        receiver = make_token(live.data, "gateway", "receiver", 30, "tests")[1]
        operator = live.client()._caller._http.headers["Authorization"].removeprefix("Bearer ")
        until(partial(_is_settled, live))
    folder, url = _untouched(folder), f"http://127.0.0.1:{port}"
    headers, rng = {"Authorization": f"Bearer {receiver}"}, random.Random(5)
    stream, told, kinds, changed = "", Counter[str](), {}, 0
    while changed < people or sum(told.values()) < people:
        with _service(folder, port), Caddrel(url, operator, timeout=PATIENCE) as client:
            _wait(client)
            if not stream:
                made = httpx.post(f"{url}/ssf/v1/stream", json={}, headers=headers, timeout=PATIENCE).json()
                stream = made["delivery"]["endpoint_url"].rpartition("/")[2]
            # Killed after so many changes, wherever what they are to be told of is by then.
            for _ in range(rng.randrange(1, 8)):
                if changed < people:
                    client.people.import_([json.dumps({"id": f"p-{changed}", "risk": "high"}).encode()])
                    changed += 1
            had: list[str] = []
            for _ in range(rng.randrange(1, 6) if changed < people else 200):
                asked = {"ack": had, "maxEvents": 5}
                poll = httpx.post(f"{url}/ssf/v1/poll/{stream}", json=asked, headers=headers, timeout=PATIENCE).json()
                # What is told again before it is acknowledged is the same event.
                for jti, token in poll["sets"].items():
                    payload = token.split(".")[1]
                    claims = json.loads(base64.urlsafe_b64decode(payload + "=" * (-len(payload) % 4)))
                    if jti not in kinds:
                        kinds[jti] = claims["sub_id"]["sub"]
                        told[kinds[jti]] += 1
                had = list(poll["sets"])
                if sum(told.values()) >= people:
                    break
                time.sleep(0.05)
    assert told == Counter({f"p-{n}": 1 for n in range(people)})
