"""The program in a process that is a copy of one which has read it: reading it takes most of a short command's time."""

from __future__ import annotations

import atexit
import os
import signal
import sys
import traceback
from pathlib import Path
from tempfile import TemporaryFile

from caddrel.cli import main as program
from caddrel.service.state.pipes import got, pickled, put
from caddrel.service.state.worker_template import Template

_HERE = "tests.copied_program"
_TEMPLATE = Template({"PYTHONPATH": str(Path(__file__).parents[1])})


def call(words: tuple[str, ...], environment: dict[str, str], stdin: str, folder: Path) -> tuple[int, str, str]:
    """Return the exit code of a command, and what it wrote to its output and to its errors."""
    # What works on a data folder reads all of the service.
    begun = _TEMPLATE.begin(_HERE, "caddrel.wiring")
    try:
        put(begun.stdin, pickled((words, environment, stdin, str(folder))))
        begun.stdin.flush()
        code, out, err = got(begun.stdout)
        return code, out, err
    finally:
        begun.end()


def _run(words: tuple[str, ...]) -> int:
    sys.argv = ["caddrel", *words]
    try:
        program()
    except SystemExit as ended:
        return ended.code if isinstance(ended.code, int) else int(ended.code is not None)
    except BaseException:  # noqa: BLE001 - as Python ends
        traceback.print_exc()
        return 1
    return 0


def main() -> None:
    """Be the command."""
    answers = os.fdopen(os.dup(1), "wb")
    with os.fdopen(os.dup(0), "rb") as questions:
        words, environment, stdin, folder = got(questions)
    signal.signal(signal.SIGINT, signal.default_int_handler)
    os.environ.clear()
    os.environ.update(environment)
    os.chdir(folder)
    with TemporaryFile() as given, TemporaryFile() as out, TemporaryFile() as err:
        given.write(stdin.encode())
        given.seek(0)
        for number, file in enumerate((given, out, err)):
            os.dup2(file.fileno(), number)
        sys.stdin, sys.stdout, sys.stderr = (os.fdopen(end, mode, encoding="utf-8") for end, mode in enumerate("rww"))
        code = _run(words)
        sys.stdout.flush()
        sys.stderr.flush()
        atexit._run_exitfuncs()
        written = []
        for file in (out, err):
            file.seek(0)
            written.append(file.read().decode())
        put(answers, pickled((code, *written)))
        answers.flush()
