"""Keeps a service under load for long: `python tools/endurance.py [--seconds 600] [--rate N] …`.

Doors ask so many times a second, whether there are answers or not, while logs are imported, rulebooks published and the
service is killed, again and again. At the end it says whether every decision that a door was told of is in the log, and
once, whether the service needs more and more memory, and how long doors waited beside when nothing else goes on.
It starts a service of its own on a scratch folder, on loopback alone. Ends with code 1 when a decision is lost or
doubled, or the memory grows; how long anybody waited depends on the machine, and is told.
"""

from __future__ import annotations

import argparse
import asyncio
import contextlib
import json
import math
import random
import signal
import socket
import sqlite3
import statistics
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, TextIO

sys.path.insert(0, str(Path(__file__).parents[1]))

from bench.company import Company

from caddrel.client import Caddrel
from caddrel.client.caller import CaddrelError
from caddrel.service.auth.tokens import make_token
from caddrel.wire.decisions import File
from caddrel.wiring import log_nothing, open_data, utc_now

CONNECTIONS = 32
# Without `--rate`, this part of what it decides at most.
LOAD = 0.6
# Seconds: of finding out how much it decides at most; and at most of warming up, and of looking how long doors wait
# when it is quiet.
AT_MOST, WARMING, QUIET = 10.0, 30.0, 60.0
# Seconds between two disturbances; every so many of them is a kill.
APART, KILL = 15.0, 4
IMPORTED = 5_000
# Memory may still grow while caches fill; more than this part more, and more megabytes than this, is a leak.
GROWTH, SLACK = 0.15, 40.0
# Seconds; in a shorter run nothing can be told of memory: caches are still being filled. So nothing is killed in the
# second half of a long one.
SETTLED = 180
# Seconds; whoever waits no longer than this does not wait for those who waited over a start.
CAUGHT_UP = 0.5


@dataclass
class Doors:
    """Asks evaluations, each by a name of its own until it is answered; one connection for each of many askers.

    Attributes
    ----------
    told
        Outcomes by id, of everything that was answered.
    waits
        When each was due, and how long it waited, in seconds.
    again
        How often a request was sent again, since nobody answered or too many waited.
    """

    port: int
    token: str
    people: int
    apps: int
    told: dict[str, bool] = field(default_factory=dict)
    waits: list[tuple[float, float]] = field(default_factory=list)
    asked: int = 0
    again: int = 0

    async def at_rate(self, rate: float, enough: Callable[[], bool]) -> None:
        """Ask so many times a second, whether there are answers or not, until it is enough."""
        queue: asyncio.Queue[tuple[float, int] | None] = asyncio.Queue()
        asking = [asyncio.create_task(self._ask(queue)) for _ in range(CONNECTIONS)]
        began, i = time.monotonic(), 0
        while not enough():
            i += 1
            while (left := began + i / rate - time.monotonic()) > 0:
                await asyncio.sleep(left)
            self._put(queue, began + i / rate)
        for _ in asking:
            queue.put_nowait(None)
        await asyncio.gather(*asking)

    async def at_most(self, seconds: float) -> float:
        """Ask as fast as there are answers; return how many there are a second."""
        queue: asyncio.Queue[tuple[float, int] | None] = asyncio.Queue()
        asking = [asyncio.create_task(self._ask(queue)) for _ in range(CONNECTIONS)]
        began, before = time.monotonic(), len(self.told)
        while time.monotonic() < began + seconds:
            while queue.qsize() < CONNECTIONS:
                self._put(queue, time.monotonic())
            await asyncio.sleep(0.002)
        found = (len(self.told) - before) / (time.monotonic() - began)
        for _ in asking:
            queue.put_nowait(None)
        await asyncio.gather(*asking)
        return found

    def _put(self, queue: asyncio.Queue[tuple[float, int] | None], due: float) -> None:
        self.asked += 1
        queue.put_nowait((due, self.asked))

    def _request(self, number: int) -> bytes:
        person = number * 31 % self.people
        body = json.dumps({
            "subject": {"type": "person", "id": f"person-{person}"}, "action": {"name": "sign-in"},
            "resource": {"type": "app", "id": f"app-{number % self.apps}"},
            "context": {
                "device.id": f"device-{person}", "network.ip": f"198.18.{number % 250}.9", "network.country": "NO",
                "risk.attempt": "none", "client.kind": "browser", "auth.methods": {"pwd": 4, "swk": 4},
                "auth.credentials": "right",
            },
        })  # fmt: skip
        return (
            f"POST /access/v1/evaluation HTTP/1.1\r\nHost: 127.0.0.1\r\nAuthorization: Bearer {self.token}\r\n"
            f"X-Request-ID: r{number}\r\nContent-Type: application/json\r\nContent-Length: {len(body)}\r\n\r\n{body}"
        ).encode()

    async def _ask(self, queue: asyncio.Queue[tuple[float, int] | None]) -> None:
        held: tuple[asyncio.StreamReader, asyncio.StreamWriter] | None = None
        while (asked := await queue.get()) is not None:
            due, number = asked
            while True:
                try:
                    held = held or await asyncio.open_connection("127.0.0.1", self.port)
                    status, body = await _answer(held, self._request(number))
                except (OSError, asyncio.IncompleteReadError):
                    if held is not None:
                        held[1].close()
                    held, status, body = None, 0, b""
                if status == 200:
                    break
                if status not in {0, 503}:
                    raise RuntimeError(f"a door was answered with {status}: {body[:300]!r}")
                self.again += 1
                await asyncio.sleep(0.2)
            told = json.loads(body)
            self.told[told["context"]["id"]] = told["decision"]
            self.waits.append((due, time.monotonic() - due))
        if held is not None:
            held[1].close()


async def _answer(held: tuple[asyncio.StreamReader, asyncio.StreamWriter], request: bytes) -> tuple[int, bytes]:
    reader, writer = held
    writer.write(request)
    head = (await reader.readuntil(b"\r\n\r\n")).lower()
    length = int(head.partition(b"content-length:")[2].split(b"\r\n")[0])
    return int(head.split(b" ", 2)[1]), await reader.readexactly(length)


class Served:
    """A service on a folder, killed and started again; says how much memory it takes."""

    def __init__(self, folder: Path, log: TextIO) -> None:
        self.folder, self._log = folder, log
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            self.port = int(free.getsockname()[1])
        self.started: list[float] = []
        # Of each time that it ran: megabytes, each second.
        self.memory: list[list[float]] = []
        self.start()

    def start(self) -> None:
        """Start it."""
        program = [sys.executable, "-c", "from caddrel.cli import main; main()", "serve"]
        words = [*program, "--data", str(self.folder), "--bind", f"127.0.0.1:{self.port}"]
        self._process = subprocess.Popen(words, stdout=self._log, stderr=subprocess.STDOUT)  # noqa: S603 - ours
        self.started.append(time.monotonic())
        self.memory.append([])

    def kill(self) -> None:
        """Kill it as a machine does that has no time."""
        self._process.send_signal(signal.SIGKILL)
        self._process.wait()

    def look(self) -> None:
        """Take note of its memory."""
        with contextlib.suppress(OSError, StopIteration):
            lines = Path(f"/proc/{self._process.pid}/status").read_text().splitlines()
            held = next(line for line in lines if line.startswith("VmRSS"))
            self.memory[-1].append(int(held.split()[1]) / 1024)


class Disturbance(threading.Thread):
    """Imports, publishes and kills, in turns, until it is told to end."""

    def __init__(self, served: Served, operator: str, company: Company, apart: float, kill: int, lines: int) -> None:
        super().__init__(daemon=True)
        self._served, self._operator, self._company = served, operator, company
        self._apart, self._kill, self._lines = apart, kill, lines
        # When the last may be killed, on the clock that is never set.
        self.calm_from = math.inf
        self.ended = threading.Event()
        self.done = {"imports": 0, "publishes": 0, "kills": 0, "cut short": 0}

    def run(self) -> None:
        """Disturb."""
        turn = 0
        while not self.ended.wait(self._apart):
            # Killed again before it is there, it never would be.
            self._until_there()
            turn += 1
            work = "imports" if turn % 2 else "publishes"
            if turn % self._kill == 0 and time.monotonic() < self.calm_from:
                # While something is under way: that is when most could be lost.
                killer = threading.Timer(random.random(), self._die)  # noqa: S311 - any moment will do
                killer.start()
                self._try(work, turn)
                killer.join()
            else:
                self._try(work, turn)

    def _until_there(self) -> None:
        while not self.ended.wait(0.1):
            with contextlib.suppress(OSError), socket.create_connection(("127.0.0.1", self._served.port)):
                return

    def _die(self) -> None:
        self._served.kill()
        self.done["kills"] += 1
        self._served.start()

    def _try(self, work: str, turn: int) -> None:
        try:
            with Caddrel(f"http://127.0.0.1:{self._served.port}", self._operator) as client:
                if work == "imports":
                    client.signins.import_(_lines(turn, self._lines), name=f"turn {turn}")
                else:
                    document = {**self._company.document, "settings": {"contact": f"turn {turn}"}}
                    client.rulebook.publish([File("company.json", json.dumps(document))], f"turn {turn}")
            self.done[work] += 1
        except CaddrelError:
            self.done["cut short"] += 1


def _lines(turn: int, count: int) -> Iterator[bytes]:
    now = utc_now().isoformat()
    for i in range(count):
        facts = {
            "time.at": now, "person.id": f"person-{i % 500}", "app.id": f"app-{i % 60}",
            "device.id": f"device-{i % 500}", "network.ip": f"198.18.{i % 250}.9", "client.kind": "browser",
            "auth.credentials": "right", "auth.methods": ["pwd"],
        }  # fmt: skip
        yield json.dumps({"id": f"import-{turn}-{i}", "facts": facts}).encode() + b"\n"


def _prepared(folder: Path, people: int, policies: int) -> tuple[Company, str, str]:
    """Fill a folder; return who is in it, and tokens of a door and of an operator."""
    company = Company(policies)
    company.document["signals"] = {
        "country": {"title": "Country", "kind": "first-seen", "of": "network.country", "after": 5, "history": 30},
    }
    opened, now = open_data(folder), utc_now()
    data = opened.runtime.data
    data.revisions.publish([("company.json", company.text)], "endurance", "first", now)
    data.inventory.put(company.inventory(people), now)
    door, operator = (make_token(data, role, role, 30, "endurance")[1] for role in ("door", "operator"))
    opened.close()
    return company, door, operator


def _recorded(folder: Path, doors: Doors) -> list[str]:
    """Return what is wrong with the log, beside what doors were told."""
    opened = open_data(folder)
    try:
        ids = list(doors.told)
        there = opened.runtime.data.signins.present(ids)
        # Imported ones are called otherwise.
        with contextlib.closing(sqlite3.connect(folder / "signins.sqlite")) as log:
            (live,) = log.execute("SELECT count(*) FROM records WHERE id GLOB 'd-*'").fetchone()
    finally:
        opened.close()
    wrong = [f"{len(ids) - len(there)} decisions that were told are not in the log"] if len(there) < len(ids) else []
    if len(ids) < doors.asked:
        wrong.append(f"of {doors.asked} requests by names of their own, some had the same decision: {len(ids)}")
    return [*wrong, f"{live} decisions are in the log, {doors.asked} were asked for"] if live != doors.asked else wrong


def _grown(runs: Sequence[Sequence[float]]) -> tuple[str, bool]:
    """Return how the memory went in the longest run, and whether it grew without end."""
    longest = max(runs, key=len)
    if len(longest) < SETTLED:
        return "too short a run to tell of memory", False
    half = len(longest) // 2
    early, late = statistics.median(longest[half - 5 : half + 5]), statistics.median(longest[-10:])
    said = f"memory {early:.0f} MB halfway through {len(longest)} s without a kill, {late:.0f} MB at their end"
    return said, late > early * (1 + GROWTH) and late > early + SLACK


def _caught_up(waits: Sequence[tuple[float, float]], start: float) -> float:
    """Return when all that had waited over a start was answered: from then on nobody's wait is of that."""
    late = sorted(due + wait for due, wait in waits if due + wait > start and wait > CAUGHT_UP and due < start + 60)
    end = start
    for answered in late:
        # What waits long again once others did not, waits for something else.
        if answered > end + 2 and end > start:
            break
        end = answered
    return end


def _p99(waits: Sequence[float]) -> float:
    return statistics.quantiles(waits, n=100)[98] * 1000 if len(waits) > 1 else 0.0


async def _ready(served: Served) -> None:
    for _ in range(600):
        try:
            _, writer = await asyncio.open_connection("127.0.0.1", served.port)
        except OSError:
            await asyncio.sleep(0.1)
        else:
            writer.close()
            return
    raise RuntimeError("the service did not start")


def _after(seconds: float) -> Callable[[], bool]:
    until = time.monotonic() + seconds
    return lambda: time.monotonic() >= until


async def _keep_on(
    doors: Doors, served: Served, disturbing: Disturbance, rate: float, seconds: float, kills: int
) -> list[str]:
    """Load and disturb a service; return what there is to say of waiting."""
    if not rate:
        rate = LOAD * await doors.at_most(AT_MOST)
    # Whoever comes for the first time is looked up, and everything is made ready: not what is asked here.
    await doors.at_rate(rate, _after(min(WARMING, seconds / 8)))
    doors.waits.clear()
    await doors.at_rate(rate, _after(min(QUIET, seconds / 4)))
    quiet = _p99([wait for _, wait in doors.waits])
    doors.waits.clear()

    async def look() -> None:
        while True:
            served.look()
            await asyncio.sleep(1.0)

    looking = asyncio.create_task(look())
    disturbing.start()
    try:
        long_enough = _after(seconds)
        if seconds >= 2 * SETTLED:
            disturbing.calm_from = time.monotonic() + seconds / 2

        def enough() -> bool:
            if long_enough() and disturbing.done["kills"] >= kills:
                # Before the last are answered: nobody is to be killed for them.
                disturbing.ended.set()
            return disturbing.ended.is_set()

        await doors.at_rate(rate, enough)
    finally:
        disturbing.ended.set()
        await asyncio.to_thread(disturbing.join)
        looking.cancel()
    starts = [(start, _caught_up(doors.waits, start)) for start in served.started[1:]]
    # Nobody can answer while nobody is there: that is how long a start takes, and not what is asked here.
    spared = [
        wait for due, wait in doors.waits if not any(due + wait >= start - 1 and due < until for start, until in starts)
    ]
    busy = _p99(spared)
    longest = max(wait for _, wait in doors.waits)
    return [
        f"{rate:,.0f} a second, {doors.asked:,} asked, {doors.again:,} asked again",
        f"p99 {quiet:.0f} ms when quiet, {busy:.0f} ms beside imports and publishes: "
        f"{busy / max(quiet, 0.001):.1f} times; over a start at most {longest:.1f} s",
    ]


def main() -> int:
    """Load a service; return the exit code."""
    parser = argparse.ArgumentParser(description=(__doc__ or "").partition("\n")[0])
    parser.add_argument("--seconds", type=float, default=600.0)
    parser.add_argument("--rate", type=float, default=0.0, help="evaluations a second; 0 finds out what it can take")
    # So few that what is remembered of each is all there within the run.
    parser.add_argument("--people", type=int, default=500)
    parser.add_argument("--policies", type=int, default=200)
    parser.add_argument("--apart", type=float, default=APART, help="seconds between two disturbances")
    parser.add_argument("--kill", type=int, default=KILL, help="every so many of them is a kill")
    parser.add_argument("--lines", type=int, default=IMPORTED, help="of each import")
    parser.add_argument("--kills", type=int, default=1, help="goes on until there were so many")
    given = parser.parse_args()
    log_nothing()
    with tempfile.TemporaryDirectory() as scratch, (Path(scratch) / "out.log").open("w") as log:
        folder = Path(scratch) / "data"
        company, door, operator = _prepared(folder, given.people, given.policies)
        served = Served(folder, log)
        doors = Doors(served.port, door, given.people, company.apps)
        disturbing = Disturbance(served, operator, company, given.apart, given.kill, given.lines)

        async def run() -> list[str]:
            await _ready(served)
            return await _keep_on(doors, served, disturbing, given.rate, given.seconds, given.kills)

        try:
            said = asyncio.run(run())
        finally:
            served.kill()
        done: dict[str, Any] = disturbing.done
        memory, grew = _grown(served.memory)
        wrong = _recorded(folder, doors)
        for line in (*said, ", ".join(f"{count} {what}" for what, count in done.items()), memory):
            print(line, flush=True)
        for line in (*wrong, *(["the memory grows"] if grew else [])):
            print(f"WRONG   {line}", flush=True)
        if not wrong:
            print(f"held    each of {len(doors.told):,} decisions that were told is in the log, and none twice")
    return 1 if wrong or grew else 0


if __name__ == "__main__":
    sys.exit(main())
