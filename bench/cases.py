"""All cases of a rehearsal: person and app given, everything else open."""

from __future__ import annotations

import statistics
import time
from collections.abc import Iterable, Mapping
from datetime import UTC, datetime

from bench.company import Company
from bench.result import Result
from caddrel.core.cases.answer import all_cases
from caddrel.core.facts.facts import Facts, Setting
from caddrel.core.facts.types import Value
from caddrel.core.inventory.completion import complete
from caddrel.core.inventory.index import Inventory
from caddrel.core.inventory.reader import read_inventory
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source
from caddrel.demo.fill import documents
from caddrel.demo.world import build_world

_NOTE = "person and app given, everything else open; CPU time"


def run() -> Iterable[Result]:
    """Yield the results: milliseconds of processor time."""
    company = Company(200)
    rulebook = read_rulebook(Source("bench", company.text)).or_raise()
    attempts = [_opened(rulebook, each.values, None) for each in company.attempts(rulebook, 100)]
    times = _times(rulebook, attempts, None)
    yield Result("all cases, 200 policies, median ms", statistics.median(times), "below", 50, _NOTE)
    yield Result("all cases, 200 policies, 95 of 100, ms", times[94], "below", 300, _NOTE)
    demo = read_rulebook(Source("kelpline.yaml", documents()[1])).or_raise()
    things: dict[str, list[object]] = {}
    for noun, each in build_world(datetime(2026, 11, 23, tzinfo=UTC)).objects():
        things.setdefault(noun, []).append(each)
    inventory, _ = read_inventory(things)
    people, apps = list(inventory.people)[:20], list(inventory.apps)[:5]
    attempts = [_opened(demo, {"person.id": person, "app.id": app}, inventory) for person in people for app in apps]
    median = statistics.median(_times(demo, attempts, inventory))
    yield Result("all cases, the demo's policies and inventory, median ms", median, "below", 16, _NOTE)


def _times(rulebook: Rulebook, attempts: Iterable[Facts], inventory: Inventory | None) -> list[float]:
    found = []
    for facts in attempts:
        began = time.process_time()
        all_cases(rulebook, facts, inventory)
        found.append((time.process_time() - began) * 1000)
    return sorted(found)


def _opened(rulebook: Rulebook, values: Mapping[str, Value], inventory: Inventory | None) -> Facts:
    given = {name: value for name, value in values.items() if name.startswith(("person.", "app."))}
    return complete(given, rulebook.catalogue, rulebook.settings.assume, inventory, Setting.REHEARSAL)
