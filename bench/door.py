"""The door: decisions recorded before they are answered, against an endpoint that does nothing on the same server."""

from __future__ import annotations

import json
import logging
import statistics
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Iterator
from http.client import HTTPConnection
from pathlib import Path

from flask import Flask

from bench.company import Company
from bench.result import Result
from caddrel.service.app import create_app
from caddrel.service.auth.tokens import make_token
from caddrel.service.runtime import Runtime
from caddrel.wiring import CONSOLE, build_server, collect_seldom, log_nothing, open_data, utc_now

POLICIES, PEOPLE = 200, 50_000
CONNECTIONS, SECONDS, ROUNDS = 16, 4.0, 3


def run() -> Iterator[Result]:
    """Yield throughput and waiting of decisions, as parts of those of an endpoint that does nothing."""
    log_nothing()
    collect_seldom()
    logging.getLogger("waitress").setLevel(logging.ERROR)
    with tempfile.TemporaryDirectory() as folder:
        opened = open_data(Path(folder) / "data")
        data = opened.runtime.data
        company = Company(POLICIES)
        now = utc_now()
        data.revisions.publish([("company.json", company.text)], "bench", "first", now)
        data.inventory.put(company.inventory(PEOPLE), now)
        data.inventories.current()
        token = make_token(data, "bench", "door", 30, "bench")[1]
        server = build_server(opened, "127.0.0.1", 0, app=_with_nothing(opened.runtime))
        server.start()
        # The first check of a token is slow on purpose.
        _load(server.port, "/access/v1/evaluation", token)
        rates: dict[str, list[float]] = {"/nothing": [], "/access/v1/evaluation": []}
        tails: dict[str, list[float]] = {path: [] for path in rates}
        for _ in range(ROUNDS):
            for path, found in rates.items():
                rate, tail = _load(server.port, path, token)
                found.append(rate)
                tails[path].append(tail)
        server.stop()
    nothing, decisions = (statistics.median(rates[path]) for path in rates)
    note = f"{decisions:,.0f} a second, {POLICIES} policies, {PEOPLE:,} people, {CONNECTIONS} connections"
    yield Result("decisions / an endpoint that does nothing, throughput", decisions / nothing, "above", 0.28, note)
    slow, quick = (statistics.median(tails[path]) for path in ("/access/v1/evaluation", "/nothing"))
    note = f"{slow * 1000:.1f} ms against {quick * 1000:.1f} ms"
    yield Result("decisions / an endpoint that does nothing, p99", slow / quick, "below", 5, note)


def _with_nothing(runtime: Runtime) -> Flask:
    """Return the service's app with the yardstick beside its endpoints."""
    app = create_app(runtime, CONSOLE)
    app.add_url_rule("/nothing", "nothing", lambda: ("{}", 200, {"Content-Type": "application/json"}), methods=["POST"])
    return app


def _load(port: int, path: str, token: str) -> tuple[float, float]:
    """Return answers a second and the 99th percentile of waiting, seconds; asked from a process of its own."""
    words = [sys.executable, "-m", "bench.door", str(port), path, token]
    done = subprocess.run(words, check=True, capture_output=True, text=True)  # noqa: S603 - ourselves
    rate, tail = json.loads(done.stdout)
    return rate, tail


def _ask(port: int, path: str, token: str, until: float, waits: list[float], seed: int) -> None:
    connection = HTTPConnection("127.0.0.1", port)
    headers = {"Authorization": f"Bearer {token}", "Content-Type": "application/json"}
    i = seed
    while time.perf_counter() < until:
        i += 16
        body = json.dumps({
            "subject": {"type": "person", "id": f"person-{i * 31 % PEOPLE}"}, "action": {"name": "sign-in"},
            "resource": {"type": "app", "id": f"app-{i % 60}"},
            "context": {
                "device.id": f"device-{i * 31 % PEOPLE}", "network.ip": f"198.18.{i % 250}.9",
                "network.country": "NO", "risk.attempt": "none",
                "client.kind": "browser", "auth.methods": {"pwd": 4, "swk": 4}, "auth.credentials": "right",
            },
        })  # fmt: skip
        began = time.perf_counter()
        connection.request("POST", path, body, headers)
        answer = connection.getresponse()
        answer.read()
        assert answer.status == 200, answer.status
        waits.append(time.perf_counter() - began)
    connection.close()


def _client() -> None:
    port, path, token = int(sys.argv[1]), sys.argv[2], sys.argv[3]
    waits: list[float] = []
    until = time.perf_counter() + SECONDS
    threads = [
        threading.Thread(target=_ask, args=(port, path, token, until, waits, seed)) for seed in range(CONNECTIONS)
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    sys.stdout.write(json.dumps([len(waits) / SECONDS, statistics.quantiles(waits, n=100)[98]]))


if __name__ == "__main__":
    _client()
