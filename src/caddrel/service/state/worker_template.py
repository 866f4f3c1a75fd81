"""A process that has read our modules, of which those that work for this one are made: each begins in milliseconds.

To start Python and to read what a check or a proof needs takes most of a second of a processor. A copy of a process
that has read it takes next to nothing, and shares its memory. Such a process may have one thread only (POSIX.1-2017,
fork): this one starts none, opens nothing and does nothing else. It ends with the process that it works for, as its
copies do, also when that is killed.
Not here: what is said through the pipes (`state.pipes`), and what copies do (`state.worker_process`,
`signins.reader_process`).
"""

from __future__ import annotations

import atexit
import contextlib
import gc
import importlib
import os
import select
import signal
import socket
import subprocess
import sys
import threading
import traceback
from collections.abc import Mapping
from types import MappingProxyType
from typing import BinaryIO

from caddrel.core.garbage import collect_seldom

# Bytes of a question: names of modules.
_MOST = 4096
# Libraries that would start a thread for each processor as soon as they are read.
_ONE_THREAD = {"OPENBLAS_NUM_THREADS": "1"}


class Begun:
    """A process that works for this one, with pipes to and from it.

    Attributes
    ----------
    stdin, stdout
        What it is told, and what it tells.
    """

    def __init__(self, pid: int, handle: int, stdin: BinaryIO, stdout: BinaryIO) -> None:
        self.pid, self.stdin, self.stdout = pid, stdin, stdout
        # Stands for this process and no other, also when it has ended and its number is given to another.
        self._handle: int | None = handle
        # Held while the handle is used: it may be waited for in one thread and killed in another.
        self._using = threading.Lock()

    def kill(self) -> None:
        """End it at once, if it has not ended."""
        with self._using, contextlib.suppress(ProcessLookupError):
            if self._handle is not None:
                signal.pidfd_send_signal(self._handle, signal.SIGKILL)

    def has_ended(self, within: float | None = 0.0) -> bool:
        """Tell whether it has ended, or does so within these seconds; within any, when none are given."""
        if self._handle is None:
            return True
        ended = select.poll()
        ended.register(self._handle, select.POLLIN)
        return bool(ended.poll(None if within is None else within * 1000))

    def end(self) -> None:
        """End it, and return when it has ended and nothing of it is left here."""
        self.kill()
        for end in (self.stdin, self.stdout):
            # What still waits to be told is told to nobody.
            with contextlib.suppress(OSError):
                end.close()
        self.has_ended(None)
        with self._using:
            handle, self._handle = self._handle, None
            if handle is not None:
                os.close(handle)


class Template:
    """The process that others are copies of; started when it is first needed, and anew when it is gone.

    Parameters
    ----------
    environment
        Variables that it has besides.
    """

    def __init__(self, environment: Mapping[str, str] = MappingProxyType({})) -> None:
        self._environment = environment
        self._process: subprocess.Popen[bytes] | None = None
        self._control: socket.socket | None = None
        self._asking = threading.Lock()
        atexit.register(self.end)

    def begin(self, module: str, reads: str = "") -> Begun:
        """Start the ``main`` of one of our modules in a process of its own.

        Parameters
        ----------
        reads
            A module that it will read, if one is known: what has been read once is read for all that come after.

        Raises
        ------
        OSError
            When none can be had.
        """
        its_input, to_it = os.pipe()
        from_it, its_output = os.pipe()
        try:
            with self._asking:
                answer, handles = self._asked(f"{module} {reads}".encode(), [its_input, its_output])
            if not handles:
                raise OSError(answer)
        except BaseException:
            os.close(to_it)
            os.close(from_it)
            raise
        finally:
            os.close(its_input)
            os.close(its_output)
        return Begun(int(answer), handles[0], os.fdopen(to_it, "wb"), os.fdopen(from_it, "rb"))

    def _asked(self, question: bytes, ends: list[int]) -> tuple[str, list[int]]:
        try:
            return self._exchange(question, ends)
        except OSError:
            # It may have ended since, as any process may.
            self.end()
            return self._exchange(question, ends)

    def _exchange(self, question: bytes, ends: list[int]) -> tuple[str, list[int]]:
        control = self._control or self._start()
        socket.send_fds(control, [question], ends)
        answer, handles, _, _ = socket.recv_fds(control, _MOST, 1)
        if not answer:
            raise BrokenPipeError
        for handle in handles:
            os.set_inheritable(handle, False)
        return answer.decode(), handles

    def _start(self) -> socket.socket:
        control, its_end = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        with its_end:
            # Never a package that happens to lie in the folder where the service was started.
            words = [sys.executable, "-P", "-m", "caddrel.service.state.worker_template"]
            environment = {**os.environ, **_ONE_THREAD, **self._environment}
            self._control = control
            self._process = subprocess.Popen(  # noqa: S603 - our own
                words, stdin=its_end.fileno(), stdout=subprocess.DEVNULL, env=environment
            )
        return control

    def end(self) -> None:
        """Have it end; its copies go on for as long as they are asked."""
        if self._control is not None:
            self._control.close()
            self._control = None
        if self._process is not None:
            self._process.wait()
            self._process = None


TEMPLATE = Template()


def _read(names: list[str]) -> None:
    for name in names:
        importlib.import_module(name)
    # What stands is not looked through for circles in every copy: it would be copied by being looked at.
    gc.freeze()


def _be_copy(module: str, ends: list[int]) -> None:
    signal.signal(signal.SIGCHLD, signal.SIG_DFL)
    signal.pthread_sigmask(signal.SIG_UNBLOCK, {signal.SIGCHLD})
    for number, end in enumerate(ends):
        os.dup2(end, number)
        os.close(end)
    sys.modules[module].main()


def _copied(control: socket.socket, module: str, ends: list[int]) -> tuple[int, int]:
    """Return the number of a copy that has begun, and its handle."""
    # Until its handle is open nobody is told that it has ended, so its number is given to no other.
    signal.pthread_sigmask(signal.SIG_BLOCK, {signal.SIGCHLD})
    try:
        pid = os.fork()
        if not pid:
            code = 1
            try:
                control.close()
                _be_copy(module, ends)
                code = 0
            except BaseException:  # noqa: BLE001 - nothing of the process that it was copied from may go on in it
                traceback.print_exc()
            finally:
                os._exit(code)
        return pid, os.pidfd_open(pid)
    finally:
        signal.pthread_sigmask(signal.SIG_UNBLOCK, {signal.SIGCHLD})


def _let_go(*_: object) -> None:
    """Let go of copies that have ended."""
    with contextlib.suppress(ChildProcessError):
        while os.waitpid(-1, os.WNOHANG)[0]:
            pass


def main() -> None:
    """Be the process that others are copies of."""
    # The one that is served decides when to stop.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    signal.signal(signal.SIGCHLD, _let_go)
    control = socket.socket(fileno=os.dup(0))
    collect_seldom()
    while True:
        question, ends, _, _ = socket.recv_fds(control, _MOST, 2)
        if not question:
            return
        handles: list[int] = []
        try:
            module, *others = question.decode().split()
            _read([module, *others])
            pid, handle = _copied(control, module, ends)
            handles, answer = [handle], str(pid)
        except Exception as failed:  # noqa: BLE001 - told where it is waited for
            answer = f"no process of {question.decode()}: {failed}"
        for end in ends:
            os.close(end)
        with contextlib.suppress(BrokenPipeError):
            socket.send_fds(control, [answer.encode()[:_MOST]], handles)
        for handle in handles:
            os.close(handle)


if __name__ == "__main__":
    main()
