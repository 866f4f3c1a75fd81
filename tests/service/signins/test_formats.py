"""Logs in and out in every format: what is written is read back to the same decisions; what is broken is told."""

from __future__ import annotations

import csv
import gzip
import io
import json
import random
from pathlib import Path
from typing import Any

import msgspec
import pytest
from tests.command import run
from tests.conftest import Live

from caddrel.client import Refused
from caddrel.service.signins.import_formats import FORMATS
from caddrel.wire.signins import Forgotten


@pytest.mark.parametrize("format", ["ndjson", "ocsf"])
def test_what_is_exported_is_read_back_to_the_same_decisions(kelpline: Live, other: Live, format: str) -> None:
    since = "2026-11-21"
    with kelpline.client("viewer") as client, other.client() as there:
        written = b"".join(client.signins.export(format, since=since, outcome="blocked,challenged"))
        packed = gzip.compress(written) if format == "ocsf" else written
        result = there.signins.import_([packed[i : i + 1000] for i in range(0, len(packed), 1000)], format)
        assert (result.broken, result.added) == (0, written.count(b"\n"))
        assert result.added > 30
        here = {i.id: i for i in client.signins.list(since=since, outcome="blocked,challenged", limit=500).items}
        back = {i.id: i for i in there.signins.list(limit=500).items}
        assert back.keys() == here.keys()
        for id, item in back.items():
            mine = here[id]
            # Signals look back at sign-ins that were not exported: such a decision may differ.
            if mine.policy != "unusual-sign-ins":
                assert (item.outcome, item.policy, item.rule) == (mine.outcome, mine.policy, mine.rule)
            assert (item.recorded_outcome, item.person) == (mine.recorded_outcome, mine.person)


def test_an_event_of_another_product_is_read(other: Live) -> None:
    event = {
        "class_uid": 3002, "activity_id": 1, "time": 1793620800000, "status_id": 2, "status_detail": "bad password",
        "metadata": {"uid": "e-1", "version": "1.3.0"}, "user": {"name": "ines.faro"}, "service": {"name": "post"},
        "src_endpoint": {"ip": "203.0.113.9", "location": {"country": "is"}},
        "device": {"uid": "tab-0117", "os": {"type_id": 201, "version": "14"}, "is_managed": True},
    }  # fmt: skip
    others = [
        ({**event, "class_uid": 3001}, "not-authentication"),
        ({**event, "activity_id": 2}, "not-a-logon"),
        ({**event, "metadata": {}}, "bad-id"),
        ({**event, "time": "soon"}, "missing-key"),
        ({**event, "time": 1e300}, "missing-key"),
        ([], "not-authentication"),
    ]
    lines = [json.dumps(e).encode() + b"\n" for e in (event, *(e for e, _ in others))]
    with other.client() as client:
        result = client.signins.import_(lines, "ocsf")
        assert (result.added, result.broken) == (1, len(others))
        assert [line.code for line in result.listed] == [code for _, code in others]
        item = client.signins.get("e-1").summary
        assert (item.person, item.app, item.country, item.platform) == ("ines.faro", "post", "IS", "android")
        assert (item.credentials, item.recorded_outcome, item.recorded_reason) == ("wrong", "refused", "bad password")


def test_csv_goes_out_as_rows_and_never_as_formulas(kelpline: Live, other: Live, tmp_path: Path) -> None:
    out = tmp_path / "rows.csv"
    done = run(
        "signins",
        "export",
        "--where",
        "outcome is blocked",
        "--format",
        "csv",
        "--out",
        str(out),
        env=kelpline.environment(),
    )
    assert done.returncode == 0
    rows = list(csv.DictReader(out.read_text(encoding="utf-8").splitlines()))
    assert {row["outcome"] for row in rows} == {"blocked"}
    assert len(rows) > 100
    line = {"id": "=1+1", "facts": {"time.at": "2026-11-20T08:00:00Z", "person.id": "@SUM(A1)"}}
    with other.client() as client:
        client.signins.import_([json.dumps(line).encode()])
        cells = next(csv.DictReader(io.StringIO(b"".join(client.signins.export("csv")).decode())))
        assert (cells["id"], cells["person"]) == ("'=1+1", "'@SUM(A1)")


def test_a_damaged_or_huge_gzip_is_refused_and_what_came_before_is_kept(other: Live) -> None:
    rng = random.Random(3)
    lines = [
        json.dumps({"id": f"g-{i}", "facts": {"time.at": "2026-11-20T08:00:00Z", "client.name": str(rng.random())}})
        for i in range(3000)
    ]
    packed = gzip.compress("\n".join(lines).encode())
    with other.client() as client:
        with pytest.raises(Refused) as refused:
            client.signins.import_([packed[: len(packed) // 2]])
        assert refused.value.problem.code == "bad-gzip"
        kept = sum(client.signins.list().counts.values())
        assert 0 < kept < 3000
        assert client.signins.import_([packed]).added == 3000 - kept
        for empty in (b"", b"\n\n", gzip.compress(b"")):
            assert client.signins.import_([empty]).added == 0


def test_a_growing_file_is_followed(other: Live, tmp_path: Path) -> None:
    path = tmp_path / "door.ndjson"

    def line(number: int) -> str:
        return json.dumps({"id": f"f-{number}", "facts": {"time.at": "2026-11-20T08:00:00Z"}}) + "\n"

    path.write_text(line(1) + line(2) + line(3)[:-9], encoding="utf-8")
    first = run("signins", "follow", str(path), "--once", env=other.environment())
    assert first.stdout.startswith("2 added")
    path.write_text(line(1) + line(2) + line(3) + line(4), encoding="utf-8")
    again = run("signins", "follow", str(path), "--once", env=other.environment())
    assert again.stdout.startswith("2 added, 2 there already")


def test_old_sign_ins_are_forgotten_after_a_dry_run(other: Live) -> None:
    def line(number: int, day: int) -> bytes:
        facts: dict[str, Any] = {"time.at": f"2026-11-{day:02}T08:00:00Z", "person.id": "x", "client.kind": "legacy"}
        return json.dumps({"id": f"o-{number}", "facts": {**facts, "app.id": "post"}}).encode() + b"\n"

    with other.client() as client:
        client.signins.import_([line(i, i) for i in range(1, 21)])
        dry = run("signins", "forget", "--older-than", "13d", "--dry-run", env=other.environment())
        assert dry.stdout == "10 sign-ins from before 2026-11-10T09:00 would be taken out.\n"
        assert client.signins.causes().count == 20
        *_, job = client.jobs.follow(client.jobs.forget("13d").id)
        done = msgspec.convert(job.result, Forgotten)
        assert (done.count, done.done) == (10, True)
        assert client.signins.causes().count == 10
        for wrong in ("13", "-1d", "999999999999d"):
            with pytest.raises(Refused):
                client.signins.old(wrong)
    with other.client("publisher") as client, pytest.raises(Refused, match="operator"):
        list(client.jobs.follow(client.jobs.forget("1d").id))


def test_formats_are_named(other: Live) -> None:
    assert FORMATS == ("ndjson", "csv", "ocsf")
    with other.http() as http:
        assert http.post("/api/v1/signins?format=xml", content=b"").json()["code"] == "bad-parameter"


def test_what_is_exported_can_be_decided_with_the_inventory_that_is_there(kelpline: Live, tmp_path: Path) -> None:
    env = kelpline.environment()
    exported = run("signins", "export", "--since", "12h", "--format", "ndjson", env=env).stdout
    decided = run("decide", "--rulebook", "current", "--attempts", "-", env=env, stdin=exported)
    assert decided.returncode == 0
    assert "With the service's inventory" in decided.stderr
    (tmp_path / "inventory.json").write_text(run("inventory", "export", env=env).stdout, encoding="utf-8")
    (tmp_path / "none.json").write_text("{}", encoding="utf-8")
    by_hand, without = (
        run("decide", "--rulebook", "current", "--attempts", "-", "--inventory", str(tmp_path / file), env=env,
            stdin=exported)
        for file in ("inventory.json", "none.json")
    )  # fmt: skip
    assert decided.stdout == by_hand.stdout != without.stdout
    assert len(decided.stdout.splitlines()) == len(exported.splitlines()) > 50
