"""The console's pages at scale: what the service takes to answer each, with very many policies and people."""

from __future__ import annotations

import json
import statistics
import tempfile
import time
from collections.abc import Callable, Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import httpx

from bench.calibration import just_now
from bench.company import Company
from bench.result import Result
from caddrel.core.garbage import collect_seldom
from caddrel.service.auth.tokens import make_token
from caddrel.wiring import build_server, log_nothing, open_data

NOW = datetime(2026, 11, 23, 9, tzinfo=UTC)
POLICIES, PEOPLE, DEVICES = 1_000, 50_000, 100_000
GOAL = 0.04
TIMES = 7


def run() -> Iterator[Result]:
    """Yield the slowest page, and the others that a goal is not set for."""
    collect_seldom()
    log_nothing()
    with tempfile.TemporaryDirectory() as folder:
        opened = open_data(Path(folder) / "data", lambda: NOW)
        company = Company(POLICIES)
        company.document["policies"]["fresh"] = {
            "mode": "enforced",
            "people": ["everyone"],
            "apps": ["every-app"],
            "rules": [{"id": "old", "when": "device.state_age is above 14d", "then": "require mfa"}],
        }
        objects = _inventory(company)
        nouns = dict.fromkeys(noun for noun, _ in objects)
        opened.runtime.data.inventory.apply({n: [e for noun, e in objects if noun == n] for n in nouns}, {}, NOW, 0)
        text = json.dumps(company.document, indent=1)
        opened.runtime.data.revisions.publish([("rulebook.yaml", _yaml(company.document))], "bench", "first", NOW)
        token = make_token(opened.runtime.data, "bench", "operator", 1, "bench")[1]
        server = build_server(opened, "127.0.0.1", 0)
        server.start()
        with httpx.Client(base_url=server.url, headers={"Authorization": f"Bearer {token}"}, timeout=120) as http:
            yield from _pages(http, len(text))
        server.stop()


def _inventory(company: Company) -> list[tuple[str, dict[str, Any]]]:
    rng = company.rng
    found: list[tuple[str, dict[str, Any]]] = [("groups", {"id": f"group-{i}"}) for i in range(company.groups)]
    found += [("apps", {"id": f"app-{i}", "title": f"App {i}", "labels": []}) for i in range(company.apps)]
    for i in range(PEOPLE):
        groups = [f"group-{n}" for n in rng.sample(range(company.groups), 3)]
        person = {"id": f"p-{i:05}", "title": f"Person {i}", "kind": "employee", "groups": groups, "roles": []}
        found.append(("people", {**person, "unit": f"/u{i % 20}/t{i % 400}"}))
    for i in range(DEVICES):
        found.append(
            (
                "devices",
                {
                    "id": f"d-{i:06}",
                    "person": f"p-{i // 2:05}",
                    "encrypted": bool(i % 7),
                    "os_version": "14",
                    "state_at": (NOW - timedelta(minutes=17 * i % 40_000)).isoformat(),
                },
            )
        )
    return found


def _yaml(document: dict[str, Any]) -> str:
    """Return a document with each section and object in lines of its own, as people write it."""
    lines = []
    for section, inside in document.items():
        if not isinstance(inside, dict) or section == "settings":
            lines.append(f"{section}: {json.dumps(inside)}")
            continue
        lines.append(f"{section}:")
        for id, each in inside.items():
            lines.append(f"  {id}:" if isinstance(each, dict) else f"  {id}: {json.dumps(each)}")
            if isinstance(each, dict):
                lines += [f"    {key}: {json.dumps(value)}" for key, value in each.items()]
    return "\n".join(lines) + "\n"


def _pages(http: httpx.Client, size: int) -> Iterator[Result]:
    draft = http.post("/api/v1/drafts", json={"name": "mine"}).raise_for_status().json()
    version = draft["info"]["version"]
    path = next(each["path"] for each in draft["objects"] if each["path"].startswith("policies."))
    standard = next(each["path"] for each in draft["objects"] if each["path"].startswith("standards."))
    value = http.get(f"/api/v1/drafts/mine/objects/{path}").raise_for_status().json()["value"]

    rehearsed = {"person": "p-00001", "app": "app-1"}

    def save() -> httpx.Response:
        nonlocal version
        changed = {**value, "note": f"version {version}"}
        body = {"path": path, "value": changed}
        answer = http.post("/api/v1/drafts/mine/objects", json=body, headers={"If-Match": f'"{version}"'})
        version = answer.json()["info"]["version"]
        return answer

    asked: dict[str, Callable[[], httpx.Response]] = {
        "rulebook": lambda: http.get("/api/v1/rulebook/view"),
        "policy": lambda: http.get(f"/api/v1/rulebook/policies/{path.partition('.')[2]}"),
        "history": lambda: http.get("/api/v1/rulebook/revisions"),
        "drafts": lambda: http.get("/api/v1/drafts"),
        "draft": lambda: http.get("/api/v1/drafts/mine"),
        "object of a draft": lambda: http.get(f"/api/v1/drafts/mine/objects/{path}"),
        "standard of a draft": lambda: http.get(f"/api/v1/drafts/mine/objects/{standard}"),
        "saving an object": save,
        "condition typed": lambda: http.post(
            "/api/v1/language", json={"kind": "condition", "text": "not device.managed", "draft": "mine"}
        ),
        "selectors": lambda: http.get("/api/v1/selectors?side=people&search=group-1"),
        "people": lambda: http.get("/api/v1/people?search=p-01&limit=12"),
        "person": lambda: http.get("/api/v1/people/p-00017/profile"),
        "device": lambda: http.get("/api/v1/devices/d-000017/profile"),
        "app": lambda: http.get("/api/v1/apps/app-1/profile"),
        "group": lambda: http.get("/api/v1/groups/group-7/profile"),
        "people by a condition": lambda: http.get("/api/v1/people?where=person.groups has group-7"),
        "sheet": lambda: http.get(f"/api/v1/rulebook/policies/{path.partition('.')[2]}/sheet"),
        "reviews": lambda: http.get("/api/v1/reviews"),
    }
    cases: dict[str, Callable[[], httpx.Response]] = {
        "rehearsal": lambda: http.post("/api/v1/rehearse", json={"given": rehearsed}),
        "rehearsal at a moment": lambda: http.post(
            "/api/v1/rehearse", json={"given": {**rehearsed, "time.at": NOW.isoformat()}}
        ),
        "what a person can meet": lambda: http.get("/api/v1/people/p-00017/coverage"),
        "what a group can meet": lambda: http.get("/api/v1/groups/group-7/coverage"),
        "who reaches an app": lambda: http.get("/api/v1/apps/app-1/coverage"),
    }
    took = {name: _seconds(ask) for name, ask in asked.items()}
    scale = f"{POLICIES:,} policies ({size >> 10} KB), {PEOPLE:,} people"
    yield Result("slowest page, s", max(took.values()), "below", GOAL, f"{scale}; {just_now()}; ms: {_told(took)}")
    # What goes through all cases; beside a page, which does not wait for it.
    took = {name: _seconds(ask) for name, ask in cases.items()}
    yield Result(
        "slowest of what goes through all cases, s",
        max(took.values()),
        "below",
        1.0,
        f"{just_now()}; ms: {_told(took)}",
    )
    # The process that checks is begun by the first, and reads the inventory.
    first = _seconds(lambda: http.post("/api/v1/rulebook/check", json={"draft": "mine"}), 1)
    edited = []
    for _ in range(TIMES):
        save()
        edited.append(_seconds(lambda: http.post("/api/v1/rulebook/check", json={"draft": "mine"}), 1))
    said = f"{scale}; with lint, lock-out check and kept rehearsals; {just_now()}; the first {first:.1f} s"
    yield Result("checking a draft after an edit, s", statistics.median(edited), "below", 0.5, said)


def _told(took: dict[str, float]) -> str:
    return ", ".join(f"{name} {seconds * 1000:.0f}" for name, seconds in sorted(took.items(), key=lambda p: -p[1]))


def _seconds(ask: Callable[[], httpx.Response], times: int = TIMES) -> float:
    found = []
    for _ in range(times):
        began = time.perf_counter()
        ask().raise_for_status()
        found.append(time.perf_counter() - began)
    return statistics.median(found)
