"""A directory that brings everybody by SCIM, one by one or many in a message, while people sign in."""

from __future__ import annotations

import json
import shutil
import tempfile
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import httpx

from bench.calibration import just_now
from bench.door import EVALUATION, Load, Measured, company_at_work
from bench.open_loop import at_rate
from bench.result import Result

EVERYBODY, MINUTES = 50_000, 5
# So quick that it would be done before the time is up, and for so many seconds.
RATE, SECONDS, ROUNDS = EVERYBODY / (MINUTES * 60) * 1.1, 8, 4
# How many in a message, and how that is called.
WAYS = ((100, "by SCIM in messages of 100"), (1, "by SCIM one by one"))
BASE = "/scim/v2"


def run() -> Iterator[Result]:
    """Yield how long everybody would take, and what that leaves of the decisions beside it."""
    if shutil.which("wrk") is None:
        yield Result("a directory: not measured", 0, "below", None, "`wrk` is missing: apt-get install wrk")
        return
    with tempfile.TemporaryDirectory() as folder:
        server = Measured("caddrel", Path(folder) / "ours")
        try:
            bodies = company_at_work(server)
            # The models of the messages are made when the first comes.
            at_rate(server.port, f"{BASE}/Users", server.directory, _messages(1, "first")[:1], 1, 1, [])
            for together, name in WAYS:
                yield from _results(server, bodies, together, name)
        finally:
            server.stop()


def _results(server: Measured, bodies: list[str], together: int, name: str) -> Iterator[Result]:
    alone, beside, took = [], [], []
    there = _known(server)
    for turn in range(ROUNDS):
        alone.append(server.load(EVALUATION, bodies, SECONDS))
        load, seconds = _beside(server, bodies, together, f"{together}-{turn}")
        beside.append(load)
        took.append(seconds)
    brought = int(RATE * SECONDS / together) * together
    assert _known(server) - there == ROUNDS * brought, "not everybody was taken in"
    # What else goes on only adds to it.
    each = min(took) / brought
    yield Result(f"{EVERYBODY:,} people {name} while others sign in, minutes", each * EVERYBODY / 60, "below", MINUTES,
                 f"{1 / each:.0f} a second of the {RATE:.0f} that were asked for; {just_now()}")  # fmt: skip
    ours, none = max(load.rate for load in beside), max(load.rate for load in alone)
    yield Result(f"decisions meanwhile, {name} / without it, throughput", ours / none, "above", 2 / 3,
                 f"{ours:,.0f} against {none:,.0f} a second")  # fmt: skip


def _beside(server: Measured, bodies: list[str], together: int, turn: str) -> tuple[Load, float]:
    """Return what decisions are like while a directory writes, and how long that took for what it was to write."""
    path = f"{BASE}/Bulk" if together > 1 else f"{BASE}/Users"
    with ThreadPoolExecutor(1) as beside:
        messages, rate = _messages(together, turn), RATE / together
        writing = beside.submit(at_rate, server.port, path, server.directory, messages, rate, SECONDS, [])
        load = server.load(EVALUATION, bodies, SECONDS)
        return load, writing.result()[1]


def _known(server: Measured) -> int:
    headers = {"Authorization": f"Bearer {server.directory}"}
    url = f"http://127.0.0.1:{server.port}{BASE}/Users?count=0"
    return int(httpx.get(url, headers=headers, timeout=60).raise_for_status().json()["totalResults"])


def _messages(together: int, turn: str) -> list[str]:
    users = [_user(n, turn) for n in range(int(RATE * SECONDS))]
    if together == 1:
        return [json.dumps(user) for user in users]
    rows = [users[start : start + together] for start in range(0, len(users) - together + 1, together)]
    return [
        json.dumps({
            "schemas": ["urn:ietf:params:scim:api:messages:2.0:BulkRequest"],
            "Operations": [
                {"method": "POST", "path": "/Users", "bulkId": f"b{n}", "data": user} for n, user in enumerate(row)
            ],
        })
        for row in rows
    ]  # fmt: skip


def _user(n: int, turn: str) -> dict[str, Any]:
    name = f"new-{turn}-{n}@kelpline.example"
    return {
        "schemas": ["urn:ietf:params:scim:schemas:core:2.0:User",
                    "urn:caddrel:params:scim:schemas:1.0:Person"],
        "userName": name, "externalId": f"e-{turn}-{n}", "active": True,
        "name": {"givenName": "New", "familyName": f"Person {n}"},
        "emails": [{"value": name, "primary": True}],
        "urn:caddrel:params:scim:schemas:1.0:Person": {
            "kind": "employee", "unit": "/fleet/deck", "factors": ["password", "authenticator-app"]},
    }  # fmt: skip
