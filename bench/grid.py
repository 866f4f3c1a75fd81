"""The coverage grid of sixty audiences and a hundred apps: made whole, and one cell of it with its cases."""

from __future__ import annotations

import time
from collections.abc import Iterator
from datetime import UTC, datetime

from bench.calibration import just_now
from bench.company import Company
from bench.result import Result
from caddrel.core.cases.grid import grid
from caddrel.core.facts.facts import Setting
from caddrel.core.facts.types import Signals, Value
from caddrel.core.inventory.completion import complete
from caddrel.core.inventory.reader import read_inventory
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source

NOW = datetime(2026, 11, 23, 9, tzinfo=UTC)
POLICIES, GROUPS, APPS, PEOPLE = 200, 60, 100, 50_000


def run() -> Iterator[Result]:
    """Yield seconds of processor time, beside a calibration loop."""
    rulebook = read_rulebook(Source("bench", Company(POLICIES, apps=APPS, groups=GROUPS).text)).or_raise()
    # Each in a group, a third in another too: so many ways to be, whatever the number of people is.
    people = [
        {
            "id": f"p{i}", "kind": "employee", "roles": [],
            "groups": [f"group-{i % GROUPS}", *([f"group-{i * 7 % GROUPS}"] if i % 3 == 0 else [])],
        }
        for i in range(PEOPLE)
    ]  # fmt: skip
    groups = [{"id": f"group-{i}"} for i in range(GROUPS)]
    apps = [{"id": f"app-{i}", "labels": []} for i in range(APPS)]
    inventory, _ = read_inventory({"people": people, "groups": groups, "apps": apps})
    told: dict[str, Value] = {
        "auth.methods": {"pwd": 0.0},
        "risk.attempt": "none",
        "signals": Signals(),
        "auth.credentials": "right",
    }
    facts = complete(told, rulebook.catalogue, rulebook.settings.assume, inventory, Setting.REHEARSAL, NOW)
    began = time.process_time()
    found = grid(rulebook, facts, inventory)
    cells = [found.cell(audience, app) for audience in found.audiences for app in found.apps]
    took = time.process_time() - began
    note = f"{len(cells):,} cells, {POLICIES} policies, {PEOPLE:,} people; {just_now()}"
    yield Result("coverage grid, s", took, "below", 2, note)
    began = time.process_time()
    found.cases(found.audiences[0], found.apps[7])
    took = (time.process_time() - began) * 1000
    yield Result("one cell of it with its cases, ms", took, "below", 100, "each decided by the interpreter")
