"""Sessions decided again: how many a second of processor time, and how long until the affected of 100,000 are."""

from __future__ import annotations

import json
import random
import tempfile
import time
from collections.abc import Iterator
from datetime import datetime, timedelta
from itertools import count, islice
from pathlib import Path
from typing import Any

import httpx

from bench.calibration import just_now
from bench.company import Company
from bench.result import Result
from caddrel.core.garbage import collect_seldom
from caddrel.service.auth.tokens import make_token
from caddrel.service.runtime import Runtime
from caddrel.service.streams.reevaluate import INVENTORY
from caddrel.store.door_sessions import DoorSession
from caddrel.store.new_signins import NewSignins
from caddrel.wiring import build_server, log_nothing, open_data, utc_now

POLL = "urn:ietf:rfc:8936"
POLICIES, PEOPLE, SESSIONS, TURN = 200, 50_000, 100_000, 10_000


def run() -> Iterator[Result]:
    """Yield the figures, beside a loop of the same minute."""
    log_nothing()
    collect_seldom()
    with tempfile.TemporaryDirectory() as folder:
        opened = open_data(Path(folder) / "data")
        runtime = opened.runtime
        data, now, rng = runtime.data, utc_now(), random.Random(4)  # noqa: S311 - the same in every run
        company = Company(POLICIES)
        data.revisions.publish([("company.json", company.text)], "bench", "first", now)
        kept = company.inventory(PEOPLE)
        by_noun: dict[str, list[dict[str, Any]]] = {}
        for noun, document in kept:
            by_noun.setdefault(noun, []).append(document)
        data.inventory.apply(by_noun, {}, now, 0)
        sessions = list(islice(_that_hold(runtime, company, rng, now), SESSIONS))
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
        opened.close()
        yield from _events(Path(folder) / "data", json.loads(text), sessions[0], sessions[1])


def _that_hold(runtime: Runtime, company: Company, rng: random.Random, now: datetime) -> Iterator[DoorSession]:
    """Yield sessions that deciding again does not end."""
    for turn in count():
        made = []
        for n in range(turn * TURN, (turn + 1) * TURN):
            person, seen = rng.randrange(PEOPLE), now - timedelta(minutes=rng.randrange(60))
            facts = {
                "device.id": f"device-{person}", "network.ip": f"198.51.100.{n % 200}", "network.country": "NO",
                "network.anonymiser": "none", "client.kind": "browser", "risk.attempt": "none",
            }  # fmt: skip
            made.append(
                DoorSession(
                    f"in-{n}", "door", f"person-{person}", f"app-{rng.randrange(company.apps)}", f"device-{person}",
                    seen, seen, {"pwd": seen, "otp": seen}, {}, f"s-{n}", facts=facts,
                    look_again=now + timedelta(hours=1),
                )
            )  # fmt: skip
        yield from (each.session for each in runtime.sessions.outcomes(made, "the bench", now) if not each.ends)


def _events(folder: Path, published: dict[str, Any], session: DoorSession, other: DoorSession) -> Iterator[Result]:
    """Yield how long it takes until a receiver has the first event of a change, asking for it all the time.

    Parameters
    ----------
    published
        The rulebook as it is: what a revision adds is all that is decided again for.
    session, other
        Whose device changes, and of whose device a revision speaks.
    """
    opened = open_data(folder)
    server = build_server(opened, "127.0.0.1", 0)
    server.start()
    data = opened.runtime.data
    # Who is in was let in by a service that knows them.
    opened.runtime.sessions.outcomes(data.door_sessions.touched(apps=None), "the bench", utc_now())
    token = make_token(data, "receiver", "receiver", 1, "bench")[1]
    with httpx.Client(base_url=server.url, headers={"Authorization": f"Bearer {token}"}, timeout=60) as http:
        made = http.post("/ssf/v1/stream", json={"delivery": {"method": POLL}}).raise_for_status().json()
        poll = f"/ssf/v1/poll/{made['stream_id']}"
        # The keys are made for the first that there ever is, and what was changed before is told first.
        http.post("/ssf/v1/verification", json={"stream_id": made["stream_id"]}).raise_for_status()
        _until(http, poll)
        # The first look after a start is a longer one: it is over when two changes after it are seen.
        for device in ("first", "second"):
            data.inventory.put([("devices", {"id": device})], utc_now())
            while data.marks.get(INVENTORY) != data.inventory.version():
                time.sleep(0.01)
        there = data.inventory.get("devices", str(session.device))
        assert there is not None
        changed = {**there.document, "encrypted": False, "os_version": "9"}
        began = time.perf_counter()
        data.inventory.put([("devices", changed)], utc_now())
        _until(http, poll)
        yield Result("a device until its first event is out, s", time.perf_counter() - began, "below", 1, "")
        block = {"id": "that-one", "when": f"device.id is {other.device}", "then": "block"}
        out = {"mode": "enforced", "apps": [other.app], "rules": [block]}
        text = json.dumps({**published, "policies": {**published["policies"], "out": out}})
        began = time.perf_counter()
        data.revisions.publish([("company.json", text)], "bench", "third", utc_now())
        _until(http, poll)
        note = f"read, compiled, and decided again for all at one app; {just_now()}"
        yield Result("a publish until its first event is out, s", time.perf_counter() - began, "below", 1, note)
    server.stop()


def _until(http: httpx.Client, poll: str) -> None:
    """Wait until there is an event, and take whatever there is."""
    while not (sets := http.post(poll, json={"returnImmediately": True}).raise_for_status().json()["sets"]):
        time.sleep(0.005)
    while sets:
        sets = http.post(poll, json={"ack": list(sets), "returnImmediately": True}).raise_for_status().json()["sets"]


def _deciding(runtime: Runtime, sessions: list[DoorSession], now: datetime) -> float:
    began = time.process_time()
    runtime.sessions.outcomes(sessions, "the bench", now)
    return time.process_time() - began


def _look(runtime: Runtime) -> float:
    began = time.perf_counter()
    runtime.sessions.look()
    return time.perf_counter() - began
