"""What replays came to is kept with the data, and what came to nothing leaves nothing behind."""

from __future__ import annotations

import stat
from datetime import UTC, datetime
from pathlib import Path

import msgspec
import pytest

from caddrel.service.problems import ServiceError
from caddrel.service.replay import results
from caddrel.service.replay.results import ReplayResults
from caddrel.wire.decoding import convert
from caddrel.wire.replays import ReplayResult


def _result(draft: str = "", version: int = 1) -> ReplayResult:
    numbers = {"count": 1, "people": 1, "devices": 0}
    told = {
        "sentence": [], "attempts": 3, "same": 2, "meaning": 0, "undetermined": 0, "because": [], "people": 2,
        "flows": [{"from": "allowed", "to": "blocked", **numbers}], "devices": 0, "changed": numbers, "hit": [],
        "lacking": [], "by": {}, "under": "x", "rulebook": "y", "since": "", "until": "", "draft": draft,
        "version": version,
    }  # fmt: skip
    return convert(told, ReplayResult)


def _replayed(kept: ReplayResults, job: str, draft: str = "", version: int = 1) -> None:
    made = kept.begin()
    kept.add(made, f'{{"id":"{job}"}}'.encode())
    kept.name(made, job)
    kept.end(made, _result(draft, version))


def test_results_are_there_after_a_start_and_a_draft_has_its_last(tmp_path: Path) -> None:
    kept = ReplayResults(tmp_path)
    _replayed(kept, "first-job", "tablets")
    _replayed(kept, "second-job", "tablets", 2)
    _replayed(kept, "other-job")
    unfinished = kept.begin()
    kept.add(unfinished, b"{}")
    unfinished.changed.close()
    kept.stop()

    again = ReplayResults(tmp_path)
    found = again.of_draft("tablets")
    assert found is not None
    assert (found[0], found[1].version, found[1].flows[0].after) == ("second-job", 2, "blocked")
    assert b"".join(again.changed("second-job")) == b'{"id":"second-job"}\n'
    assert again.result("other-job").attempts == 3
    with pytest.raises(ServiceError):
        again.result("first-job")
    files = sorted((tmp_path / "replays").iterdir())
    assert [path.suffix for path in files].count(".json") == [path.suffix for path in files].count(".ndjson") == 2
    assert len(files) == 4
    assert all(stat.S_IMODE(path.stat().st_mode) == 0o600 for path in files)
    again.stop()


def test_the_oldest_give_way_and_what_ends_before_it_is_named_is_kept_too(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(results, "MOST_OTHERS", 2)
    kept = ReplayResults(tmp_path)
    _replayed(kept, "of-a-draft", "tablets")
    for number in range(4):
        _replayed(kept, f"job-{number}")
    early = kept.begin()
    kept.end(early, _result())
    kept.name(early, "early-job")
    assert kept.of_draft("tablets") is not None
    assert kept.result("early-job")
    for gone in ("job-0", "job-2"):
        with pytest.raises(ServiceError):
            kept.result(gone)
    kept.stop()
    assert len(list((tmp_path / "replays").iterdir())) == 6


def test_what_is_taken_out_of_the_log_is_taken_out_here(tmp_path: Path) -> None:
    kept = ReplayResults(tmp_path)
    for job, since in (("whole-log", ""), ("older-one", "2026-10-01T00:00:00Z"), ("newer-one", "2026-11-01T00:00:00Z")):
        made = kept.begin()
        kept.name(made, job)
        kept.end(made, msgspec.structs.replace(_result(), since=since))
    kept.forget(datetime(2026, 10, 15, tzinfo=UTC))
    assert kept.result("newer-one")
    for gone in ("whole-log", "older-one"):
        with pytest.raises(ServiceError):
            kept.result(gone)
    assert len(list((tmp_path / "replays").iterdir())) == 2
    kept.stop()


def test_what_came_to_nothing_is_taken_away_and_a_cut_file_is_not_read(tmp_path: Path) -> None:
    kept = ReplayResults(tmp_path)
    nothing = kept.begin()
    kept.let_go(nothing)
    assert list((tmp_path / "replays").iterdir()) == []
    _replayed(kept, "cut-short")
    kept.stop()
    path = next((tmp_path / "replays").glob("*.json"))
    path.write_bytes(path.read_bytes()[:20])
    again = ReplayResults(tmp_path)
    with pytest.raises(ServiceError):
        again.result("cut-short")
    assert list((tmp_path / "replays").iterdir()) == []
    again.stop()
