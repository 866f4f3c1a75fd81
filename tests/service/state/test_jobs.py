"""Jobs: progress, cancelling, who leaves, and what becomes of them when the disk is full."""

from __future__ import annotations

import io
import json
import re
import threading
import time
from collections.abc import Iterator
from contextlib import ExitStack
from datetime import timedelta
from functools import partial
from typing import Any

import pyarrow.parquet as pq
import pytest
from tests.command import run
from tests.conftest import NOW, Live, writing_with

from caddrel.client import Caddrel, Refused
from caddrel.service.signins import importer
from caddrel.wire.decisions import File
from caddrel.wire.jobs import Job

RULEBOOK = """
caddrel: 1
policies:
  wrong-hands:
    mode: enforced
    rules: [{id: abroad, when: network.country is RO, then: block}]
"""


def _lines(count: int, since: int = 0) -> list[bytes]:
    return [
        json.dumps({
            "id": f"s-{i}",
            "facts": {
                "person.id": f"p-{i % 40}", "network.country": "RO" if i % 10 == 0 else "NO",
                "time.at": (NOW - timedelta(days=9) + timedelta(seconds=i)).isoformat(),
            },
        }).encode() + b"\n"
        for i in range(since, count)
    ]  # fmt: skip


@pytest.fixture
def log(empty: Live) -> Live:
    empty.clock.now = NOW - timedelta(days=30)
    with empty.client() as client:
        client.rulebook.publish([File("r.yaml", RULEBOOK)], "the first")
    empty.clock.now = NOW
    return empty


def test_an_import_tells_how_far_it_is_and_ends_with_its_result(log: Live) -> None:
    lines = _lines(12_000)
    with log.client() as client:
        job = client.jobs.import_([*lines, b"broken\n"])
        assert (job.kind, job.unit, job.total) == ("import", "bytes", sum(map(len, lines)) + 7)
        seen = list(client.jobs.follow(job.id))
        assert [j.done for j in seen] == sorted(j.done for j in seen)
        assert len({j.done for j in seen}) > 3
        last = seen[-1]
        assert (last.state, last.done, last.result["added"], last.result["broken"]) == ("done", last.total, 12_000, 1)
        assert client.jobs.get(job.id) == last == client.jobs.all()[0]
        # The same again, by the command line.
        done = run("jobs", "list", env=log.environment())
        assert re.search(rf"import +done +100% +.* +{job.id}", done.stdout)
        with pytest.raises(Refused, match="there is no job"):
            client.jobs.get("nothing")
        assert run("jobs", "cancel", job.id, env=log.environment()).stdout == "The import has ended already.\n"
    with log.client("viewer") as viewer:
        for refused in (partial(viewer.jobs.import_, lines), partial(viewer.jobs.cancel, job.id)):
            with pytest.raises(Refused) as why:
                refused()
            assert why.value.problem.status == 403


def test_a_cancelled_import_keeps_what_was_stored_and_goes_on_when_sent_again(
    log: Live, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(importer, "TOGETHER", 1_000)
    lines = _lines(16_000)
    with log.client() as client:
        job = client.jobs.import_(lines)
        second = client.jobs.import_(_lines(10))
        assert client.jobs.get(second.id).state == "waiting"
        for seen in client.jobs.follow(job.id):
            if seen.done > seen.total / 3 and not seen.ended:
                client.jobs.cancel(job.id)
        cancelled = client.jobs.get(job.id)
        assert cancelled.state == "cancelled"
        added = cancelled.result["added"]
        assert 0 < added < 16_000
        *_, done = client.jobs.follow(second.id)
        assert done.result["already_there"] == 10
        assert sum(client.signins.list().counts.values()) == added
        *_, again = client.jobs.follow(client.jobs.import_(lines).id)
        assert (again.result["added"], again.result["already_there"]) == (16_000 - added, added)
        assert client.signins.list().counts == {"allowed": 14_400, "challenged": 0, "blocked": 1_600}


def _watch_five_times(client: Caddrel, job: Job) -> None:
    many = [client._caller.events(f"/api/v1/jobs/{job.id}/events", Job) for _ in range(5)]
    for events in many:
        next(events)


def test_watchers_are_few_and_the_others_ask(log: Live) -> None:
    # The import waits for as long as this is held.
    with log.client() as client, ExitStack() as held:
        held.enter_context(log.runtime.log.importing)
        job = client.jobs.import_(_lines(10))
        results: list[Any] = []

        def watch() -> None:
            with log.client() as mine:
                results.append(list(mine.jobs.follow(job.id, pause=0.05))[-1].state)

        threads = [threading.Thread(target=watch) for _ in range(7)]
        for thread in threads:
            thread.start()
        with log.client() as mine, pytest.raises(Refused) as refused:
            _watch_five_times(mine, job)
        assert (refused.value.problem.status, refused.value.problem.code) == (503, "too-many-watchers")
        held.close()
        for thread in threads:
            thread.join(60)
        assert results == ["done"] * 7


def test_jobs_wait_for_one_another_and_not_too_many(log: Live) -> None:
    with log.client() as client, ExitStack() as held:
        held.enter_context(log.runtime.log.importing)
        first = client.jobs.import_(_lines(10))
        with pytest.raises(Refused) as refused:
            [client.jobs.import_(_lines(1)) for _ in range(25)]
        assert (refused.value.problem.status, refused.value.problem.code) == (503, "too-many-jobs")
        for job in client.jobs.all():
            client.jobs.cancel(job.id)
        held.close()
        *_, ended = client.jobs.follow(first.id)
        assert ended.ended


def test_old_sign_ins_are_forgotten_by_a_job(log: Live) -> None:
    with log.client() as client:
        client.signins.import_(_lines(12_000))
        age = f"{9 * 86_400 - 11_000}s"
        assert client.signins.old(age).count == 11_000
        done = run("signins", "forget", "--older-than", age, "--yes", env=log.environment())
        assert done.stdout.startswith("11000 sign-ins from before"), done.stderr
        assert client.signins.list().counts == {"allowed": 900, "challenged": 0, "blocked": 100}
        # What nobody names any more is gone too, and comes back when it is named again.
        assert client.signins.import_(_lines(10)).added == 10
        assert sum(client.signins.list(person="p-1").counts.values()) == 26


@pytest.fixture
def full(log: Live) -> Live:
    """A service whose log has room for so many pages more, as on a full disk."""

    def limited(connection: Any, *_: Any) -> None:
        pages = connection.execute("PRAGMA page_count").fetchone()[0]
        connection.execute(f"PRAGMA max_page_count={max(pages, 200)}")

    writing_with(log, limited)
    return log


def test_a_full_disk_is_told_and_nothing_is_half_written(full: Live, log: Live) -> None:
    lines = _lines(12_000)
    with full.client() as client:
        *_, job = client.jobs.follow(client.jobs.import_(lines).id)
        assert (job.state, job.problem.status, job.problem.code) == ("failed", 507, "no-room")  # type: ignore[union-attr]
        with pytest.raises(Refused) as refused:
            client.signins.import_(lines)
        assert refused.value.problem.code == "no-room"
        counted = sum(client.signins.list().counts.values())
        assert counted == len(list(client.signins.export("ndjson"))) or counted < 20_000
        listed = b"".join(client.signins.export("ndjson")).splitlines()
        assert len(listed) == counted
        assert {json.loads(line)["id"] for line in listed} == {f"s-{i}" for i in range(counted)}


def test_room_again_and_the_import_goes_on(log: Live, request: pytest.FixtureRequest) -> None:
    lines = _lines(12_000)
    with log.client() as client:
        request.getfixturevalue("full")
        with pytest.raises(Refused):
            client.signins.import_(lines)
        kept = sum(client.signins.list().counts.values())
    writing_with(log, lambda c, *_: c.execute("PRAGMA max_page_count=1000000"))
    with log.client() as client:
        result = client.signins.import_(lines)
        assert (result.added, result.already_there) == (12_000 - kept, kept)


def test_a_stopping_service_ends_its_jobs(log: Live) -> None:
    with log.client() as client:
        job = client.jobs.import_(_lines(16_000))
        while client.jobs.get(job.id).state == "waiting":
            time.sleep(0.01)
    log.runtime.jobs.stop()
    ended = log.runtime.jobs.get(job.id)
    assert ended.state in {"cancelled", "done"}
    assert sum(count for _, _, count in log.data.signins.per_day(_everything())) == ended.result["added"]


def _everything() -> Any:
    from caddrel.store.queries import Query

    return Query()


def test_parquet_has_a_column_for_each_fact(kelpline: Live) -> None:
    with kelpline.client() as client:
        packed = b"".join(client.signins.export("parquet", where="outcome is blocked", since="10d"))
        listed = client.signins.list(where="outcome is blocked", since="10d", limit=500)
    table = pq.read_table(io.BytesIO(packed)).to_pylist()
    assert len(table) == sum(listed.counts.values()) > 10
    for row, item in zip(table, listed.items, strict=False):
        assert (row["id"], row["outcome"], row["person"]) == (item.id, item.outcome, item.person)
        assert row["time.at"] == row["at"]
        assert row["at"].isoformat().replace("+00:00", "Z") == item.at
        assert row["device.managed"] in {True, False, None}
    assert any("crew" in (row["person.groups"] or ()) for row in table)
    assert any(row["auth.age"] for row in table)


@pytest.mark.parametrize("encoding", ["utf-16", "utf-32", "latin-1"])
def test_wrong_encodings_are_told_line_by_line(log: Live, encoding: str) -> None:
    text = _lines(3)[0].decode().replace("p-0", "pé") + _lines(1)[0].decode()
    with log.client() as client:
        result = client.signins.import_([text.encode(encoding)])
        assert result.added == (1 if encoding == "latin-1" else 0)
        assert result.broken >= 1
        assert {line.code for line in result.listed} == {"not-json"}


def test_a_line_of_a_hundred_megabytes_costs_no_memory(log: Live) -> None:
    def sent() -> Iterator[bytes]:
        yield _lines(1)[0] + b'{"id": "'
        for _ in range(100):
            yield b"x" * 1_000_000
        yield b'"}\n' + _lines(2)[1]

    with log.client() as client:
        result = client.signins.import_(sent())
        assert (result.added, result.broken) == (2, 1)
        assert [(line.line, line.code) for line in result.listed] == [(2, "line-too-long")]
