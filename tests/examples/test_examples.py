"""The examples are true: each is run as somebody would run it who has just found it."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest
from tests.conftest import Live

from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source

EXAMPLES = Path(__file__).parents[2] / "examples"
RULEBOOKS = sorted((EXAMPLES / "rulebooks").glob("*.yaml"))
PIPELINE = EXAMPLES / "pipeline"


def _run(*command: str, **environment: str) -> subprocess.CompletedProcess[str]:
    path = f"{Path(sys.executable).parent}{os.pathsep}{os.environ['PATH']}"
    given = {**os.environ, "PATH": path, **environment}
    return subprocess.run(command, capture_output=True, text=True, check=False, env=given)


@pytest.mark.parametrize("path", RULEBOOKS, ids=lambda path: path.stem)
def test_a_rulebook_says_why_it_is_there_and_its_rehearsals_come_out(path: Path) -> None:
    text = path.read_text(encoding="utf-8")
    rulebook = read_rulebook(Source(path.name, text)).or_raise()
    assert len(rulebook.rehearsals) >= 3
    assert {outcome for rehearsal in rulebook.rehearsals.values() for outcome in rehearsal.expect} >= {
        "allowed",
        "blocked",
    }
    assert text.split("\n")[2].startswith("# ")
    done = _run("caddrel", "rulebook", "check", str(path))
    assert (done.returncode, "0 errors, 0 warnings" in done.stdout) == (0, True), done.stdout + done.stderr


def test_the_report_tells_what_blocked_people(kelpline: Live) -> None:
    done = _run(sys.executable, str(EXAMPLES / "morning_report.py"), "30d", **kelpline.environment())
    assert done.returncode == 0, done.stderr
    first, *causes = done.stdout.splitlines()
    with kelpline.client() as client:
        found = client.signins.causes(since="30d", outcome="blocked")
    assert first.startswith(f"{found.count} blocks of {found.people} people")
    assert len(causes) == len(found.causes) > 3
    assert "CADDREL_TOKEN" in _run(sys.executable, str(EXAMPLES / "morning_report.py"), CADDREL_TOKEN="").stderr


@pytest.mark.parametrize(
    ("change", "told"),
    [
        (("", ""), "all as expected"),
        (("client.kind is legacy", "client.kind is legacy and not from office"), "-old-mail-program blocked"),
        (("expect: challenged", "expect: allowed"), "rehearsal-fails"),
        (("then: require mfa", "then: require nothing"), "expected-requirement"),
    ],
)
def test_the_pipeline_lets_through_what_is_as_it_was(change: tuple[str, str], told: str, tmp_path: Path) -> None:
    text = (EXAMPLES / "rulebooks" / "small-office.yaml").read_text(encoding="utf-8")
    rulebook = tmp_path / "rulebook.yaml"
    rulebook.write_text(text.replace(*change, 1), encoding="utf-8")
    attempts, expected = str(PIPELINE / "attempts.ndjson"), str(PIPELINE / "expected.txt")
    done = _run("bash", str(PIPELINE / "check.sh"), str(rulebook), attempts, expected)
    assert (done.returncode == 0) is (change[0] == ""), done.stdout + done.stderr
    assert told in done.stdout + done.stderr
