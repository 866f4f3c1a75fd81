"""The door under load: decisions against an empty request and against the same by hand, on the same server.

A compiled load generator on one core, the server on another. In one run also the release before, where this is a clone
with its history.
"""

from __future__ import annotations

import contextlib
import json
import os
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import httpx

from bench.door_server import PEOPLE, POLICIES
from bench.open_loop import at_rate
from bench.result import Result

ROOT = Path(__file__).parent.parent
CONNECTIONS, SECONDS, ROUNDS = 16, 4, 5
# The last release whose server was another.
BEFORE = "0e70db0"
EVALUATION, EVALUATIONS = "/access/v1/evaluation", "/access/v1/evaluations"
EVALUATION_BY_HAND, NOTHING = "/by-hand", "/nothing"
TOGETHER = 100
_TICKS = os.sysconf("SC_CLK_TCK")


@dataclass(frozen=True)
class Load:
    """What came of asking for a while; waits in milliseconds, `cpu` in microseconds of the server's a request."""

    rate: float
    cpu: float
    p50: float
    p99: float
    p999: float


class Measured:
    """A server in a process of its own, on the first core."""

    def __init__(self, kind: str, folder: Path, source: Path = ROOT / "src") -> None:
        folder.mkdir()
        self.folder = folder
        words = [*_on(0), sys.executable, "-m", "bench.door_server", kind, str(folder)]
        environment = {**os.environ, "PYTHONPATH": f"{source}:{ROOT}"}
        self._process = subprocess.Popen(  # noqa: S603 - ourselves
            words, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True, env=environment, cwd=folder
        )
        assert self._process.stdout is not None
        told: dict[str, Any] = json.loads(self._process.stdout.readline())
        self.port, self.door, self.operator = told["port"], told["door"], told["operator"]
        self.directory = told["directory"]

    @property
    def url(self) -> str:
        """Where it listens."""
        return f"http://127.0.0.1:{self.port}"

    def cpu(self) -> float:
        """Return the seconds of CPU that it has taken."""
        parts = Path(f"/proc/{self._process.pid}/stat").read_text().rpartition(")")[2].split()
        return (int(parts[11]) + int(parts[12])) / _TICKS

    def load(self, path: str, bodies: list[str], seconds: float = SECONDS) -> Load:
        """Ask as fast as it answers."""
        held = self.folder / "bodies"
        held.write_text("\n".join(bodies) + "\n", encoding="utf-8")
        words = [
            "wrk",
            "-t1",
            "--timeout",
            "30s",
            f"-c{CONNECTIONS}",
            f"-d{seconds}s",
            "-s",
            str(ROOT / "bench" / "door.lua"),
            self.url,
        ]
        before = self.cpu()
        done = subprocess.run(  # noqa: S603 - ourselves
            [*_on(1), *words, "--", path, self.door, str(held)], check=True, capture_output=True, text=True
        )
        told = json.loads(done.stdout.strip().splitlines()[-1])
        if told["wrong"]:
            raise RuntimeError(f"{told['wrong']} of {told['requests']} at {path} were not answered as they should be")
        cpu = (self.cpu() - before) / told["requests"] * 1e6
        return Load(told["requests"] / told["seconds"], cpu, told["p50"], told["p99"], told["p999"])

    def at_rate(self, path: str, bodies: list[str], rate: float, seconds: float = SECONDS) -> Load:
        """Ask so many times a second, whether it keeps up or not."""
        before = self.cpu()
        waits, _ = at_rate(self.port, path, self.door, bodies, rate, seconds, _on(1))
        cut = statistics.quantiles(waits, n=1000)
        cpu = (self.cpu() - before) / len(waits) * 1e6
        return Load(len(waits) / seconds, cpu, *(cut[each] * 1000 for each in (499, 989, 998)))

    def stop(self) -> None:
        """End it."""
        with contextlib.suppress(OSError):
            self._process.communicate("", timeout=30)
        self._process.kill()


def run() -> Iterator[Result]:
    """Yield throughput, CPU and waiting of decisions, as parts of those of the yardsticks."""
    if shutil.which("wrk") is None:
        yield Result("the door: not measured", 0, "below", None, "`wrk` is missing: apt-get install wrk")
        return
    with tempfile.TemporaryDirectory() as folder, contextlib.ExitStack() as ending:

        def server(kind: str, name: str, source: Path = ROOT / "src") -> Measured:
            made = Measured(kind, Path(folder) / name, source)
            ending.callback(made.stop)
            return made

        ours, nothing, by_hand = server("caddrel", "ours"), server("nothing", "nothing"), server("by-hand", "hand")
        source = _source_before(Path(folder) / "source")
        before = server("caddrel", "before", source) if source else None
        yield from _figures(ours, nothing, by_hand, before)


def _figures(ours: Measured, nothing: Measured, by_hand: Measured, before: Measured | None) -> Iterator[Result]:
    bodies, plain = company_at_work(ours), _bodies()
    batches = [json.dumps({"evaluations": [json.loads(body) for body in bodies[i : i + TOGETHER]]})
               for i in range(0, len(bodies), TOGETHER)]  # fmt: skip
    asked = {"ours": (ours, EVALUATION, bodies), "together": (ours, EVALUATIONS, batches),
             "nothing": (nothing, NOTHING, plain), "hand": (by_hand, EVALUATION_BY_HAND, plain)}  # fmt: skip
    if before:
        asked["before"] = (before, EVALUATION, company_at_work(before))
    loads: dict[str, list[Load]] = {name: [] for name in asked}
    for _ in range(ROUNDS):
        # In turns: what else goes on on this machine disturbs all of them alike.
        for name, (measured, path, sent) in asked.items():
            loads[name].append(measured.load(path, sent))
    # What else goes on only adds to it.
    best = {name: max(found, key=lambda load: load.rate) for name, found in loads.items()}
    mine, none, hand = best["ours"], best["nothing"], best["hand"]
    shape = f"{POLICIES} policies, {PEOPLE:,} people, {CONNECTIONS} connections, signals, sessions, a draft in shadow"
    yield Result("decisions / an empty request, throughput", mine.rate / none.rate, "above", 0.4,
                 f"{mine.rate:,.0f} against {none.rate:,.0f} a second; {shape}")  # fmt: skip
    yield Result("decisions / an empty request, CPU", mine.cpu / none.cpu, "below", 2.3,
                 f"{mine.cpu:,.0f} against {none.cpu:,.0f} µs")  # fmt: skip
    yield Result("decisions / the same by hand, throughput", mine.rate / hand.rate, "above", 0.6,
                 f"{mine.rate:,.0f} against {hand.rate:,.0f} a second")  # fmt: skip
    yield Result("decisions, p99 at full load / median", mine.p99 / mine.p50, "below", None,
                 f"p50 {mine.p50:.1f}, p99 {mine.p99:.1f}, p999 {mine.p999:.1f} ms")  # fmt: skip
    if "before" in best:
        was = best["before"]
        yield Result("decisions / the release before, throughput", mine.rate / was.rate, "above", 3,
                     f"{mine.rate:,.0f} against {was.rate:,.0f} a second; {mine.cpu:,.0f} against {was.cpu:,.0f} µs "
                     f"of CPU")  # fmt: skip
    yield _at_half_load(ours, bodies, nothing, plain, mine.rate / 2)
    together = best["together"]
    yield Result(f"a decision in a batch of {TOGETHER} / one alone, CPU", together.cpu / TOGETHER / mine.cpu, "below",
                 0.3, f"{together.cpu / TOGETHER:,.0f} against {mine.cpu:,.0f} µs")  # fmt: skip


def _at_half_load(ours: Measured, bodies: list[str], nothing: Measured, plain: list[str], rate: float) -> Result:
    """Return how long decisions wait beyond what an empty request does, at the same rate and in the same minute.

    Where others share the machine it stands still for tens of milliseconds now and then, whatever it is asked.
    """
    turns = [(ours.at_rate(EVALUATION, bodies, rate), nothing.at_rate(NOTHING, plain, rate)) for _ in range(ROUNDS)]
    sync = _sync(ours.folder)
    half, empty = sorted(turns, key=lambda turn: turn[0].p99 - turn[1].p99)[len(turns) // 2]
    return Result("decisions at half load, p99 beyond that of an empty request and a sync, ms / 10",
                  (half.p99 - empty.p99 - sync) / 10, "below", 1,
                  f"p50 {half.p50:.1f}, p99 {half.p99:.1f}, p999 {half.p999:.1f} ms at {half.rate:,.0f} a second; an "
                  f"empty request p50 {empty.p50:.1f}, p99 {empty.p99:.1f}; a sync takes {sync:.1f} ms")  # fmt: skip


def _bodies(sessions: list[str] | None = None) -> list[str]:
    """Return bodies of requests, every second one about a session that is open, if there are any."""
    found = []
    for i in range(5_000):
        person = i * 31 % PEOPLE
        context: dict[str, Any] = {
            "device.id": f"device-{person}", "network.ip": f"198.18.{i % 250}.9", "network.country": "NO",
            "risk.attempt": "none", "client.kind": "browser", "auth.methods": {"pwd": 4, "swk": 4},
            "auth.credentials": "right",
        }  # fmt: skip
        # A session is its person's: the ids came back in the order of the people; who was not let in has none.
        if sessions and i % 2 and sessions[i]:
            context["session"] = {"id": sessions[i]}
        found.append(json.dumps({
            "subject": {"type": "person", "id": f"person-{person}"}, "action": {"name": "sign-in"},
            "resource": {"type": "app", "id": f"app-{i % 60}"}, "context": context,
        }))  # fmt: skip
    return found


def company_at_work(measured: Measured) -> list[str]:
    """Put a draft in shadow and let everybody in once; return what is asked from then on."""
    plain, sessions = _bodies(), []
    with httpx.Client(base_url=measured.url, timeout=60) as http:
        http.headers["Authorization"] = f"Bearer {measured.operator}"
        draft = http.post("/api/v1/drafts", json={"name": "shade"}).raise_for_status().json()["info"]
        on = {"on": True, "digest": draft["digest"]}
        seen = {"If-Match": f'"{draft["version"]}"'}
        http.post("/api/v1/drafts/shade/shadow", json=on, headers=seen).raise_for_status()
        http.headers["Authorization"] = f"Bearer {measured.door}"
        for i in range(0, len(plain), 500):
            several = {"evaluations": [json.loads(body) for body in plain[i : i + 500]]}
            answers = http.post(EVALUATIONS, json=several).raise_for_status().json()["evaluations"]
            sessions += [answer["context"].get("session", {}).get("id", "") for answer in answers]
    return _bodies(sessions)


def _sync(folder: Path) -> float:
    """Return what writing a page for good takes, in milliseconds: the 99th of 100."""
    waits = []
    with (folder / "sync").open("wb", buffering=0) as file:
        for _ in range(200):
            file.write(b"x" * 4096)
            began = time.perf_counter()
            os.fsync(file.fileno())
            waits.append(time.perf_counter() - began)
    return statistics.quantiles(waits, n=100)[98] * 1000


def _on(core: int) -> list[str]:
    """Return the words that keep a program on a core, where there are two."""
    return ["taskset", "-c", str(core)] if (os.cpu_count() or 1) > 1 and shutil.which("taskset") else []


def _source_before(folder: Path) -> Path | None:
    """Return the source of the release before, None when this is no clone with its history."""
    done = subprocess.run(  # noqa: S603 - ourselves
        ["git", "archive", "--format=tar", BEFORE, "src"],  # noqa: S607
        check=False,
        capture_output=True,
        cwd=ROOT,
    )
    if done.returncode:
        return None
    folder.mkdir()
    subprocess.run(["tar", "-x", "-C", str(folder)], input=done.stdout, check=True)  # noqa: S603, S607
    return folder / "src"
