"""A process of its own for what takes long and changes nothing: checks of large rulebooks, long exports.

All threads of one process share one interpreter: whoever computes long makes every decision wait at each of its steps.
The other process looks things up in the same files, for itself, and gives way to this one on the processor. It begins
when it is first needed, goes on for as long as there is something to do now and then, and ends with this one, also when
this one is killed.
Not here: reading a log that is imported (`signins.reader_process`), how much may be asked for at once
(`http.work_limits`).
"""

from __future__ import annotations

import contextlib
import os
import resource
import select
import signal
import threading
import traceback
from collections.abc import Callable, Iterable, Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, BinaryIO, Concatenate, ParamSpec, TypeVar, cast

from caddrel.core.diagnostics import RulebookError
from caddrel.core.facts.attempts import AttemptRefused
from caddrel.core.rulebook.edit.limits import LimitRefused
from caddrel.service.problems import ServiceError
from caddrel.service.state.address_data import AddressData
from caddrel.service.state.context import State
from caddrel.service.state.pipes import give_way, got, pickled, put
from caddrel.service.state.worker_template import TEMPLATE, Begun
from caddrel.store.engine import Database
from caddrel.store.inventory import InventoryStore
from caddrel.store.log_seal import LogSeal
from caddrel.store.revisions import RevisionStore
from caddrel.store.signins import SigninStore

# Seconds without anything to do after which the process ends, and its memory is free.
IDLE_FOR = 600.0
# Bytes of a long answer that come at a time.
PIECE = 64 * 1024
# What the table of errors has words for; anything else is told as having gone wrong inside.
_EXPECTED = (ServiceError, RulebookError, AttemptRefused, LimitRefused, RecursionError, OSError)

P = ParamSpec("P")
T = TypeVar("T")


class WorkerFailed(Exception):
    """What was done there went wrong inside; holds where."""


class GivenUp(Exception):
    """Nobody wants any more what was asked for."""


class Wish:
    """Something asked for, until it is given up."""

    def __init__(self) -> None:
        self.given_up = False


class WorkerProcess:
    """The other process, which does one thing at a time; one that has ended is begun anew.

    Parameters
    ----------
    folder, addresses
        What it looks things up in.
    most_here
        What is no larger than this is done here: to be handed over takes longer than to be done.
    memory
        Bytes that it may have; None where what it does is bounded otherwise.
    reads
        A module that it will need, where what it does reads one that is not read here.
    """

    def __init__(
        self, folder: Path, addresses: AddressData | None, most_here: int, memory: int | None = None, reads: str = ""
    ) -> None:
        self._given = (folder, [] if addresses is None else addresses.paths, memory)
        self._most_here = most_here
        self._reads = reads
        self._process: Begun | None = None
        self._stopped = False
        self._streams = 0
        # Held while it does one thing; and while one thing is done here.
        self._there, self._here = threading.Lock(), threading.Lock()
        # What it is doing now, if somebody may give that up.
        self._wish: Wish | None = None
        self._wishing = threading.Lock()

    def is_for(self, size: int) -> bool:
        """Tell whether something of a size is to be done there."""
        return size > self._most_here

    def do(
        self,
        size: int,
        function: Callable[Concatenate[State, P], T],
        state: State,
        *args: P.args,
        **named: P.kwargs,
    ) -> T:
        """Return what a function of one of our modules gives, computed here or there.

        Parameters
        ----------
        size
            Of what is computed with, by which it is chosen where.
        function
            Is handed the state, and changes nothing.

        Raises
        ------
        ServiceError, RulebookError, AttemptRefused
            As the function does; or when the process ended.
        """
        if not self.is_for(size):
            with self._here:
                return function(state, *args, **named)
        return cast("T", self._ask("do", state.clock(), function, args, named))

    def do_wished(
        self,
        wish: Wish,
        function: Callable[Concatenate[State, P], T],
        state: State,
        *args: P.args,
        **named: P.kwargs,
    ) -> T:
        """Return what a function gives there, as `do` does, unless it is given up.

        Raises
        ------
        GivenUp
            When it is.
        """
        return cast("T", self._ask("do", state.clock(), function, args, named, wish=wish))

    def give_up(self, wish: Wish) -> None:
        """Have something that was asked for be left; if it is being done, by ending the process that does it."""
        with self._wishing:
            wish.given_up = True
            process = self._process
            if self._wish is wish and process is not None:
                process.kill()

    def pieces(
        self,
        function: Callable[Concatenate[State, P], Iterable[bytes]],
        now: datetime,
        *args: P.args,
        **named: P.kwargs,
    ) -> Pieces:
        """Return the pieces that a function yields there, as they are asked for; many small ones come together."""
        with self._there:
            self._streams += 1
            number = self._streams
        self._ask("begin", now, function, args, named, number)
        return Pieces(self, number)

    def piece(self, number: int) -> bytes:
        """Return the next piece of a stream that was begun, empty at its end."""
        return cast("bytes", self._ask("next", None, None, (), {}, number))

    def end(self, number: int) -> None:
        """Let go of a stream; one that is gone with its process is let go of already."""
        with contextlib.suppress(ServiceError):
            self._ask("end", None, None, (), {}, number)

    def stop(self) -> None:
        """Kill the process, even while it works on a task."""
        self._stopped = True
        while not self._there.acquire(timeout=0.1):
            process = self._process
            if process is not None:
                process.kill()
        try:
            self._forget()
        finally:
            self._there.release()

    def _ask(
        self,
        what: str,
        now: datetime | None,
        function: Callable[..., Any] | None,
        args: tuple[Any, ...],
        named: dict[str, Any],
        number: int = 0,
        wish: Wish | None = None,
    ) -> Any:
        question = pickled((what, number, now, function, args, named))
        # What is begun here may be begun anew: it changes nothing. What it was in the middle of is lost.
        fresh = what in {"do", "begin"}
        with self._there, self._wished(wish):
            try:
                good, answer = self._exchange(question, function, fresh=fresh)
            except (OSError, EOFError):
                # It had nothing to do for long, and ended at this moment; or what it did was given up.
                self._forget()
                if wish is not None and wish.given_up:
                    raise GivenUp from None
                good, answer = self._exchange_at_last(question, function, fresh=fresh)
        if not good:
            raise WorkerFailed(answer) if isinstance(answer, str) else answer
        return answer

    @contextlib.contextmanager
    def _wished(self, wish: Wish | None) -> Iterator[None]:
        with self._wishing:
            if wish is not None and wish.given_up:
                raise GivenUp
            self._wish = wish
        try:
            yield
        finally:
            with self._wishing:
                self._wish = None

    def _exchange_at_last(
        self, question: bytes, function: Callable[..., Any] | None, *, fresh: bool
    ) -> tuple[bool, Any]:
        try:
            return self._exchange(question, function, fresh=fresh)
        except (OSError, EOFError) as error:
            self._forget()
            hint = "try again; if it happens again, tell whoever runs the service"
            raise ServiceError(503, "worker-ended", "the process that did this ended", hint) from error

    def _exchange(self, question: bytes, function: Callable[..., Any] | None, *, fresh: bool) -> tuple[bool, Any]:
        if self._process is None:
            if self._stopped or not fresh:
                raise EOFError
            # What it computes with is read where it is copied from.
            reads = self._reads or getattr(function, "__module__", None) or ""
            self._process = TEMPLATE.begin("caddrel.service.state.worker_process", reads)
            put(self._process.stdin, pickled(self._given))
        put(self._process.stdin, question)
        self._process.stdin.flush()
        good, answer = got(self._process.stdout)
        return bool(good), answer

    def _forget(self) -> None:
        process, self._process = self._process, None
        if process is not None:
            process.end()


class Pieces:
    """The pieces of one stream; whoever wanted them may go before the end, and before the first.

    Not a generator: to close one that was never begun does nothing, and the log would be held open there for good.
    """

    def __init__(self, process: WorkerProcess, number: int) -> None:
        self._process, self._number = process, number
        self._open = True

    def __iter__(self) -> Pieces:
        """Return itself."""
        return self

    def __next__(self) -> bytes:
        """Return the next piece."""
        piece = self._process.piece(self._number) if self._open else b""
        if not piece:
            self.close()
            raise StopIteration
        return piece

    def close(self) -> None:
        """Let go of the stream, once."""
        if self._open:
            self._open = False
            self._process.end(self._number)


def _open(folder: Path, address_files: list[Path]) -> tuple[State, list[datetime]]:
    """Return what things are looked up in, and the moment that its clock tells."""
    book = Database(folder / "book.sqlite", "book", poll=0)
    log = Database(folder / "signins.sqlite", "log", poll=0)
    now = [datetime.now(UTC)]
    state = State(
        revisions=RevisionStore(book),
        inventory=InventoryStore(book),
        # Nothing is written here, so nothing is sealed.
        signins=SigninStore(log, LogSeal(b"")),
        clock=lambda: now[0],
        folder=folder,
        addresses=AddressData(address_files) if address_files else None,
    )
    return state, now


def _gathered(pieces: Iterator[bytes]) -> bytes:
    """Return the next pieces as one, empty at the end; an empty piece has those before it sent at once."""
    found: list[bytes] = []
    size = 0
    for piece in pieces:
        if not piece and found:
            break
        found.append(piece)
        size += len(piece)
        if size >= PIECE:
            break
    return b"".join(found)


def _work(questions: BinaryIO, answers: BinaryIO) -> None:
    folder, address_files, memory = got(questions)
    if memory is not None:
        resource.setrlimit(resource.RLIMIT_AS, (memory, memory))
    state, clock = _open(folder, address_files)
    streams: dict[int, Iterator[bytes]] = {}
    while select.select([questions], [], [], IDLE_FOR)[0] or streams:
        what, number, now, function, args, named = got(questions)
        clock[0] = now or clock[0]
        good, answer, spent = True, None, False
        try:
            if what == "do":
                answer = function(state, *args, **named)
            elif what == "begin":
                streams[number] = iter(function(state, *args, **named))
            elif what == "next":
                answer = _gathered(streams[number])
            else:
                close = getattr(streams.pop(number, None), "close", None)
                if close is not None:
                    close()
        except _EXPECTED as refused:
            good, answer = False, refused
        except MemoryError:
            # What of it can still be used nobody knows: another process begins with all of it.
            hint = "ask about less at once: one guarantee, one safeguard, one policy"
            too_much = ServiceError(503, "out-of-memory", "this takes more memory than one question may have", hint)
            good, answer, spent = False, too_much, True
        except Exception as failed:  # noqa: BLE001 - told where the answer is waited for
            # In words: the other process may not know how to make it again.
            good, answer = False, "".join(traceback.format_exception(failed))
        put(answers, pickled((good, answer)))
        answers.flush()
        if spent:
            return


def main() -> None:
    """Be the other process."""
    # The one that is served decides when to stop.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    give_way()
    answers = os.fdopen(os.dup(1), "wb")
    # Whatever else is said goes where errors go.
    os.dup2(2, 1)
    # Nobody asks any more.
    with contextlib.suppress(BrokenPipeError, EOFError):
        _work(os.fdopen(os.dup(0), "rb", buffering=0), answers)


if __name__ == "__main__":
    main()
