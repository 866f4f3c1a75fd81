"""A directory that brings everybody by SCIM, one by one, while people sign in."""

from __future__ import annotations

import json
import shutil
import tempfile
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from bench.calibration import just_now
from bench.door import EVALUATION, Load, Measured, company_at_work
from bench.open_loop import at_rate
from bench.result import Result

EVERYBODY, MINUTES = 50_000, 5
# So quick that it would be done before the time is up, and for so many seconds.
RATE, SECONDS, ROUNDS = EVERYBODY / (MINUTES * 60) * 1.1, 8, 4
USERS = "/scim/v2/Users"


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
            at_rate(server.port, USERS, server.directory, _users(ROUNDS)[:1], 1, 1, [])
            alone, beside, took = [], [], []
            for turn in range(ROUNDS):
                alone.append(server.load(EVALUATION, bodies, SECONDS))
                load, seconds = _beside(server, bodies, turn)
                beside.append(load)
                took.append(seconds)
        finally:
            server.stop()
    # What else goes on only adds to it.
    each = min(took) / (RATE * SECONDS)
    yield Result(f"{EVERYBODY:,} people by SCIM while others sign in, minutes", each * EVERYBODY / 60, "below", MINUTES,
                 f"{1 / each:.0f} a second of the {RATE:.0f} that were asked for; {just_now()}")  # fmt: skip
    ours, none = max(load.rate for load in beside), max(load.rate for load in alone)
    yield Result("decisions meanwhile / without it, throughput", ours / none, "above", 2 / 3,
                 f"{ours:,.0f} against {none:,.0f} a second")  # fmt: skip


def _beside(server: Measured, bodies: list[str], turn: int) -> tuple[Load, float]:
    """Return what decisions are like while a directory writes, and how long that took for what it was to write."""
    with ThreadPoolExecutor(1) as beside:
        users = _users(turn)
        writing = beside.submit(at_rate, server.port, USERS, server.directory, users, RATE, SECONDS, [])
        load = server.load(EVALUATION, bodies, SECONDS)
        return load, writing.result()[1]


def _users(turn: int) -> list[str]:
    found = []
    for n in range(int(RATE * SECONDS)):
        name = f"new-{turn}-{n}@kelpline.example"
        found.append(json.dumps({
            "schemas": ["urn:ietf:params:scim:schemas:core:2.0:User",
                        "urn:caddrel:params:scim:schemas:1.0:Person"],
            "userName": name, "externalId": f"e-{turn}-{n}", "active": True,
            "name": {"givenName": "New", "familyName": f"Person {n}"},
            "emails": [{"value": name, "primary": True}],
            "urn:caddrel:params:scim:schemas:1.0:Person": {
                "kind": "employee", "unit": "/fleet/deck", "factors": ["password", "authenticator-app"]},
        }))  # fmt: skip
    return found
