"""Reading a long log in a process of its own, while this one decides what has been read.

The other process is handed what completing needs, and then the stream; it gives back attempts, many at a time. What
attempts have in common it gives once. It knows no data folder and stores nothing: when it ends early, the import ends
with it, and nothing is half-stored. It ends when its end of the stream is closed, also when this process is killed.
"""

from __future__ import annotations

import contextlib
import fcntl
import gc
import os
import select
import signal
import sys
import threading
from collections.abc import Callable, Iterator, Sequence
from datetime import datetime
from itertools import repeat
from operator import attrgetter
from pathlib import Path
from types import TracebackType
from typing import Any, BinaryIO, Self

import msgspec
import structlog

from caddrel.core.columnar.attempt import Bundle, Bundled
from caddrel.core.inventory.index import Inventory
from caddrel.service.problems import ServiceError
from caddrel.service.signins.completer import Completed, Completing, Terms
from caddrel.service.signins.line_reader import Source
from caddrel.service.signins.line_stream import PIECE, LineReader, Place, Readable
from caddrel.service.state.address_data import AddressData
from caddrel.service.state.pipes import get, give_way, got, pickled, put, unpickled
from caddrel.service.state.worker_template import TEMPLATE, Begun

# Bytes that may be on their way in each direction: a few pieces, so that neither process waits for the other.
ON_THEIR_WAY = 1024 * 1024
# Entries of the inventory that are handed over at once: other threads are to come in between.
AT_ONCE = 2_000
# So many bundles are remembered on both sides before both forget them.
MOST_REMEMBERED = 150_000
_log = structlog.get_logger("caddrel.import")
# Numbers of kinds begin here, far from those that the importing process gives.
FIRST = 1 << 40
_READY, _END = b"ready", b"end"


class Apart:
    """The other process; as a context it is gone at its end, whatever it was doing."""

    def __init__(
        self, source: Source, terms: Sequence[Terms], inventory: Inventory, addresses: AddressData | None
    ) -> None:
        self._source = source
        self._terms = terms
        self._inventory = inventory
        self._addresses = addresses
        self._process: Begun | None = None
        self._feeder: threading.Thread | None = None
        self._failed: Exception | None = None
        self._ready = self._lost = False

    def __enter__(self) -> Self:
        """Begin; the process is started when it is asked for first."""
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        """End the process."""
        if self._process is not None:
            self._process.end()
        if self._feeder is not None:
            self._feeder.join()

    def is_ready(self) -> bool:
        """Tell whether the process can begin to read; the first time this is asked, it is started.

        One that cannot be had is never ready.
        """
        if self._process is None and not self._lost:
            self._start()
        if not self._ready and not self._lost and self._has_answer():
            self._ready = get(self._answers) == _READY
            self._lost = not self._ready
            if self._lost:
                _log.error("apart.lost")
        return self._ready

    def _has_answer(self) -> bool:
        """Tell whether there is something to read, if only that it has ended."""
        waiting = select.poll()
        waiting.register(self._answers, select.POLLIN)
        return bool(waiting.poll(0))

    def _start(self) -> None:
        try:
            self._process = TEMPLATE.begin("caddrel.service.signins.reader_process")
        except OSError as error:
            self._lost = True
            _log.error("apart.lost", exc_info=error)
            return
        for end in (self._process.stdin, self._process.stdout):
            _widen(end)
        self._feed(self._hand_over)

    def _feed(self, work: Callable[..., None], *args: Any) -> None:
        self._feeder = threading.Thread(target=work, args=args, name="caddrel-apart")
        self._feeder.start()

    def _hand_over(self) -> None:
        paths = [] if self._addresses is None else self._addresses.paths
        # Of a process that has ended, or is told to, the answers tell.
        with contextlib.suppress(OSError, ValueError):
            put(self._questions, pickled((self._source, self._terms, paths)))
            for part in self._inventory.parts(AT_ONCE):
                put(self._questions, pickled(part))
            put(self._questions, pickled(None))
            self._questions.flush()

    @property
    def _questions(self) -> BinaryIO:
        assert self._process is not None
        return self._process.stdin

    @property
    def _answers(self) -> BinaryIO:
        assert self._process is not None
        return self._process.stdout

    def pieces(self, stream: Readable, lines: LineReader) -> Iterator[Completed]:
        """Yield what the process makes of the rest of a stream, once it is ready.

        Parameters
        ----------
        lines
            Of the stream: how far it was read here.

        Raises
        ------
        ServiceError
            When the stream cannot be read on, after what came before; or when the process ends early.
        """
        assert self._feeder is not None
        self._feeder.join()
        self._feed(self._pass_on, stream, lines.place)
        received = _Received(self._inventory)
        while (answer := self._answer()) != _END:
            yield received.piece(answer)
        self._feeder.join()
        if self._failed is not None:
            raise self._failed

    def _pass_on(self, stream: Readable, place: Place) -> None:
        questions = self._questions
        with contextlib.suppress(OSError, ValueError):
            put(questions, pickled(place))
            for block in self._blocks(stream):
                put(questions, block)
        with contextlib.suppress(OSError, ValueError):
            questions.close()

    def _blocks(self, stream: Readable) -> Iterator[bytes]:
        """Yield what can be read, an empty block at the end; what stops the reading is raised by the other thread."""
        try:
            while block := stream.read(PIECE):
                yield block
        except Exception as failed:  # noqa: BLE001 - raised again where the answers are read
            self._failed = failed
        else:
            yield b""

    def _answer(self) -> bytes:
        answer = get(self._answers)
        if answer is None:
            hint = "what was read before is stored; send it again, what is there already is passed over"
            raise ServiceError(500, "reading-ended", "the process that reads the log ended early", hint)
        return answer


class _Blocks:
    """The stream at its other end.

    Raises
    ------
    EOFError
        While reading, when it could not be read to its end.
    """

    def __init__(self, questions: BinaryIO) -> None:
        self._questions = questions

    def read(self, _size: int, /) -> bytes:
        block = get(self._questions)
        if block is None:
            raise EOFError
        return block


class _Piece(msgspec.Struct, array_like=True, gc=False):
    """What goes back of some attempts: what is theirs alone, and by number what they have in common.

    `forget` tells that bundles are numbered anew; `rest` are the bundles that were not sent before, and what was
    refused.
    """

    forget: bool
    rest: bytes
    numbers: list[int]
    ids: list[str]
    references: list[int]
    digests: list[bytes]
    recorded: list[bytes]
    revisions: list[int]
    groups: list[list[int]]
    moments: list[datetime]
    own: list[str]
    ages: list[tuple[float | None, float | None, float | None]]
    methods: list[dict[str, float | None] | None]
    default_ages: list[float | None]
    kinds: list[int]


_encode = msgspec.msgpack.Encoder().encode
_decode = msgspec.msgpack.Decoder(_Piece).decode


class _Received:
    """Puts attempts together again."""

    def __init__(self, inventory: Inventory) -> None:
        self._lists = inventory.lists
        self._bundles: list[Bundle] = []

    def piece(self, answer: bytes) -> Completed:
        piece = _decode(answer)
        fresh, refused = unpickled(piece.rest)
        if piece.forget:
            self._bundles = []
        self._bundles += [Bundle.of(parts, self._lists) for parts in fresh]
        shared = zip(*(map(self._bundles.__getitem__, group) for group in piece.groups), strict=True)
        own = (piece.moments, piece.own, piece.ages, piece.methods, piece.default_ages, repeat(self._lists))
        attempts = list(map(Bundled, shared, *own, piece.kinds))
        return Completed(
            piece.numbers, piece.ids, piece.references, piece.digests, piece.recorded, piece.revisions, attempts,
            refused,
        )  # fmt: skip


class _Sending:
    """Takes attempts apart, to send each bundle once."""

    def __init__(self) -> None:
        self._sent: dict[Bundle, int] = {}

    def answer(self, piece: Completed) -> bytes:
        attempts = piece.attempts
        forget = len(self._sent) > MOST_REMEMBERED
        if forget:
            self._sent.clear()
        fresh: list[Any] = []
        groups = []
        for group in zip(*[attempt.bundles for attempt in attempts], strict=True):
            for bundle in set(group).difference(self._sent):
                self._sent[bundle] = len(self._sent)
                fresh.append(bundle.parts())
            groups.append(list(map(self._sent.__getitem__, group)))
        return _encode(
            (
                forget, pickled((fresh, piece.refused)),
                list(piece.numbers), piece.ids, piece.references, piece.digests, piece.recorded, piece.revisions,
                groups, *(zip(*map(_OF_EACH, attempts), strict=True) if attempts else repeat((), 6)),
            )
        )  # fmt: skip


_OF_EACH = attrgetter("at", "own", "ages", "methods", "default_age", "kind")


def _widen(end: BinaryIO) -> None:
    """Let more bytes be on their way, where the system can."""
    if hasattr(fcntl, "F_SETPIPE_SZ"):
        with contextlib.suppress(OSError):
            fcntl.fcntl(end, fcntl.F_SETPIPE_SZ, ON_THEIR_WAY)


def _work(questions: BinaryIO, answers: BinaryIO) -> None:
    source, terms, paths = got(questions)
    objects: dict[str, list[Any]] = {}
    while (part := got(questions)) is not None:
        objects.setdefault(part[0], []).extend(part[1])
    inventory = Inventory(**objects)
    del objects
    addresses = AddressData([Path(path) for path in paths]) if paths else None
    completing = Completing(source, terms, inventory, addresses, FIRST)
    # All of this lives as long as the process does, and what comes makes no circles.
    gc.freeze()
    gc.disable()
    put(answers, _READY)
    answers.flush()
    sending = _Sending()
    lines = LineReader(_Blocks(questions), source.most, got(questions))
    # Of a line that is cut short nothing is told: what cut it is.
    with contextlib.suppress(EOFError):
        for piece in completing.pieces(lines):
            put(answers, sending.answer(piece))
            answers.flush()
    put(answers, _END)
    answers.flush()


def main() -> None:
    """Be the other process."""
    # The one that is served decides when to stop, and what it decides comes first.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    give_way()
    answers = os.fdopen(os.dup(1), "wb", buffering=ON_THEIR_WAY)
    # Whatever else is said goes where errors go.
    os.dup2(2, 1)
    # The import has ended.
    with contextlib.suppress(BrokenPipeError, EOFError):
        _work(sys.stdin.buffer, answers)


if __name__ == "__main__":
    main()
