"""Sessions decided again: how many a second of processor time, and how long until the affected of 100,000 are."""

from __future__ import annotations

import random
import tempfile
import time
from collections.abc import Iterator
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

from bench.calibration import just_now
from bench.company import Company
from bench.result import Result
from caddrel.core.garbage import collect_seldom
from caddrel.service.runtime import Runtime
from caddrel.store.door_sessions import DoorSession
from caddrel.store.new_signins import NewSignins
from caddrel.wiring import log_nothing, open_data, utc_now

POLICIES, PEOPLE, SESSIONS = 200, 50_000, 100_000


def run() -> Iterator[Result]:
    """Yield the figures, beside a loop of the same minute."""
    log_nothing()
    collect_seldom()
    with tempfile.TemporaryDirectory() as folder:
        runtime = open_data(Path(folder) / "data").runtime
        runtime.sessions.stop()
        data, now, rng = runtime.data, utc_now(), random.Random(4)  # noqa: S311 - the same in every run
        company = Company(POLICIES)
        data.revisions.publish([("company.json", company.text)], "bench", "first", now)
        kept = company.inventory(PEOPLE)
        by_noun: dict[str, list[dict[str, Any]]] = {}
        for noun, document in kept:
            by_noun.setdefault(noun, []).append(document)
        data.inventory.apply(by_noun, {}, now, 0)
        sessions = []
        for n in range(SESSIONS):
            person = rng.randrange(PEOPLE)
            seen = now - timedelta(minutes=rng.randrange(60))
            sessions.append(
                DoorSession(
                    f"in-{n}", "door", f"person-{person}", f"app-{rng.randrange(company.apps)}", f"device-{person}",
                    seen, seen, {"pwd": seen, "otp": seen}, {}, f"s-{n}",
                    facts={
                        "device.id": f"device-{person}", "network.ip": f"198.51.100.{n % 200}",
                        "network.country": "NO", "network.anonymiser": "none", "client.kind": "browser",
                        "risk.attempt": "none",
                    },
                    look_again=now + timedelta(hours=1),
                )
            )  # fmt: skip
        data.signins.add(NewSignins(()), {}, sessions)
        runtime.sessions.look()
        many = 20_000
        # The first time it is noted which policies may speak about whom at all.
        runtime.sessions.outcomes(sessions[:many], "the bench", now)
        # The least of several: what else the machine does only adds to it.
        took = min(_deciding(runtime, sessions[:many], now) for _ in range(8))
        note = f"{POLICIES} policies, {PEOPLE:,} people; {just_now()}"
        yield Result("sessions decided again, a CPU second", many / took, "above", 20_000, note)
        device = dict(next(document for noun, document in kept if document["id"] == "device-77"), encrypted=False)
        data.inventory.put([("devices", device)], utc_now())
        yield Result(
            f"a device until its sessions of {SESSIONS:,} are decided again, s", _look(runtime), "below", 1, ""
        )
        text = company.text.replace('"app-1"', '"app-2"', 1)
        data.revisions.publish([("company.json", text)], "bench", "second", utc_now())
        data.rulebooks.need_current()
        yield Result(
            f"a publish until the affected of {SESSIONS:,} are decided again, s", _look(runtime), "below", 1, ""
        )


def _deciding(runtime: Runtime, sessions: list[DoorSession], now: datetime) -> float:
    began = time.process_time()
    runtime.sessions.outcomes(sessions, "the bench", now)
    return time.process_time() - began


def _look(runtime: Runtime) -> float:
    began = time.perf_counter()
    runtime.sessions.look()
    return time.perf_counter() - began
