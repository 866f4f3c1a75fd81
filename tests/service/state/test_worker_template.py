"""Processes that work for the service are copies of one: each is its own, and nothing is left of any."""

from __future__ import annotations

import signal
import subprocess
import sys
from collections.abc import Iterator
from functools import partial
from operator import methodcaller
from pathlib import Path
from typing import Any

import pytest
from tests.conftest import Live, at_once, until

from caddrel.service.proving.proof_jobs import SOLVING
from caddrel.service.state.pipes import got, pickled, put
from caddrel.service.state.worker_process import WorkerProcess
from caddrel.service.state.worker_template import Begun, Template

WORKER = "caddrel.service.state.worker_process"
# All endpoints and what is read for proofs alone, and so all that is ever done in such a process.
READ = ["caddrel.service.app", SOLVING]


@pytest.fixture
def template() -> Iterator[Template]:
    made = Template()
    yield made
    made.end()


def _gone(pid: int) -> bool:
    return not Path(f"/proc/{pid}").exists()


def _asked(begun: Begun, folder: Path, call: str) -> Any:
    put(begun.stdin, pickled((folder, [], None)))
    put(begun.stdin, pickled(("do", 0, None, methodcaller(call), (), {})))
    begun.stdin.flush()
    return got(begun.stdout)


def test_each_copy_is_a_process_of_its_own_and_nothing_is_left_of_it(template: Template, empty: Live) -> None:
    begun = at_once(*[lambda: template.begin(WORKER)] * 8)
    assert len({one.pid for one in begun}) == 8
    for one in begun:
        good, told = _asked(one, empty.folder, "clock")
        assert (good, type(told).__name__) == (True, "datetime")
    # Which ones go before others, and how, changes nothing for those.
    begun[0].kill()
    begun[1].stdin.close()
    for one in begun[:2]:
        one.has_ended(None)
        until(partial(_gone, one.pid))
    assert not begun[2].has_ended()
    for one in begun:
        one.end()
        # Of one that is gone, nothing else is ended in its place.
        one.kill()
        assert one.has_ended()


def test_what_is_copied_has_one_thread_whatever_it_has_read(template: Template) -> None:
    for module in READ:
        template.begin(WORKER, module).end()
    assert template._process is not None
    assert len(list(Path(f"/proc/{template._process.pid}/task").iterdir())) == 1
    read = Path(f"/proc/{template._process.pid}/maps").read_text(encoding="utf-8")
    assert "libz3" in read
    assert "numpy" in read


def test_copies_and_what_they_are_copied_from_end_with_the_service() -> None:
    script = (
        "import os, signal\n"
        "from caddrel.service.state.worker_template import TEMPLATE\n"
        f"begun = TEMPLATE.begin({WORKER!r})\n"
        "print(TEMPLATE._process.pid, begun.pid, flush=True)\n"
        "os.kill(os.getpid(), signal.SIGKILL)\n"
    )
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=False)
    assert done.returncode == -signal.SIGKILL
    for pid in done.stdout.split():
        until(partial(_gone, int(pid)))


def test_what_they_are_copied_from_is_begun_anew_when_it_is_gone(template: Template, empty: Live) -> None:
    before = template.begin(WORKER)
    first = template._process
    assert first is not None
    first.kill()
    first.wait()
    after = template.begin(WORKER)
    assert template._process is not first
    # Those that there are go on.
    for one in (before, after):
        assert _asked(one, empty.folder, "clock")
        one.end()


@pytest.mark.parametrize(("module", "reads"), [("no.such.module", ""), (WORKER, "no.such.module")])
def test_what_cannot_be_read_is_told_and_the_next_begins(template: Template, module: str, reads: str) -> None:
    template.begin(WORKER).end()
    first = template._process
    with pytest.raises(OSError, match="No module named 'no'"):
        template.begin(module, reads)
    template.begin(WORKER).end()
    assert template._process is first


def test_a_copy_has_no_ends_of_others(template: Template, empty: Live) -> None:
    process, other = (WorkerProcess(empty.folder, None, 0) for _ in range(2))
    try:
        for one in (process, other):
            assert one.do(1, methodcaller("clock"), empty.data) == empty.clock()
        begun = other._process
        assert begun is not None
        pipes = [str(each.readlink()) for each in Path(f"/proc/{begun.pid}/fd").iterdir()]
        # Its input, its output and a copy of each.
        assert len([each for each in pipes if each.startswith("pipe:")]) <= 4
        assert not [each for each in pipes if each.startswith("socket:")]
    finally:
        process.stop()
        other.stop()
