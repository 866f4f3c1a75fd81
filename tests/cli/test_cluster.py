"""A replay on a scheduler and two workers of its own, against the same in one process; also when one is lost midway."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path
from random import Random

import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from tests.command import BIN, program, run

BOOK = """
caddrel: 1
signals: {new: {kind: first-seen, of: network.country, after: 2, history: 5}}
policies:
  p: {mode: enforced, rules: [{id: old, when: device.os_version is below LEAST, then: block}]}
  q: {mode: enforced, rules: [{id: abroad, when: signals has new, then: require mfa}]}
"""
PLAIN = BOOK.replace("signals: {new: {kind: first-seen, of: network.country, after: 2, history: 5}}\n", "").replace(
    "signals has new", "network.country is IS"
)
START = datetime(2026, 11, 2, 7, tzinfo=UTC)
FILES, ROWS = 12, 60


@dataclass
class Cluster:
    """A scheduler and its workers."""

    address: str
    workers: list[subprocess.Popen[bytes]]


@pytest.fixture(scope="module")
def log(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Return a folder with a log in one file, and the same in many."""
    folder, drawn = tmp_path_factory.mktemp("log"), Random(7)
    rows = [
        {
            "id": f"s{number}",
            "outcome": drawn.choice(["allowed", "blocked"]),
            "person.id": drawn.choice(["ines", "bruno", "odd", None]),
            "device.id": drawn.choice(["t1", "t2"]),
            "device.os_version": drawn.choice(["14", "15", "16"]),
            "network.country": drawn.choice(["NO", "IS", "DK"]),
            "network.ip": "nowhere" if number % 97 == 0 else "192.0.2.1",
            "auth.methods": drawn.choice([["pwd"], ["pwd", "otp"]]),
            "time.at": START + timedelta(minutes=drawn.randrange(10_000)),
        }
        for number in range(FILES * ROWS)
    ]
    table = pa.Table.from_pylist(rows)
    pq.write_table(table, folder / "all.parquet")
    (folder / "parts").mkdir()
    for part in range(FILES):
        pq.write_table(table.slice(part * ROWS, ROWS), folder / "parts" / f"p{part:02}.parquet")
    for name, text in (("signals", BOOK), ("plain", PLAIN)):
        for least in ("15", "16"):
            (folder / f"{name}-{least}.yaml").write_text(text.replace("LEAST", least), encoding="utf-8")
    return folder


@pytest.fixture
def cluster(tmp_path: Path) -> Iterator[Cluster]:
    """Start a scheduler and two workers on loopback."""
    known = tmp_path / "scheduler.json"
    scheduler = _begin(
        "dask_scheduler", "--host", "127.0.0.1", "--port", "0", "--no-dashboard", "--scheduler-file", str(known)
    )
    while not known.is_file() or not known.read_text(encoding="utf-8"):
        assert scheduler.poll() is None
    address = json.loads(known.read_text(encoding="utf-8"))["address"]
    begun = [
        _begin(
            "dask_worker", address, "--no-nanny", "--no-dashboard", "--nthreads", "1", "--name", str(number),
            "--local-directory", str(tmp_path),
        )
        for number in range(2)
    ]  # fmt: skip
    yield Cluster(address, begun)
    for process in (*begun, scheduler):
        process.kill()
        process.wait()


def _begin(module: str, *words: str) -> subprocess.Popen[bytes]:
    command = [sys.executable, "-m", f"distributed.cli.{module}", *words]
    return subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)


def _words(name: str) -> list[str]:
    return ["--under", f"{name}-16.yaml", "--rulebook", f"{name}-15.yaml", "--json"]


def test_many_workers_come_to_what_one_process_comes_to_also_when_one_is_lost(cluster: Cluster, log: Path) -> None:
    # Signals are worked out over the log: the case in which persons are brought together first.
    name = "signals"
    alone = run("replay", "--attempts", "all.parquet", *_words(name), cwd=log)
    assert (alone.returncode, "could not be read" in alone.stderr) == (1, True)
    told = json.loads(alone.stdout)
    assert told["changed"]["count"] > 50
    words = ["replay", "--attempts", "parts/*.parquet", *_words(name), "--on", cluster.address]
    process = subprocess.Popen(
        [f"{BIN}/caddrel", *words], cwd=log, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True
    )
    assert process.stderr is not None
    said = process.stderr.readline()
    assert said.startswith("1 part done"), said
    # Killed on what was seen: the first part is done, and others are under way.
    os.kill(cluster.workers[0].pid, signal.SIGKILL)
    out, rest = process.communicate()
    assert process.returncode == 1, rest
    assert json.loads(out) == told
    assert f"{-(-FILES * ROWS // 97)} lines could not be read" in rest


def test_workers_here_and_what_cannot_be_done(log: Path, tmp_path: Path) -> None:
    recorded = ["replay", "--attempts", "parts/p0[01].parquet", "--under", "plain-16.yaml", "--json"]
    here = program(*recorded, "--on", "local", env={}, cwd=log)
    assert json.loads(here.stdout)["attempts"] == 2 * ROWS - 2
    for words, code, said in (
        (["--attempts", "none/*.parquet", "--under", "plain-16.yaml", "--on", "local"], 2, "there is no such file"),
        (["--attempts", "all.parquet", "--under", "plain-16.yaml", "--on", "tcp://127.0.0.1:1"], 2, "no scheduler"),
        (["--under", "plain-16.yaml", "--on", "local"], 2, "--on is for --attempts"),
        (["--attempts", "all.parquet", "--under", "plain-16.yaml", "--on", "local", "--changed"], 2, "only counts"),
    ):
        refused = program("replay", *words, env={}, cwd=log)
        assert (refused.returncode, said in refused.stderr) == (code, True), refused.stderr
