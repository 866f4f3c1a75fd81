"""The log at scale: a million sign-ins of a company of nearly twenty thousand, taken in, filtered and counted.

And five million of the same company, of five months.
"""

from __future__ import annotations

import json
import os
import random
import statistics
import tempfile
import time
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from functools import partial
from multiprocessing import get_context
from pathlib import Path
from typing import Any

import msgspec

from bench.calibration import just_now
from bench.result import Result
from caddrel.core.garbage import collect_seldom
from caddrel.core.rulebook.edit.objects import document_of, objects_of
from caddrel.core.rulebook.edit.values import value_of, with_value
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source
from caddrel.demo.fill import ADDRESSES, anchor, documents
from caddrel.demo.log import sign_ins
from caddrel.demo.world import World, build_world
from caddrel.service.replay.log_replay import LogReplay
from caddrel.service.replay.sides import Under
from caddrel.service.runtime import Runtime
from caddrel.service.signins.causes import causes
from caddrel.service.signins.importer import Importer
from caddrel.service.signins.log_filter import read_where
from caddrel.service.state.data_folder import DataFolder
from caddrel.store.queries import Query
from caddrel.wiring import log_nothing, open_data

NOW = datetime(2026, 11, 23, 9, tzinfo=UTC)
# So many companies like the demo's make a million sign-ins in so many days, to which others may have come before.
COMPANIES, _DAYS = 46, 30
_INDEXED = [{"person": "ines.faro-7"}, {"device": "tab-0117-3"}, {"app": "farebox"}, {"policy": "abroad"}]
_ANY = [
    "outcome is blocked and person.groups has crew",
    "client.name contains no-such-program",
    "signals has too-fast",
    "not device passes crew-tablet and device.platform is android",
    "during shore-hours and person.groups has keyholders and outcome is blocked",
    "device.state_age is above 300d and network.country is RO",
    "from terminals and not during shore-hours and auth.credentials is wrong",
]


def run() -> Iterator[Result]:
    """Yield the figures; the file is made anew, in a folder that is taken away again."""
    log_nothing()
    collect_seldom()
    with tempfile.TemporaryDirectory() as folder:
        yield from _filled(Path(folder), 1)
        # In a service a replay has a process to itself: one that has not just taken in a million records.
        with ProcessPoolExecutor(1, get_context("spawn")) as alone:
            yield alone.submit(_replaying, Path(folder) / "data").result()


def run_long() -> Iterator[Result]:
    """Yield what a log of five million costs who asks it."""
    log_nothing()
    collect_seldom()
    with tempfile.TemporaryDirectory() as folder:
        for result in _filled(Path(folder), 5):
            # How quickly it is taken in is told of a million.
            if not result.name.startswith("import"):
                yield replace(result, name=f"5 million: {result.name}")


def _filled(folder: Path, months: int) -> Iterator[Result]:
    opened = open_data(folder / "data", lambda: NOW, address_files=[ADDRESSES])
    lines = folder / "log.ndjson"
    world = build_world(anchor(NOW))
    _prepare(opened.runtime.data, world, months)
    count = _write(lines, world, months)
    yield from _taking_in(opened.runtime, lines, count)
    # Of a long log it is the last week that is mostly asked about.
    yield from _asking(opened.runtime.data, NOW - timedelta(days=7 if months > 1 else _DAYS))
    yield from _watching(opened.runtime)
    opened.close()


def _prepare(data: DataFolder, world: World, months: int) -> None:
    end = anchor(NOW)
    before, current = documents()
    data.revisions.publish([("kelpline.yaml", before)], "bench", "first", end - timedelta(days=_DAYS * (months + 1)))
    data.revisions.publish([("kelpline.yaml", current)], "bench", "second", end - timedelta(days=15))
    objects = world.objects()
    cloned = [(noun, entry) for noun, entry in objects if noun in {"people", "devices"}]
    others = [(noun, entry) for noun, entry in objects if noun not in {"people", "devices"}]
    data.inventory.put([*others, *((noun, _named(entry, i)) for i in range(COMPANIES) for noun, entry in cloned)], end)


def _named(entry: dict[str, Any], company: int) -> dict[str, Any]:
    mine = {"id": f"{entry['id']}-{company}"}
    mine |= {name: f"{entry[name]}-{company}" for name in ("person", "serial") if entry.get(name)}
    return {**entry, **mine}


def _write(path: Path, world: World, months: int) -> int:
    count = 0
    with path.open("wb") as file:
        for before in reversed(range(months)):
            for line in sign_ins(world, anchor(NOW)):
                for copy in _copies(line, before):
                    file.write(json.dumps(copy).encode() + b"\n")
                    count += 1
    return count


def _copies(line: dict[str, Any], before: int) -> Iterator[dict[str, Any]]:
    """Yield a sign-in for each company, so many months before."""
    facts = line["facts"]
    at = datetime.fromisoformat(facts["time.at"]) - timedelta(days=_DAYS * before)
    for company in range(COMPANIES):
        mine = {**facts, "person.id": f"{facts['person.id']}-{company}"}
        mine["time.at"] = (at + timedelta(seconds=company)).isoformat().replace("+00:00", "Z")
        if "device.id" in facts:
            mine["device.id"] = f"{facts['device.id']}-{company}"
        yield {**line, "id": f"{line['id']}-{company}-{before}", "facts": mine}


def _taking_in(runtime: Runtime, lines: Path, count: int) -> Iterator[Result]:
    began = time.perf_counter()
    with lines.open("rb") as file:
        for line in file:
            msgspec.json.decode(line)
    parsing = time.perf_counter() - began
    reading = 0.0

    def progress(done: int) -> None:
        nonlocal reading
        if not reading and done > lines.stat().st_size * 0.9:
            reading = max(map(_memory, _children()), default=0.0)

    began = time.perf_counter()
    with lines.open("rb") as file:
        result = Importer(runtime.data, runtime.log).run(file, progress=progress)
    took = time.perf_counter() - began
    assert result.added == count, result
    note = f"{count:,} sign-ins with decisions and signals; reading their JSON alone gives {count / parsing:,.0f}"
    yield Result("import: sign-ins a second", count / took, "above", 15_000, note)
    yield Result(
        "import / reading its JSON alone", took / parsing, "below", None, "time, the same lines in the same run"
    )
    after = _memory()
    yield Result("memory of the process after it, MB", after, "below", 600, "resident")
    note = "resident, near its end, together with that of the process that reads"
    yield Result("memory of an import, MB", after + reading, "below", 600, note)


def _children() -> list[str]:
    parents = {path.parent.name: _parent(path) for path in Path("/proc").glob("[0-9]*/stat")}
    return [pid for pid, parent in parents.items() if parent == os.getpid()]


def _parent(stat: Path) -> int:
    try:
        return int(stat.read_text(encoding="utf-8").rpartition(")")[2].split()[1])
    except OSError:
        # It has ended meanwhile.
        return 0


def _memory(pid: str = "self") -> float:
    status = Path(f"/proc/{pid}/status").read_text(encoding="utf-8")
    return int(next(line for line in status.splitlines() if line.startswith("VmRSS")).split()[1]) / 1024


def _asking(data: DataFolder, since: datetime) -> Iterator[Result]:
    data.inventories.current()
    week = NOW - timedelta(days=7)
    indexed = max(_seconds(partial(data.signins.page, Query(equal=equal))) for equal in _INDEXED)
    yield Result("first page of an indexed filter, s", indexed, "below", 0.05, "the slowest of four")
    days = f"the last {(NOW - since).days} days, the slowest of seven"
    pages = {where: _seconds(partial(_page, data, where, since)) for where in _ANY}
    slowest = max(pages, key=lambda where: pages[where])
    yield Result("first page of any filter, s", pages[slowest], "below", 1, f"{days}: {slowest}")
    counted = {where: _seconds(partial(_per_day, data, where, since)) for where in _ANY}
    slowest = max(counted, key=lambda where: counted[where])
    yield Result("counts by day of any filter, s", counted[slowest], "below", 1, f"{days}: {slowest}")
    took = _seconds(lambda: causes(data, Query(since=week)))
    yield Result("causes of the last 7 days, s", took, "below", 1, "with what would help")
    yield Result("memory of the process after all filters, MB", _memory(), "below", 600, "resident")


def _watching(runtime: Runtime) -> Iterator[Result]:
    runtime.watched.now()
    took = _seconds(runtime.watched.now)
    yield Result("watch page, s", took, "below", 0.1, "once it was looked over; a look that takes long goes on beside")
    week = NOW - timedelta(days=7)
    took = _seconds(lambda: runtime.data.signins.per_day(Query(since=week)))
    yield Result("counts of the last 7 days, s", took, "below", 0.3, "by day and outcome")


def _replaying(folder: Path) -> Result:
    """Return how quick a replay is, in a process that does nothing else."""
    log_nothing()
    collect_seldom()
    opened = open_data(folder, lambda: NOW, address_files=[ADDRESSES])
    _rest(opened.runtime)
    data = opened.runtime.data
    rulebook = _with_many_policies(data, 200)
    made = time.process_time()
    _replayed(data, rulebook)
    made = time.process_time() - made
    # The least of several: what else the machine does only adds to it.
    took, count = min(_replayed(data, rulebook) for _ in range(8))
    opened.close()
    note = f"{len(rulebook.policies)} policies; with making the columns first {made:.1f} s; " + just_now()
    return Result("replay from the store, million records a CPU second", count / took / 1e6, "above", 1.0, note)


def _rest(runtime: Runtime) -> None:
    """Do nothing beside: what a service does is not the replay's own."""
    for one in (runtime.reporter, runtime.sessions, runtime.delivery, runtime.watched):
        one.stop()
    for rounds in (runtime.poller.rounds, runtime.fetcher.rounds):
        rounds.stop()


def _with_many_policies(data: DataFolder, count: int) -> Rulebook:
    """Return the current rulebook with more policies: rules of those there are, most for a few groups and apps."""
    drawn = random.Random(3)  # noqa: S311 - made-up policies
    current, inventory = data.rulebooks.need_current(), data.inventories.current()
    objects = objects_of([Source(*file) for file in current.revision.files])
    many, policies = dict(objects), [path for path in objects if path[0] == "policies"]
    groups, apps = sorted(inventory.groups), sorted(inventory.apps)
    for number in range(count - len(policies)):
        path = drawn.choice(policies)
        value: Any = value_of(objects[path])
        # Narrower than what it is taken from, so that it changes nothing: few policies do at a time.
        if drawn.random() > 0.1 and "people" not in value:
            value |= {"people": [f"group:{drawn.choice(groups)}" for _ in range(drawn.randint(1, 2))]}
        if drawn.random() > 0.1 and "apps" not in value:
            value |= {"apps": drawn.sample(apps, drawn.randint(1, 3))}
        made = ("policies", f"more-{number}")
        many[made] = with_value("", made, value)
    return read_rulebook(Source("many", document_of(many))).or_raise()


def _replayed(data: DataFolder, rulebook: Rulebook) -> tuple[float, int]:
    began = time.process_time()
    replay = LogReplay(data, Query(), None, Under(rulebook))
    for _ in replay.run(lambda done: None):
        pass
    return time.process_time() - began, replay.tally.attempts.count


def _page(data: DataFolder, where: str, since: datetime) -> object:
    return data.signins.page(_query(data, where, since))


def _per_day(data: DataFolder, where: str, since: datetime) -> object:
    return data.signins.per_day(_query(data, where, since))


def _query(data: DataFolder, where: str, since: datetime) -> Query:
    conditions, judge = read_where(data, where)
    return Query(since=since, conditions=conditions, judge=judge)


def _seconds(work: Callable[[], object]) -> float:
    found = []
    for _ in range(3):
        began = time.perf_counter()
        work()
        found.append(time.perf_counter() - began)
    return statistics.median(found)
