"""Reading a long log in a process of its own: the same comes of it, whatever becomes of the process."""

from __future__ import annotations

import gzip
import io
import itertools
import json
import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest
from tests.conftest import NOW, PATIENCE, Live, serving

from caddrel.demo.fill import ADDRESSES, anchor, documents
from caddrel.demo.log import sign_ins
from caddrel.demo.world import build_world
from caddrel.service.problems import ServiceError
from caddrel.service.signins import line_stream
from caddrel.service.signins.importer import Importer
from caddrel.service.signins.line_reader import Line, Recorded, digests_of
from caddrel.service.signins.reader_process import Apart
from caddrel.service.state.jobs import Cancelled
from caddrel.service.state.limits import Limits
from caddrel.service.state.worker_template import TEMPLATE
from caddrel.store.queries import Query
from caddrel.wire.signins import ImportResult

COUNT = 700


def _messy() -> bytes:
    """Return a log with everything that may be wrong with one, across the beginning of a revision."""
    good = list(itertools.islice(sign_ins(build_world(anchor(NOW)), anchor(NOW)), COUNT))
    lines = [json.dumps(line) for line in good]
    facts = good[5]["facts"]
    ended = {**facts, "person.id": "leaver"}
    odd: list[Any] = [
        "no json", "", "   ", "[1]", '{"id": "x"}',
        json.dumps({**good[7], "more": 1}), json.dumps({**good[8], "id": ""}),
        json.dumps({"id": "o-1", "facts": {**facts, "none.such": 1}}),
        json.dumps({"id": "o-2", "facts": {**facts, "auth.methods": {"pwd": True}}}),
        json.dumps({"id": "o-3", "facts": {"person": {"id": "ines.faro"}, "time": {"at": facts["time.at"]}}}),
        json.dumps({"id": "o-4", "facts": {**facts, "client.name": None, "auth.methods": ["pwd"]}}),
        json.dumps({"id": "o-5", "facts": {**facts, "time.at": "2031-01-01T00:00:00Z"}}),
        json.dumps({"id": "o-6", "facts": {**facts, "time.at": "2026-11-07T09:30:00.25+02:00"}}),
        json.dumps({"id": "o-9", "facts": {**facts, "time.at": "2026-10-24t08:00:00z"}}),
        json.dumps({"id": "o-7", "facts": {**ended, "time.at": "2026-11-10T08:00:00Z"}}),
        json.dumps({"id": "o-8", "facts": {**ended, "time.at": "2026-11-20T08:00:00Z"}}),
        lines[3], json.dumps({**good[4], "facts": {**good[4]["facts"], "flow": "device-code"}}), lines[9] + "\r",
        json.dumps({**good[0], "id": "long", "recorded": {"outcome": "x" * 600}}),
        json.dumps({**good[0], "id": "l" * 150_000}),
    ]  # fmt: skip
    for place, line in enumerate(odd):
        lines.insert((place + 1) * COUNT // len(odd), line)
    return "\n".join([*lines, *odd]).encode()


LOG = _messy()


@pytest.fixture
def log(tmp_path: Path) -> Iterator[Callable[[str, int], Live]]:
    """Return what serves an empty log, of which so many bytes are read here."""
    iterators: list[Iterator[Live]] = []

    def serve(name: str, here: int) -> Live:
        serving_it = serving(tmp_path / name, Limits(line=100_000, apart=here), [ADDRESSES])
        iterators.append(serving_it)
        live = next(serving_it)
        before, current = documents()
        data = live.data
        data.revisions.publish([("k.yaml", before)], "tests", "first", NOW - timedelta(days=60))
        data.revisions.publish([("k.yaml", current)], "tests", "second", NOW - timedelta(days=29))
        leaver = {"id": "leaver", "kind": "employee", "groups": [{"id": "crew", "until": "2026-11-15T00:00:00Z"}]}
        objects = [*build_world(anchor(NOW)).objects(), ("people", leaver)]
        data.inventory.put([*objects, ("lists", {"id": "bad-ones", "networks": ["203.0.113.0/24"]})], NOW)
        live.clock.now = NOW
        return live

    yield serve
    for each in iterators:
        next(each, None)


@pytest.fixture
def apart(monkeypatch: pytest.MonkeyPatch) -> list[Apart]:
    """The processes that were asked for; each is waited for, however slowly it starts."""
    found: list[Apart] = []
    is_ready = Apart.is_ready

    def waited(self: Apart) -> bool:
        if self not in found:
            found.append(self)
        while not is_ready(self) and not self._lost:
            time.sleep(0.01)
        return is_ready(self)

    monkeypatch.setattr(Apart, "is_ready", waited)
    monkeypatch.setattr(line_stream, "PIECE", 20_000)
    return found


def _told(live: Live) -> list[Any]:
    return [
        (r.id, r.reference, r.at, r.facts, r.decision, dict(r.columns), r.cause)
        for r in sorted(live.data.signins.every(Query()), key=lambda r: (r.at, r.id))
    ]


class _Disturbed(io.BytesIO):
    """A log; in the middle of it something happens."""

    def __init__(self, happens: Callable[[], None]) -> None:
        super().__init__(LOG)
        self._happens = happens

    def read(self, size: int | None = -1) -> bytes:
        if self.tell() > len(LOG) // 2:
            self._happens()
        return super().read(size)


def _gone(pid: int) -> bool:
    try:
        state = Path(f"/proc/{pid}/stat").read_text(encoding="ascii").rpartition(")")[2].split()[0]
    except FileNotFoundError:
        return True
    return state == "Z"


@pytest.mark.parametrize("packed", [False, True])
def test_the_same_comes_of_a_log_wherever_it_is_read(
    log: Callable[[str, int], Live], apart: list[Apart], packed: bool
) -> None:
    text = gzip.compress(LOG) if packed else LOG
    here, there = log("here", 1 << 40), log("there", 0)
    expected = Importer(here.data, here.runtime.log).run(io.BytesIO(text))
    assert not apart
    found = Importer(there.data, there.runtime.log).run(io.BytesIO(text))
    assert len(apart) == 1
    assert not apart[0]._lost
    assert found == expected
    assert expected.added > COUNT
    assert {line.code for line in expected.listed} >= {
        "not-json", "wrong-type", "unknown-key", "bad-id", "unknown-fact", "wrong-value", "in-the-future",
        "conflicting", "bad-recorded", "line-too-long",
    }  # fmt: skip
    assert _told(there) == _told(here)
    # The revision that was in force then, however the moment is written.
    revisions = {id: columns["revision"] for id, *_, columns, _ in _told(there)}
    assert (revisions["o-9"], revisions["o-7"]) == (1, 2)
    assert {revision for id, revision in revisions.items() if id.startswith("s-")} == {1, 2}
    assert _gone(apart[0]._process.pid)  # type: ignore[union-attr]
    # Once more, and nothing is added.
    again = Importer(there.data, there.runtime.log).run(io.BytesIO(text))
    assert (again.added, again.already_there, again.broken) == (
        0,
        expected.added + expected.already_there,
        expected.broken,
    )


def test_content_is_the_same_whatever_came_before_it_and_in_whatever_order_it_is() -> None:
    long = Line("l" * 90, {"person.id": "p" * 90}, Recorded("accepted", "x" * 90))
    one, same = Line("a", {"x": 1, "y": {"b": 2, "c": 3}}), Line("a", {"y": {"c": 3, "b": 2}, "x": 1})
    others = [Line("a", {"x": 1}), Line("a", {"x": True, "y": {"b": 2, "c": 3}}), Line("a", one.facts, Recorded("no"))]
    found = digests_of([long, one, same, *others])
    assert found[1] == found[2] == digests_of([same])[0]
    assert len(set(found)) == 5


def test_a_process_that_is_killed_ends_the_import_and_loses_nothing(
    log: Callable[[str, int], Live], apart: list[Apart]
) -> None:
    here, there = log("here", 1 << 40), log("there", 0)
    expected = Importer(here.data, here.runtime.log).run(io.BytesIO(LOG))

    def kill() -> None:
        os.kill(apart[0]._process.pid, signal.SIGKILL)  # type: ignore[union-attr]

    with pytest.raises(ServiceError) as refused:
        Importer(there.data, there.runtime.log).run(_Disturbed(kill))
    assert refused.value.code == "reading-ended"
    result = Importer(there.data, there.runtime.log).run(io.BytesIO(LOG))
    assert result.added + result.already_there == expected.added + expected.already_there
    assert _told(there) == _told(here)


@pytest.mark.parametrize("program", ["/bin/false", "/none/such"])
def test_without_another_process_all_is_read_here(
    log: Callable[[str, int], Live], apart: list[Apart], monkeypatch: pytest.MonkeyPatch, program: str
) -> None:
    here, there = log("here", 1 << 40), log("there", 0)
    expected = Importer(here.data, here.runtime.log).run(io.BytesIO(LOG))
    TEMPLATE.end()
    monkeypatch.setattr(sys, "executable", program)
    assert Importer(there.data, there.runtime.log).run(io.BytesIO(LOG)) == expected
    assert apart[0]._lost
    assert _told(there) == _told(here)


def test_a_cancelled_import_ends_the_process(log: Callable[[str, int], Live], apart: list[Apart]) -> None:
    live = log("there", 0)

    def progress(done: int) -> None:
        if done > len(LOG) // 2:
            raise Cancelled

    with pytest.raises(Cancelled) as cancelled:
        Importer(live.data, live.runtime.log).run(io.BytesIO(LOG), progress=progress)
    assert isinstance(cancelled.value.result, ImportResult)
    assert _gone(apart[0]._process.pid)  # type: ignore[union-attr]


def test_what_cuts_a_log_short_is_told_and_a_line_cut_by_it_is_not(
    log: Callable[[str, int], Live], apart: list[Apart]
) -> None:
    packed = gzip.compress(LOG)[:-3000]
    here, there = log("here", 1 << 40), log("there", 0)
    for live in (here, there):
        with pytest.raises(ServiceError, match="damaged"):
            Importer(live.data, live.runtime.log).run(io.BytesIO(packed))
    assert len(apart) == 1
    assert len(_told(there)) > COUNT // 2
    assert [each[0] for each in _told(there)] == [each[0] for each in _told(here)]
    assert _told(there) == _told(here)

    def fail() -> None:
        raise OSError("the client is gone")

    other = log("other", 0)
    with pytest.raises(OSError, match="the client is gone"):
        Importer(other.data, other.runtime.log).run(_Disturbed(fail))
    assert Importer(other.data, other.runtime.log).run(io.BytesIO(LOG)).added > COUNT


def test_the_process_ends_when_the_service_is_killed() -> None:
    program = """
import time
from caddrel.core.inventory.index import Inventory
from caddrel.service.signins.reader_process import Apart
from caddrel.service.signins.line_reader import Source
from datetime import datetime
apart = Apart(Source("ndjson", None, 1000, datetime.max), [], Inventory(), None)
while not apart.is_ready():
    time.sleep(0.01)
print(apart._process.pid, flush=True)
time.sleep(1000)
"""
    with subprocess.Popen([sys.executable, "-c", program], stdout=subprocess.PIPE) as service:
        assert service.stdout is not None
        pid = int(service.stdout.readline())
        assert not _gone(pid)
        service.kill()
    until = time.monotonic() + PATIENCE
    while not _gone(pid):
        assert time.monotonic() < until
        time.sleep(0.01)
