"""`caddrel replay` on a file, without a service; and the commands of the page about it."""

from __future__ import annotations

import json
import re
import shlex
from pathlib import Path

import pytest
from tests.command import run
from tests.conftest import Live

PAGE = Path(__file__).parents[2] / "docs" / "before-you-enforce.md"
OLD = (
    "caddrel: 1\npolicies: {p: {mode: enforced, rules: [{id: r, when: device.owner is personal, then: require mfa}]}}\n"
)
NEW = OLD.replace("require mfa", "block")
LINES = [
    {"id": "a", "facts": {"person.id": "ines", "device.owner": "personal", "auth.methods": ["pwd", "otp"]}},
    {"id": "b", "facts": {"person.id": "odd", "device.owner": "company"}},
    {"id": "c", "facts": {"person.id": "odd", "device.owner": "wrong word"}},
]


@pytest.fixture
def log(tmp_path: Path) -> Path:
    (tmp_path / "old.yaml").write_text(OLD, encoding="utf-8")
    (tmp_path / "new.yaml").write_text(NEW, encoding="utf-8")
    (tmp_path / "log.ndjson").write_text("".join(json.dumps(line) + "\n" for line in LINES), encoding="utf-8")
    return tmp_path


def test_a_file_is_replayed_under_one_rulebook_and_another(log: Path) -> None:
    words = ("replay", "--attempts", "log.ndjson", "--rulebook", "old.yaml", "--under", "new.yaml")
    told = json.loads(run(*words, "--json", cwd=log).stdout)
    assert (told["attempts"], told["same"], told["undetermined"], told["people"]) == (3, 1, 1, 2)
    # A word that nobody understands is unknown, and no harmless one.
    flows = {(each["from"], each["to"]): each["count"] for each in told["flows"]}
    assert flows == {("allowed", "allowed"): 1, ("allowed", "blocked"): 1, ("challenged", "blocked"): 1}
    lines = [json.loads(line) for line in run(*words, "--changed", cwd=log).stdout.splitlines()]
    assert [(line["id"], line["from"], line["to"]) for line in lines] == [
        ("a", "allowed", "blocked"),
        ("c", "challenged", "blocked"),
    ]
    assert lines[0]["because"] == [{"policy": "p", "rule": "r"}]
    assert "2 people would be stopped who get in today." in run(*words, cwd=log).stdout


def test_what_cannot_be_replayed_is_told(log: Path) -> None:
    alone = run("replay", "--attempts", "log.ndjson", "--under", "new.yaml", cwd=log)
    assert (alone.returncode, "give --rulebook too" in alone.stderr) == (2, True)
    (log / "log.ndjson").write_text('nonsense\n{"facts": {"network.ip": "nowhere"}}\n{"facts": {}}\n', encoding="utf-8")
    words = ("replay", "--attempts", "log.ndjson", "--rulebook", "old.yaml", "--under", "new.yaml")
    broken = run(*words, "--json", cwd=log)
    assert (broken.returncode, json.loads(broken.stdout)["attempts"]) == (1, 1)
    assert "line 1: a line holds one object" in broken.stderr
    assert "2 lines could not be read" in broken.stderr
    assert run(*words, "--since", "7d", cwd=log).returncode == 2
    assert run(*words, "--inventory", "now", cwd=log).returncode == 2
    assert run("replay", "--under", "new.yaml", "--inventory", "elsewhere", cwd=log).returncode == 2


def test_an_export_in_parquet_is_replayed_as_it_was_recorded(kelpline: Live, log: Path) -> None:
    env = kelpline.environment()
    done = run(
        "signins", "export", "--format", "parquet", "--since", "2026-11-22", "--out", "log.parquet", env=env, cwd=log
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    (log / "kelpline.yaml").write_text(kelpline.data.rulebooks.need_current().revision.files[0][1], encoding="utf-8")
    words = ("replay", "--attempts", "log.parquet", "--under", "kelpline.yaml", "--json")
    told = json.loads(run(*words, "--rulebook", "kelpline.yaml", env=env, cwd=log).stdout)
    stored = json.loads(run("replay", "--under", "current", "--since", "2026-11-22", "--json", env=env).stdout)
    numbers = ("attempts", "people", "devices")
    assert [told[name] for name in numbers] == [stored[name] for name in numbers]
    assert told["same"] == told["attempts"]
    # What was recorded is in the file too.
    recorded = json.loads(run(*words, env=env, cwd=log).stdout)
    for outcome in ("allowed", "challenged", "blocked"):
        was, is_ = (sum(f["count"] for f in each["flows"] if f["from"] == outcome) for each in (recorded, stored))
        assert was == is_ > 0
    (log / "none.parquet").write_bytes(b"PAR1 nonsense")
    broken = run("replay", "--attempts", "none.parquet", "--under", "new.yaml", cwd=log)
    assert (broken.returncode, "not read as Parquet" in broken.stderr) == (2, True)


def test_the_commands_of_the_page_run(kelpline: Live, log: Path) -> None:
    found = re.findall(r"^(caddrel|>) (.*)", PAGE.read_text(encoding="utf-8"), re.M)
    assert [begin for begin, _ in found].count("caddrel") >= 6
    told = ""
    for begin, text in found:
        if begin == ">":
            # What the page says of it is what the last command says.
            assert text in told
            continue
        done = run(*shlex.split(text), env=kelpline.environment(), cwd=log)
        assert done.returncode == 0, (text, done.stderr)
        told = " ".join(done.stdout.split())
    assert (log / "whom-to-tell" / "people.csv").is_file()
    with kelpline.client("author") as author:
        author.drafts.discard("android-16")
