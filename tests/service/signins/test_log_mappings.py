"""The log of another system: its columns tried, mended and taken in, by command and by call."""

from __future__ import annotations

import csv
import gzip
import io
import json
import re
import shlex
from datetime import datetime
from pathlib import Path
from zoneinfo import ZoneInfo

import pytest
from sqlalchemy import text
from tests.command import run
from tests.conftest import Live, serving

from caddrel.client import Refused
from caddrel.wire.mappings import ColumnRule, LogMapping

AT = {"A": ColumnRule("id"), "B": ColumnRule("time.at")}
HEADER = ["When", "Account", "Target", "Source", "Nation", "Factors", "Client", "OS", "Verdict", "Kind"]
METHODS = {"pwd": "SECRET", "otp": "TOTP", "hwk": "KEY"}


def _foreign(kelpline: Live) -> tuple[str, dict[str, tuple[str, str]]]:
    """Return sign-ins as another system writes them, with local times, capitals and joined methods; and the truth."""
    rows, truth = io.StringIO(), {}
    writer = csv.writer(rows)
    writer.writerow(HEADER)
    with kelpline.client("viewer") as client:
        lines = b"".join(client.signins.export(since="2026-11-22")).splitlines()
    for line in lines:
        signin = json.loads(line)
        facts = signin["facts"]
        at = datetime.fromisoformat(facts["time.at"]).astimezone(ZoneInfo("Europe/Oslo"))
        methods = facts.get("auth.methods", {})
        if not set(methods) <= set(METHODS) or facts.get("flow", "interactive") != "interactive":
            continue
        person, app = facts.get("person.id", ""), facts.get("app.id", "")
        writer.writerow(
            [
                at.strftime("%d.%m.%Y %H:%M:%S"), person.upper(), app.capitalize(), facts.get("network.ip", ""),
                facts.get("network.country", "").lower(), ";".join(METHODS[each] for each in methods),
                facts.get("client.kind", ""), facts.get("device.platform", ""),
                signin.get("recorded", {}).get("outcome", ""), "logon",
            ]
        )  # fmt: skip
        truth[f"{facts['time.at'][:19]} {person}"] = (person, app)
    writer.writerow(["20.11.2026 08:00:00", "", "", "", "", "", "", "", "", "Heartbeat"])
    return rows.getvalue(), truth


def test_a_log_with_other_columns_is_read_right_in_three_tries(kelpline: Live, other: Live, tmp_path: Path) -> None:
    log, truth = _foreign(kelpline)
    assert len(truth) > 100
    path, by = tmp_path / "gate.csv", tmp_path / "gate.yaml"
    path.write_text("\ufeff" + log, encoding="utf-8")
    env = other.environment()
    # The first try, without a word of ours: columns, stamps and separators are found, the words are not understood.
    first = run("signins", "mapping", "try", str(path), "--out", str(by), env=env)
    assert first.returncode == 1
    assert "auth.methods: `SECRET` is on no list" in first.stderr
    assert "Factors: `totp` is taken for otp" in first.stderr
    assert "say the zone of the log" in first.stderr
    assert "is taken for" in first.stderr
    suggested = by.read_text(encoding="utf-8")
    assert "moment: '%d.%m.%Y %H:%M:%S'" in suggested
    # The second: what it told is said, and one thing is said wrong.
    mended = suggested.replace("zone: UTC", "zone: Europe/Oslo") + "skip: {Kind: [heartbeat]}\n"
    words = "      key: hvk\n      secret: pwd\n      totp: otp\n"
    assert "      totp: otp\n" in mended
    by.write_text(mended.replace("      totp: otp\n", words), encoding="utf-8")
    second = run("signins", "mapping", "try", str(path), "--by", str(by), env=env)
    assert second.returncode == 3
    assert "column Factors, key" in second.stderr
    by.write_text(by.read_text(encoding="utf-8").replace("hvk", "hwk"), encoding="utf-8")
    third = run("signins", "mapping", "try", str(path), "--by", str(by), env=env)
    assert (third.returncode, "1 passed over" in third.stdout) == (0, True), third.stderr
    assert run("signins", "mapping", "keep", "gate", str(by), env=env).returncode == 0
    done = run("signins", "import", str(path), "--mapping", "gate", env=env)
    assert done.returncode == 0, done.stderr
    assert "1 row was passed over" in done.stderr
    assert "`INES.FARO` is taken for ines.faro" in done.stderr
    with other.client() as client:
        there = [json.loads(line)["facts"] for line in b"".join(client.signins.export()).splitlines()]
        read = [(each["time.at"], each.get("person.id", ""), each.get("app.id", "")) for each in there]
        assert {f"{at[:19]} {person}": (person, app) for at, person, app in read} == truth
        # Sent again, it is there already: ids that are made are the same again.
        again = client.signins.import_([path.read_bytes()], "csv", "gate")
        assert (again.added, again.already_there) == (0, len(there))
    shown = run("signins", "mapping", "show", "gate", env=env).stdout
    other_file = tmp_path / "again.yaml"
    other_file.write_text(shown, encoding="utf-8")
    assert run("signins", "mapping", "keep", "copy", str(other_file), env=env).returncode == 0
    with other.client() as client:
        kept = client.mappings.list()
        assert kept["copy"] == kept["gate"]
        client.mappings.remove("copy")
        with pytest.raises(Refused):
            client.mappings.remove("copy")


def test_json_of_another_system_is_read_too_and_what_is_broken_alike_is_told_once(other: Live, tmp_path: Path) -> None:
    path = tmp_path / "events.ndjson.gz"
    lines = [
        {"ts": 1795161600 + i, "user": {"name": "Ines.Faro"}, "app": "post", "os": "beos" if i else "android"}
        for i in range(30)
    ]
    broken = [{"ts": "soon", "user": {"name": f"p{i}"}} for i in range(40)]
    path.write_bytes(gzip.compress("".join(json.dumps(each) + "\n" for each in lines + broken).encode()))
    by = tmp_path / "events.yaml"
    by.write_text(
        "columns: {ts: time.at, user.name: person.id, app: app.id, os: device.platform}\nmoment: epoch\n"
        "constants: {client.kind: browser}\n",
        encoding="utf-8",
    )
    tried = run("signins", "mapping", "try", str(path), "--by", str(by), "--json", env=other.environment())
    found = json.loads(tried.stdout)
    assert (found["read"], found["good"], len(found["rows"])) == (70, 30, 20)
    (kind,) = found["broken"]
    assert (kind["code"], kind["fact"], kind["count"], len(kind["lines"])) == ("wrong-value", "time.at", 40, 3)
    assert found["not_understood"] == [{"fact": "device.platform", "word": "beos", "count": 29}]
    assert found["rows"][0]["facts"]["person.id"] == "ines.faro"
    with other.client() as client:
        with pytest.raises(Refused):
            client.signins.import_([path.read_bytes()], "ndjson", "events")
        client.mappings.put("events", LogMapping(
            {name: ColumnRule(to) for name, to in {"ts": "time.at", "user.name": "person.id", "app": "app.id",
                                                   "os": "device.platform"}.items()},
            {"client.kind": "browser"}, moment="epoch",
        ))  # fmt: skip
        result = client.signins.import_([path.read_bytes()], "ndjson", "events")
        assert (result.added, result.broken, len(result.broken_alike)) == (30, 40, 1)
        assert result.respelled[0].count == 30
        facts = client.signins.trace(client.signins.list(limit=1).items[0].id).trace
        assert facts.facts["client.kind"].value == "browser"
        assert facts.not_understood["device.platform"].said == "beos"
        with pytest.raises(Refused) as refused:
            client.signins.import_([b"{}\n"], "ocsf", "events")
        assert refused.value.problem.code == "bad-parameter"


def test_unfit_rows_and_columns_are_told(other: Live) -> None:
    with other.client() as client:
        for columns, code in (
            ({"A": "id", "B": "time.at", "C": "persn.id"}, "unknown-fact"),
            ({"A": "id"}, "missing-key"),
            ({"A": "id", "B": "time.at", "C": "time.at"}, "given-twice"),
        ):
            with pytest.raises(Refused) as refused:
                client.mappings.put("door", LogMapping({name: ColumnRule(to) for name, to in columns.items()}))
            assert (refused.value.problem.code, refused.value.problem.errors[0].code) == ("bad-mapping", code)
        with pytest.raises(Refused) as refused:
            client.mappings.put("Door", LogMapping(AT))
        assert refused.value.problem.code == "bad-mapping"
        with pytest.raises(Refused) as refused:
            client.signins.import_([b"A,B\n"], "csv", "door")
        assert refused.value.problem.code == "not-found"
        client.mappings.put("door", LogMapping(AT))
        with pytest.raises(Refused) as refused:
            client.signins.import_([b"A,B,B\nx,2026-11-20T08:00:00Z,2026-11-21T08:00:00Z\n"], "csv", "door")
        assert refused.value.problem.errors[0].code == "given-twice"
        for send in (
            lambda: client.signins.import_([b"A,C\n1,2\n"], "csv", "door"),
            lambda: client.mappings.try_("A,C\n1,2\n", "csv", LogMapping(AT)),
        ):
            with pytest.raises(Refused) as refused:
                send()
            assert refused.value.problem.errors[0].code == "missing-column"
        text = 'A,B\nx,"2026"y\nz,2026-11-20T08:00:00Z\nz,2026-11-20T08:00:00Z\nq\n,2026-11-20T08:00:00Z\n'
        broken = client.signins.import_([text.encode()], "csv", "door")
        codes = [line.code for line in broken.listed]
        assert (codes, broken.added, broken.already_there) == (["not-csv", "wrong-cells", "bad-id"], 1, 1)
        tried = client.mappings.try_(text, "csv", LogMapping(AT))
        assert ([kind.code for kind in tried.broken], tried.good, tried.twice) == (codes, 2, 1)
        for nothing in ("", "\n\n", "[1]\n"):
            with pytest.raises(Refused) as refused:
                client.mappings.try_(nothing, "ndjson")
            assert refused.value.problem.code == "bad-mapping"
        odd = client.mappings.try_("When,Who\n" + "2026-11-20T08:00:00Z,ines.farro\n" * 3)
        assert (odd.suggested, odd.unknown[0].hint, odd.twice) == (True, "did you mean `ines.faro`?", 2)


def test_a_mapping_of_an_earlier_release_is_read(other: Live) -> None:
    with other.data.mappings._database.write() as connection:
        kept = json.dumps({"Event": "id", "When": "time.at"})
        connection.execute(text("INSERT INTO mappings (name, columns) VALUES ('old', :kept)"), {"kept": kept})
    with other.client() as client:
        assert client.mappings.list() == {"old": LogMapping({"Event": ColumnRule("id"), "When": ColumnRule("time.at")})}
        assert client.signins.import_([b"Event,When\ne-1,2026-11-20T08:00:00Z\n"], "csv", "old").added == 1


def test_the_commands_of_the_page_run(other: Live, tmp_path: Path) -> None:
    page = (Path(__file__).parents[3] / "docs" / "logs-from-elsewhere.md").read_text(encoding="utf-8")
    (written,) = re.findall(r"```yaml\n(.*?)```", page, re.S)
    head = "Event time,Login,System,Source address,Steps,Result,Type\n"
    row = "20.11.2026 09:00:00,INES.FARO,POST,198.51.100.90,password;totp;push,OK,logon\n"
    (tmp_path / "gate.csv").write_text(f"{head}{row},,,,,,ping\n", encoding="utf-8")
    commands = re.findall(r"^caddrel .*", page, re.M)
    assert len(commands) == 7
    for command in commands:
        done = run(*shlex.split(command)[1:], env=other.environment(), cwd=tmp_path)
        # The first try does not understand the words yet.
        assert done.returncode == int("--out" in command), (command, done.stdout, done.stderr)
        (tmp_path / "gate.yaml").write_text(written, encoding="utf-8")
    with other.client() as client:
        (item,) = client.signins.list().items
        facts = client.signins.trace(item.id).trace.facts
        assert (item.at, item.person, item.app) == ("2026-11-20T08:00:00Z", "ines.faro", "post")
        assert facts["auth.methods"].value == ["otp", "pwd"]


def test_a_damaged_file_is_told(tmp_path: Path) -> None:
    path = tmp_path / "log.csv.gz"
    path.write_bytes(gzip.compress(b"A,B\n" * 1000)[:20])
    for live in serving(tmp_path / "data"):
        done = run("signins", "mapping", "try", str(path), env=live.environment())
        assert done.returncode == 2
        assert "damaged" in done.stderr
