"""What takes long is done by a process of its own: it comes to the same, and what becomes of the process is told."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Generator, Iterator
from operator import methodcaller
from pathlib import Path
from typing import Any, cast

import pytest
from msgspec.structs import replace
from tests.conftest import Live, serving
from tests.service.signins.test_signal_history import RULEBOOK, _lines

from caddrel.client import Caddrel, Refused
from caddrel.service.problems import ServiceError
from caddrel.service.signins.log_export import export_log
from caddrel.service.state.limits import Limits
from caddrel.service.state.worker_process import WorkerFailed, WorkerProcess
from caddrel.wire import rulebooks
from caddrel.wire.decisions import File

WRONG = "caddrel: 1\npolicies:\n  a: {rules: [{when: nobody.knows is x, then: block}]}\n"


def _filled(folder: Path, limits: Limits) -> Iterator[Live]:
    for live in serving(folder, limits):
        with live.client() as operator:
            operator.people.import_([b'{"id": "odd.vik", "title": "Odd Vik"}\n', b'{"id": "ines.faro"}'])
            operator.apps.import_([b'{"id": "post"}'])
            operator.rulebook.publish([File("r.yaml", RULEBOOK)], "signals")
            operator.signins.import_(_lines(60, 4))
        yield live


@pytest.fixture
def there(tmp_path: Path) -> Iterator[Live]:
    """A service that leaves everything it can to the other process."""
    yield from _filled(tmp_path / "there", Limits(checked_here=0, exported_here=0))


@pytest.fixture
def here(tmp_path: Path) -> Iterator[Live]:
    yield from _filled(tmp_path / "here", Limits(checked_here=10**9, exported_here=10**9))


def _asked(client: Caddrel) -> list[Any]:
    """Return what a client is told in answer to everything that may be done there."""
    found: list[Any] = []
    side = rulebooks.Side
    for text in (RULEBOOK, WRONG, "caddrel: 1\nsettings: {keyholders: [nobody]}\n"):
        files = [File("r.yaml", text)]
        for ask in (
            lambda files=files: client.rulebook.check(files),
            lambda files=files: client.rulebook.compare(side(), side(files=files)),
            lambda files=files: client.rehearse({"person": "odd.vik", "app": "post"}, files=files),
            lambda files=files: client.rehearse({"person": "odd.vikk"}, files=files),
        ):
            answer: Any
            try:
                answer = ask()
            except Refused as refused:
                answer = (refused.problem.status, refused.problem.code, refused.problem.errors, refused.problem.hint)
            if isinstance(answer, rulebooks.CheckResult) and answer.cost is not None:
                # Its time is measured each time.
                answer = replace(answer, cost=replace(answer.cost, milliseconds=None))
            found.append(answer)
    asked = {"outcome": "blocked,challenged"}
    found.extend(b"".join(client.signins.export(format, **asked)) for format in ("ndjson", "csv", "ocsf"))
    return found


def test_it_comes_to_the_same_wherever_it_is_done(here: Live, there: Live) -> None:
    with here.client("author") as one, there.client("author") as other:
        assert _asked(one) == _asked(other)
    assert here.runtime.checker._process is None
    assert there.runtime.checker._process is not None
    assert there.runtime.exporter._process is not None


def test_what_has_just_changed_is_seen_there(there: Live) -> None:
    with there.client() as client:
        client.rehearse({"person": "odd.vik", "app": "post"}, files=[File("r.yaml", RULEBOOK)])
        client.people.import_([b'{"id": "newly.come"}'])
        found = client.rehearse({"person": "newly.come", "app": "post"}, files=[File("r.yaml", RULEBOOK)])
        assert found.trace.facts["person.id"].value == "newly.come"
        there.clock.forward(days=2)
        assert there.runtime.checker.do(1, methodcaller("clock"), there.data) == there.clock()


def test_a_process_that_ends_is_begun_anew_and_what_it_was_in_the_middle_of_is_told(there: Live) -> None:
    with there.client() as client:
        files = [File("r.yaml", RULEBOOK)]
        assert client.rulebook.check(files).ok
        process = there.runtime.checker._process
        assert process is not None
        assert os.getpriority(os.PRIO_PROCESS, process.pid) > os.getpriority(os.PRIO_PROCESS, 0)
        process.kill()
        process.has_ended(None)
        assert client.rulebook.check(files).ok
        assert there.runtime.checker._process is not process
        client.signins.import_(_lines(1_500, 7))
        pieces = there.runtime.exporter.pieces(export_log, there.clock(), {}, "ndjson")
        next(pieces)
        exporting = there.runtime.exporter._process
        assert exporting is not None
        exporting.kill()
        exporting.has_ended(None)
        with pytest.raises(ServiceError) as ended:
            next(pieces)
        assert (ended.value.status, ended.value.code) == (503, "worker-ended")
        assert b"".join(client.signins.export()).count(b"\n") == 1_500


def test_what_takes_too_much_memory_is_told_and_another_process_goes_on(there: Live) -> None:
    process = WorkerProcess(there.data.folder, None, 0, 2**30)
    try:
        assert process.do(1, methodcaller("clock"), there.data) == there.clock()
        first = process._process
        with pytest.raises(ServiceError) as refused:
            # As long as this a text cannot be.
            process.do(1, "{0!s:>9000000000}".format, there.data)
        assert (refused.value.status, refused.value.code) == (503, "out-of-memory")
        assert process.do(1, methodcaller("clock"), there.data) == there.clock()
        assert process._process is not first
    finally:
        process.stop()


def test_a_stream_that_nobody_began_to_read_is_let_go_of(there: Live) -> None:
    exporter = there.runtime.exporter
    pieces = exporter.pieces(export_log, there.clock(), {}, "ndjson")
    number = exporter._streams
    pieces.close()
    assert list(pieces) == []
    # There it is known no more.
    with pytest.raises(WorkerFailed, match="KeyError"):
        exporter.piece(number)


def test_whoever_leaves_gives_the_place_back(there: Live) -> None:
    with there.client() as client:
        client.signins.import_(_lines(1_500, 7))
    for _ in range(6):
        # Gone before the end, with the connection.
        with (
            there.client() as client,
            contextlib.suppress(Refused),
            contextlib.closing(cast("Generator[bytes]", client.signins.export())) as pieces,
        ):
            next(pieces)
    # Sooner or later the service notices that nobody reads them any more.
    whole = 0
    while not whole:
        with there.client() as client, contextlib.suppress(Refused):
            whole = b"".join(client.signins.export()).count(b"\n")
    assert whole == 1_500


def test_nothing_goes_on_when_the_service_has_stopped(tmp_path: Path) -> None:
    for live in _filled(tmp_path / "data", Limits(checked_here=0)):
        with live.client() as client:
            client.rulebook.check([File("r.yaml", RULEBOOK)])
        process = live.runtime.checker._process
        assert process is not None
        worker = live.runtime.checker
    assert process is not None
    assert process.has_ended()
    with pytest.raises(ServiceError, match="ended"):
        worker.do(1, methodcaller("clock"), live.data)
