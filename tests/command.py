"""The command line, called as a person calls it: its words, what it writes, its exit code."""

from __future__ import annotations

import contextlib
import os
import re
import subprocess
import sys
import threading
from collections.abc import Iterator
from pathlib import Path
from unittest import mock

from click.testing import CliRunner

from caddrel.cli import main
from tests.copied_program import call

BIN = Path(sys.executable).parent
# What works on a data folder sets up its process for good, so it gets one: a copy of one that has read the program.
_OWN_PROCESS = ("serve", "demo", "doorway", "rescue", "restore", "token create", "account enter", "audit verify")


def run(
    *words: str, env: dict[str, str] | None = None, stdin: str = "", cwd: Path | None = None, here: bool = False
) -> subprocess.CompletedProcess[str]:
    """Run a command; in this process, where that makes no difference, since most of a command's time is its start.

    Parameters
    ----------
    here
        In this process also what works on a data folder, which it is to refuse.
    """
    environment = {"PATH": f"{BIN}:{os.environ['PATH']}", "HOME": "/nonexistent", "COLUMNS": "80", **(env or {})}
    if " ".join(words).startswith(_OWN_PROCESS) and not here:
        return subprocess.CompletedProcess(words, *call(words, environment, stdin, cwd or Path.cwd()))
    forgotten: dict[str, str | None] = dict.fromkeys(os.environ)
    code: object = 0
    with (
        contextlib.chdir(cwd or Path.cwd()),
        CliRunner().isolation(stdin, {**forgotten, **environment}) as (out, err, _),
        mock.patch.object(sys, "argv", ["caddrel", *words]),
    ):
        try:
            main()
        except SystemExit as ended:
            code = ended.code or 0
        sys.stdout.flush()
        sys.stderr.flush()
        written = out.getvalue().decode(), err.getvalue().decode()
    return subprocess.CompletedProcess(words, code if isinstance(code, int) else 1, *written)


@contextlib.contextmanager
def serving_command(folder: Path, **environment: str) -> Iterator[str]:
    """Run ``caddrel serve`` on a folder, in a process of its own; gives its address."""
    words = [str(BIN / "caddrel"), "serve", "--data", str(folder), "--bind", "127.0.0.1:0"]
    given = {"PATH": f"{BIN}:{os.environ['PATH']}", "HOME": "/nonexistent", "COLUMNS": "400", **environment}
    with subprocess.Popen(words, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, env=given) as process:
        assert process.stdout is not None
        try:
            found = None
            while found is None:
                line = process.stdout.readline()
                assert line, "it did not start"
                found = re.search(r"http://127\.0\.0\.1:\d+", line)
            # What it writes from now on is read, so that it never waits for that.
            threading.Thread(target=process.stdout.read, daemon=True).start()
            yield found[0]
        finally:
            process.terminate()
            process.wait(60)


def program(
    *words: str, env: dict[str, str], stdin: str = "", cwd: Path | None = None
) -> subprocess.CompletedProcess[str]:
    """Run a command in a process of its own."""
    return subprocess.run(
        [str(BIN / "caddrel"), *words],
        check=False, capture_output=True, text=True, env=env, input=stdin, cwd=cwd, timeout=300,
    )  # fmt: skip
