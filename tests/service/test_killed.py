"""A service killed at any moment, and machines that lose their power: nothing that was told is lost or doubled."""

from __future__ import annotations

import contextlib
import json
import os
import random
import signal
import socket
import sqlite3
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime, timedelta
from pathlib import Path

from tests.cli.test_cli import BIN
from tests.conftest import serving
from tests.service.test_noticing import RULEBOOK, START, _lines
from tests.service.wal_syncs import lose_power

from caddrel.client import Caddrel
from caddrel.client.caller import CaddrelError, Unreachable
from caddrel.service import access
from caddrel.store.queries import Query
from caddrel.wire import authzen
from caddrel.wire.decisions import File

KILLS = 20
LOSSES = 5
ROOT = Path(__file__).parents[2]
WATCHED = (
    sys.executable,
    "-c",
    "from tests.service.wal_syncs import watch; watch(); from caddrel.cli import main; main()",
)


def _free_port() -> int:
    with socket.socket() as found:
        found.bind(("127.0.0.1", 0))
        return int(found.getsockname()[1])


@contextlib.contextmanager
def _service(
    folder: Path, port: int, program: tuple[str, ...] = (str(BIN / "caddrel"),)
) -> Iterator[subprocess.Popen[bytes]]:
    words = [*program, "serve", "--data", str(folder), "--bind", f"127.0.0.1:{port}"]
    process = subprocess.Popen(words, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, cwd=ROOT)
    try:
        yield process
    finally:
        with contextlib.suppress(ProcessLookupError):
            os.kill(process.pid, signal.SIGKILL)
        process.wait()


def _wait(client: Caddrel) -> None:
    until = time.monotonic() + 60
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
            for record in live.deps.signins.of_person(person, START):
                found[record.id] = (record.facts, record.decision, record.cause)
        assert live.deps.signins.due() == []
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


def test_nothing_is_lost_or_doubled(tmp_path: Path) -> None:
    # Half of the lines come late, so that signals are due while the service dies.
    lines = _lines(2400, 6)
    lines = [*lines[1::2], *lines[::2]]
    whole, torn = tmp_path / "whole", tmp_path / "torn"
    _prepared(whole)
    for live in serving(whole):
        with live.client() as client:
            assert client.signins.import_(lines).added == 2400
    token = _prepared(torn)
    port, rng = _free_port(), random.Random(8)
    cut = 0
    for attempt in range(KILLS + 1):
        with _service(torn, port) as process, Caddrel(f"http://127.0.0.1:{port}", token) as client:
            _wait(client)
            killer = threading.Timer(rng.uniform(0.02, 0.8), process.kill)
            if attempt < KILLS:
                killer.start()
            try:
                result = client.signins.import_(lines)
                assert result.added + result.already_there == 2400
                assert result.conflicting == 0
            except CaddrelError:
                cut += 1
            killer.cancel()
    assert cut >= KILLS // 3
    assert _state(torn) == _state(whole)
    assert json.loads(json.dumps(sorted(_state(torn)))) == sorted(f"s-{i:03}" for i in range(2400))


def test_no_decision_that_was_told_is_lost(tmp_path: Path) -> None:
    folder = tmp_path / "data"
    _prepared(folder)
    for live in serving(folder):
        token = access.make_token(live.deps, "front", "door", 3000, "tests")[1]
        operator = access.make_token(live.deps, "all", "operator", 3000, "tests")[1]
    port, rng = _free_port(), random.Random(3)
    told: dict[str, bool] = {}
    for _ in range(KILLS):
        with _service(folder, port) as process:
            with Caddrel(f"http://127.0.0.1:{port}", operator) as client:
                _wait(client)
            killer = threading.Timer(rng.uniform(0.3, 0.9), process.kill)
            killer.start()
            with ThreadPoolExecutor(6) as pool:
                for answered in pool.map(lambda seed: _asking(port, token, seed), range(6)):
                    told |= answered
            killer.cancel()
    # However slow the machine is, there was something to lose.
    assert len(told) > KILLS
    for live in serving(folder):
        kept = {record.id: record.columns["outcome"] == "allowed" for record in live.deps.signins.every(Query())}
        assert {id: kept.get(id) for id in told} == told


def _asking(port: int, token: str, seed: int) -> dict[str, bool]:
    """Ask until nobody answers; returns what was told."""
    told: dict[str, bool] = {}
    with Caddrel(f"http://127.0.0.1:{port}", token) as door:
        for i in range(10_000):
            context = {"device.id": "t1" if i % 3 else "t9", "auth.credentials": "right", "network.country": "NO"}
            person = authzen.Entity("person", ("ines.faro", "odd.vik")[(i + seed) % 2])
            asked = authzen.Evaluation(person, authzen.Action("sign-in"), authzen.Entity("app", "post"), context)
            try:
                answer = door.access.evaluate(asked)
            except CaddrelError:
                return told
            told[answer.context["id"]] = answer.decision
    return told


def test_no_decision_that_was_told_is_missing_after_a_loss_of_power(tmp_path: Path) -> None:
    folder = tmp_path / "data"
    _prepared(folder)
    for live in serving(folder):
        token = access.make_token(live.deps, "front", "door", 3000, "tests")[1]
        operator = access.make_token(live.deps, "all", "operator", 3000, "tests")[1]
    port, rng = _free_port(), random.Random(4)
    told: dict[str, bool] = {}
    cut = 0
    for _ in range(LOSSES):
        with _service(folder, port, WATCHED) as process:
            with Caddrel(f"http://127.0.0.1:{port}", operator) as client:
                _wait(client)
            killer = threading.Timer(rng.uniform(0.9, 1.8), process.kill)
            killer.start()
            with ThreadPoolExecutor(6) as pool:
                for answered in pool.map(lambda seed: _asking(port, token, seed), range(6)):
                    told |= answered
            killer.cancel()
        cut += (folder / "signins.sqlite-wal.synced").exists()
        lose_power(folder / "signins.sqlite")
    assert cut >= LOSSES // 2
    assert len(told) > LOSSES
    for live in serving(folder):
        kept = {record.id: record.columns["outcome"] == "allowed" for record in live.deps.signins.every(Query())}
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
