"""Imports are things: listed, gone on with, replaced, and taken back as if they had never been."""

from __future__ import annotations

import json
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from tests.command import run
from tests.conftest import NOW, Live

from caddrel.client import Refused
from caddrel.core.facts.values import show_moment


def _line(id: str, at: datetime, person: str, address: str, **more: Any) -> bytes:
    facts = {"time.at": show_moment(at), "person.id": person, "app.id": "post", "network.ip": address, **more}
    return (
        json.dumps({"id": id, "facts": {"auth.methods": ["pwd"], "auth.credentials": "right", **facts}}).encode()
        + b"\n"
    )


PEOPLE = ("ines.faro", "liv.solheim", "salka.myhre")
AT_HOME, AWAY = "198.51.100.90", "203.0.113.200"


def _usual(count: int = 60) -> list[bytes]:
    start = NOW - timedelta(days=20)
    return [_line(f"u-{i}", start + timedelta(hours=7 * i), PEOPLE[i % 3], AT_HOME) for i in range(count)]


def _late() -> list[bytes]:
    """Wrong credentials of one of them, just before two of hers: what guessing is told by."""
    start = NOW - timedelta(days=20)
    return [
        _line(
            f"l-{of}-{i}",
            start + timedelta(hours=7 * of, minutes=-i),
            PEOPLE[of % 3],
            AWAY,
            **{"auth.credentials": "wrong"},
        )
        for of in (30, 33)
        for i in range(1, 7)
    ]


def _state(live: Live) -> tuple[Any, ...]:
    """Return everything that somebody could see of the log, but for references, which are drawn by chance."""
    with live.client() as client:
        exported = b"".join(client.signins.export("ndjson"))
        page = client.signins.list(limit=500)
        decided = sorted((item.id, item.at, item.outcome, item.policy, item.rule) for item in page.items)
        signals = {}
        for item in page.items:
            record = client.signins.record(item.id)
            signals[item.id] = (record.facts["values"].get("signals"), record.facts.get("noticed"))
        return sorted(exported.splitlines()), decided, page.counts, page.days, signals, client.signins.causes().count


def test_what_is_taken_back_was_never_there(other: Live) -> None:
    with other.client() as client:
        first = client.signins.import_(_usual(), name="usual.ndjson")
        before = _state(other)
        second = client.signins.import_(_late(), name="late.ndjson")
        assert (first.number, second.number, second.added) == (1, 2, 12)
        between = _state(other)
        assert between[4]["u-30"] != before[4]["u-30"]
        assert client.imports.get(2).there == 12
        shown = run("signins", "imports", "take-back", "2", env=other.environment())
        assert (shown.returncode, "brought 12 sign-ins" in shown.stderr, "--yes" in shown.stderr) == (2, True, True)
        assert _state(other) == between
        done = run("signins", "imports", "take-back", "2", "--yes", env=other.environment())
        assert done.stdout == "12 sign-ins of import 2 taken out.\n"
        assert _state(other) == before
        assert other.data.signins.verify().wrong == ""
        with pytest.raises(Refused, match="taken back already") as refused:
            client.imports.take_back(2)
        assert refused.value.problem.code == "taken-back"
        # As often as somebody likes: the same file comes in as it did the first time.
        again = client.signins.import_(_late(), name="late.ndjson")
        assert (again.number, again.added) == (3, 12)
        assert _state(other) == between
        listed = client.imports.list().items
        assert [(each.number, each.name, each.taken_back_by) for each in listed] == [
            (3, "late.ndjson", None), (2, "late.ndjson", "token tests"), (1, "usual.ndjson", None),
        ]  # fmt: skip
        assert [entry.target for entry in client.audit.list().items if entry.note == "import 2: 12 sign-ins"] != []


def test_a_corrected_file_takes_the_place_of_the_one_before(other: Live, tmp_path: Path) -> None:
    wrong, right = tmp_path / "wrong.ndjson", tmp_path / "right.ndjson"
    wrong.write_bytes(b"".join(_usual(5)))
    right.write_bytes(b"".join(line.replace(b'"right"', b'"wrong"') for line in _usual(5)))
    assert "take-back 1" in run("signins", "import", str(wrong), env=other.environment()).stderr
    refused = run("signins", "import", str(right), env=other.environment())
    assert "5 with other content" in refused.stdout
    done = run("signins", "import", str(right), "--instead-of", "1", env=other.environment())
    assert done.stdout.startswith("5 added, 0 there already")
    with other.client() as client:
        assert {item.reason for item in client.signins.list().items} == {"credentials"}
        assert client.imports.get(1).there == 0
        missing = run("signins", "import", str(right), "--instead-of", "9", env=other.environment())
        assert (missing.returncode, "there is no import 9" in missing.stderr) == (3, True)
        assert len(client.signins.list().items) == 5
    listed = run("signins", "imports", "list", env=other.environment()).stdout
    assert "taken back" in listed
    shown = run("signins", "imports", "show", "3", env=other.environment()).stdout
    assert "Import 3 of right.ndjson, done." in shown


def test_a_file_that_grows_is_one_import(other: Live, tmp_path: Path) -> None:
    with other.client() as client:
        one, two = _usual(4)[:2], _usual(4)[2:]
        number = client.signins.import_(one, name="door").number
        assert client.signins.import_([*two, b"nonsense\n"], goes_on=number).number == number
        found = client.imports.get(number)
        assert (found.added, found.broken, found.there, found.ended is not None) == (4, 1, 4, True)
        assert found.first is not None
        assert found.last is not None
        assert found.first < found.last
        for number in (7, 1 << 40):
            with pytest.raises(Refused) as refused:
                client.signins.import_(one, goes_on=number)
            assert refused.value.problem.code in {"no-such-import", "bad-parameter"}
        with pytest.raises(Refused, match="there is no import 7"):
            client.imports.get(7)
    with other.client("publisher") as client, pytest.raises(Refused, match="operator"):
        client.imports.take_back(1)


def test_taking_back_waits_for_the_import_that_runs(other: Live) -> None:
    with other.client() as client:
        number = client.signins.import_(_usual(6)).number
        with other.runtime.log.importing:
            job = client.imports.take_back(number)
            assert not client.jobs.get(job.id).ended
            assert client.imports.get(number).there == 6
        *_, ended = client.jobs.follow(job.id)
        assert ended.result == {"number": number, "count": 6, "whole": True}
