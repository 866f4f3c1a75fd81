"""A server to be measured, in a process of its own: `python -m bench.door_server KIND FOLDER`; tells its port.

It runs on the release before as well, so it asks for no more than that has.
"""

from __future__ import annotations

import hmac
import json
import logging
import queue
import sqlite3
import sys
import threading
import time
from collections.abc import Callable, Iterable
from concurrent.futures import Future
from ipaddress import ip_address
from pathlib import Path
from typing import Any

from flask import Flask

from bench.company import Company
from caddrel import wiring
from caddrel.core.facts.values import read_version
from caddrel.service.auth.tokens import make_token
from caddrel.wiring import build_server, collect_seldom, log_nothing, open_data, share_fairly, utc_now

POLICIES, PEOPLE = 200, 50_000
TOKEN = "cad_by-hand_0123456789"
# What a decision's row holds, in bytes, about.
ROW = 700


def company() -> Company:
    """Return the company whose people sign in."""
    made = Company(POLICIES)
    made.document["signals"] = {
        "fast": {"title": "Fast", "kind": "travel-speed", "above_kmh": 900, "history": 30},
        "guessed": {"title": "Guessed", "kind": "failed-attempts", "within": "15m", "history": 30, "at_least": 5},
        "country": {"title": "Country", "kind": "first-seen", "of": "network.country", "after": 5, "history": 30},
    }
    made.document["notices"] = {"terms": {"title": "Terms", "version": 1, "text": "Be kind."}}
    return made


class ByHand:
    """The same by hand: straight-line rules, a token in a dictionary, a durable row in a shared commit."""

    def __init__(self, folder: Path) -> None:
        made = company()
        self._decide = made.straight()
        people = (document for noun, document in made.inventory(PEOPLE) if noun == "people")
        self._people = {document["id"]: document["groups"] for document in people}
        self._tokens = {TOKEN.encode(): "bench"}
        self._waiting: queue.SimpleQueue[tuple[str, Future[None]]] = queue.SimpleQueue()
        self._database = sqlite3.connect(folder / "by-hand.db", isolation_level=None, check_same_thread=False)
        self._database.execute("PRAGMA journal_mode = WAL")
        self._database.execute("PRAGMA synchronous = FULL")
        self._database.execute("CREATE TABLE log (id INTEGER PRIMARY KEY, at REAL, row TEXT)")
        threading.Thread(target=self._write, daemon=True).start()

    def __call__(self, environ: dict[str, Any], start: Callable[..., Any]) -> Iterable[bytes]:
        """Answer a request (PEP 3333)."""
        given = environ.get("HTTP_AUTHORIZATION", "").removeprefix("Bearer ").encode()
        if not any(hmac.compare_digest(given, token) for token in self._tokens):
            start("401 Unauthorized", [])
            return [b""]
        asked = json.loads(environ["wsgi.input"].read())
        context, person = asked["context"], asked["subject"]["id"]
        facts = {
            "person.id": person, "person.groups": self._people[person], "person.roles": frozenset(),
            "person.factors": {"password", "push"}, "app.id": asked["resource"]["id"], "operation": "sign-in",
            "device.owner": "company", "device.managed": True, "device.encrypted": True,
            "device.platform": "android", "device.os_version": _VERSION, "network.country": context["network.country"],
            "network.ip": ip_address(context["network.ip"]), "risk.attempt": context["risk.attempt"],
            "client.kind": context["client.kind"], "auth.methods": set(context["auth.methods"]),
        }  # fmt: skip
        outcome, because = self._decide(facts)
        stored: Future[None] = Future()
        self._waiting.put((json.dumps({**asked, "outcome": outcome, "because": because}).ljust(ROW), stored))
        stored.result()
        body = json.dumps({"decision": outcome == "allowed", "context": {"outcome": outcome}}).encode()
        start("200 OK", [("Content-Type", "application/json"), ("Content-Length", str(len(body)))])
        return [body]

    def _write(self) -> None:
        while True:
            taken = [self._waiting.get()]
            while len(taken) < 500:
                try:
                    taken.append(self._waiting.get_nowait())
                except queue.Empty:
                    break
            self._database.execute("BEGIN IMMEDIATE")
            self._database.executemany("INSERT INTO log (at, row) VALUES (?, ?)", [(time.time(), r) for r, _ in taken])
            self._database.execute("COMMIT")
            for _, stored in taken:
                stored.set_result(None)


_VERSION = read_version("15.1")


def _nothing() -> Flask:
    app = Flask("nothing")
    path = "/nothing"
    app.add_url_rule(path, "nothing", lambda: ("{}", 200, {"Content-Type": "application/json"}), methods=["POST"])
    return app


def main() -> None:
    """Serve until the input ends."""
    kind, folder = sys.argv[1], Path(sys.argv[2])
    log_nothing()
    collect_seldom()
    share_fairly()
    logging.getLogger("waitress").setLevel(logging.ERROR)
    opened = open_data(folder / "data")
    data = opened.runtime.data
    told = {"door": TOKEN, "operator": "", "directory": ""}
    if kind == "caddrel":
        made, now = company(), utc_now()
        data.revisions.publish([("company.json", made.text)], "bench", "first", now)
        data.inventory.put(made.inventory(PEOPLE), now)
        data.inventories.current()
        told = {role: make_token(data, role, role, 30, "bench")[1] for role in told}
    apps: dict[str, Callable[[], Any]] = {"nothing": _nothing, "by-hand": lambda: ByHand(folder)}
    # The release before has none.
    made_to_last = getattr(wiring, "keep_what_is_there", None)
    server = build_server(opened, "127.0.0.1", 0, app=apps[kind]() if kind in apps else None)
    server.start()
    if made_to_last is not None:
        made_to_last()
    sys.stdout.write(json.dumps({"port": server.port, **told}) + "\n")
    sys.stdout.flush()
    sys.stdin.read()
    server.stop()


if __name__ == "__main__":
    main()
