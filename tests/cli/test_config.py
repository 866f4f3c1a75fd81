"""What `serve` runs with, and what the host is told: options, environment and file, a supervisor, other commands."""

from __future__ import annotations

import json
import os
import shutil
import socket
import sqlite3
import subprocess
import sys
from pathlib import Path

import pytest
from tests.command import run

from caddrel import wiring

ROOT = Path(__file__).parents[2]
TOML = 'bind = "127.0.0.1:9001"\nworkers = 3\naddress-data = ["{here}", "{here}"]\n'


def test_command_line_goes_before_environment_before_file(tmp_path: Path) -> None:
    file = tmp_path / "serve.toml"
    file.write_text(TOML.replace("{here}", str(file)), encoding="utf-8")
    env = {"CADDREL_CONFIG": str(file), "CADDREL_SERVE_BIND": "127.0.0.1:9002", "CADDREL_SERVE_WORKERS": "5"}
    shown = json.loads(run("config", "show", "--bind", "[::1]:9003", "--json", env=env).stdout)
    assert shown["bind"] == {"value": "[::1]:9003", "from": "command line"}
    assert shown["workers"] == {"value": "5", "from": "environment"}
    assert shown["address-data"] == {"value": f"{file}, {file}", "from": "file"}
    assert shown["second-factor"] == {"value": "optional", "from": "default"}
    plain = run("config", "show", "--config", str(ROOT / "deploy" / "serve.toml")).stdout
    assert "/var/lib/caddrel" in plain


@pytest.mark.parametrize(
    ("written", "said"),
    [
        ('pubic-url = "x"', "did you mean `public-url`?"),
        ("bind = 3.5", "`bind` is a text or a whole number"),
        ("workers = 1000", "1000 is not in the range"),
        ('bind = "nowhere"', "nowhere is not HOST:PORT"),
        ("bind = ", "not TOML"),
        ('config = "x"', "there is no setting `config`"),
    ],
)
def test_a_file_that_is_wrong_ends_the_start(tmp_path: Path, written: str, said: str) -> None:
    file = tmp_path / "serve.toml"
    file.write_text(written, encoding="utf-8")
    for command in (("config", "show"), ("serve", "--data", str(tmp_path / "data"))):
        refused = run(*command, "--config", str(file), here=True)
        assert refused.returncode == 2
        assert said in " ".join(refused.stderr.split())
    assert not (tmp_path / "data").exists()


def test_the_supervisor_is_told_and_the_host_knows_where_it_listens(tmp_path: Path) -> None:
    data = tmp_path / "data"
    with socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM) as supervisor:
        supervisor.bind(str(tmp_path / "notify"))
        supervisor.settimeout(120)
        command = [sys.executable, "-c", "from caddrel.cli import main; main()", "serve"]
        told = {"NOTIFY_SOCKET": str(tmp_path / "notify"), "CADDREL_SERVE_BIND": "127.0.0.1:0"}
        service = subprocess.Popen(
            [*command, "--data", str(data)], env={**os.environ, **told}, stderr=subprocess.DEVNULL
        )
        try:
            assert supervisor.recv(100) == b"READY=1"
            url = wiring.url_of(data)
            assert url is not None
            link = run("rescue", "--data", str(data), "--way-in").stdout
            assert link.startswith(f"{url}/#/enter?code=")
            # Whoever copies only the file finds its tables in it.
            shutil.copy(data / "book.sqlite", tmp_path / "copy.sqlite")
            copy = sqlite3.connect(tmp_path / "copy.sqlite")
            assert copy.execute("SELECT count(*) FROM sqlite_master").fetchone()[0] > 10
            copy.close()
        finally:
            service.terminate()
            service.wait()
        assert supervisor.recv(100) == b"STOPPING=1"
        assert wiring.url_of(data) is None
        # Told to stop at the moment that it says it serves, it stops in order too.
        service = subprocess.Popen(
            [*command, "--data", str(data)], env={**os.environ, **told}, stderr=subprocess.DEVNULL
        )
        assert supervisor.recv(100) == b"READY=1"
        service.terminate()
        assert service.wait() == 0
        assert supervisor.recv(100) == b"STOPPING=1"
    assert wiring.url_of(data) is None
    assert wiring.url_of(tmp_path / "nowhere") is None
    link = run("account", "enter", "--data", str(data)).stdout
    assert link.startswith("http://127.0.0.1:8420/#/enter?code=")


@pytest.mark.parametrize(("shell", "word"), [("bash", "complete "), ("zsh", "compdef"), ("fish", "complete ")])
def test_shells_are_told_how_to_complete(shell: str, word: str) -> None:
    assert word in run("completion", shell).stdout
    word_at = "rehea" if shell == "fish" else "1"
    completing = {"_CADDREL_COMPLETE": f"{shell}_complete", "COMP_WORDS": "caddrel rehea", "COMP_CWORD": word_at}
    asked = subprocess.run(
        [sys.executable, "-c", "from caddrel.cli import cli; cli(prog_name='caddrel')"],
        env={**os.environ, **completing},
        capture_output=True,
        text=True,
        check=False,
    )
    assert "rehearse" in asked.stdout


def test_help_lists_every_command_under_the_work_of_the_day() -> None:
    said = run("--help").stdout
    assert "See what happened:" in said
    assert all(f"\n  {name} " in said for name in ("trace", "restore", "completion", "starter-code"))
