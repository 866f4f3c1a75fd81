"""Connections: deadlines for what comes in, a bound on how many there are, one length for each body.

Whoever sends a byte now and then, reads nothing, or holds many connections idle is let go of, so that others get in.
Not here: what becomes of a request (`front`).
"""

from __future__ import annotations

import asyncio
import contextlib
import resource
from collections import Counter
from collections.abc import Callable, Mapping
from typing import Any, Protocol

from uvicorn.protocols.http.httptools_impl import STATUS_LINE, HttpToolsProtocol

# Seconds for the head of a request, and for a body that comes slowly; bytes a second that a body must come at least.
HEAD_WITHIN = 10.0
BODY_WITHIN = 30.0
LEAST_RATE = 2_000
# A connection that nothing is asked on, or whose answer nobody reads.
IDLE_FOR = 75
UNREAD_FOR = 60.0
# Connections from one address, and in all; so many that only wait are let go of when there are more.
MOST_OF_ADDRESS = 256
MOST_CONNECTIONS = 1_024
LET_GO = 16
# Files that the service has open beside them: both databases with their logs, pipes, what is being read; and however
# few the system allows, so many connections.
OTHER_FILES, LEAST_CONNECTIONS = 256, 16
# Bytes of a request's line and headers together, and of what may follow a chunked body.
LONGEST_HEAD = 64 * 1024

# A status; returns headers and body of the answer to what could not be taken in.
Refusal = Callable[[int], tuple[list[tuple[str, str]], bytes]]


# Status, headers with their names in small letters, body.
Whole = tuple[int, list[tuple[bytes, bytes]], bytes]


class Direct(Protocol):
    """Answers small requests that are whole without a task for each: that costs more than answering them."""

    def may_take(self, scope: Mapping[str, Any]) -> bool:
        """Tell whether a request is one of these, by its head."""
        ...

    def take(
        self,
        scope: Mapping[str, Any],
        body: bytes,
        loop: asyncio.AbstractEventLoop,
        send: Callable[[Whole], None],
    ) -> bool:
        """Have it answered by `send`, once and in the loop's thread; False leaves it to a task."""
        ...


class _TooLong(ValueError):
    """The head of a request is too long."""


def room_for_connections() -> int:
    """Return how many connections there may be; where the system allows it, this process may have as many files open.

    Where it does not, fewer connections are better than a database that cannot be opened.
    """
    wanted = MOST_CONNECTIONS + OTHER_FILES
    allowed, most = resource.getrlimit(resource.RLIMIT_NOFILE)
    if allowed != resource.RLIM_INFINITY and allowed < wanted:
        allowed = wanted if most == resource.RLIM_INFINITY else min(wanted, most)
        resource.setrlimit(resource.RLIMIT_NOFILE, (allowed, most))
    left = MOST_CONNECTIONS if allowed == resource.RLIM_INFINITY else allowed - OTHER_FILES
    return max(min(left, MOST_CONNECTIONS), LEAST_CONNECTIONS)


class Connections:
    """The connections of one server, and what each may do; as many as `room_for_connections` says."""

    def __init__(self, refusal: Refusal) -> None:
        self.refusal = refusal
        self._most = room_for_connections()
        self._all: dict[Connection, None] = {}
        self._of: Counter[str] = Counter()

    def __len__(self) -> int:
        return len(self._all)

    def came(self, one: Connection) -> None:
        """Take a connection in; when there are too many, those go that only wait, this one too if there are none."""
        if len(self._all) >= self._most:
            self._let_go([each for each in self._all if each.waits])
            if len(self._all) >= self._most:
                one.drop()
                return
        self._all[one] = None
        self._of[one.address] += 1
        if self._of[one.address] > MOST_OF_ADDRESS:
            self._let_go([each for each in self._all if each.address == one.address and each is not one and each.waits])

    def went(self, one: Connection) -> None:
        """Forget a connection."""
        if one not in self._all:
            return
        del self._all[one]
        self._of[one.address] -= 1
        if not self._of[one.address]:
            del self._of[one.address]

    def _let_go(self, waiting: list[Connection]) -> None:
        # The ones first that have sent nothing for longest, then those that have been sending for longest.
        waiting.sort(key=lambda each: (each.began is not None, each.began or each.heard))
        for each in waiting[:LET_GO]:
            each.drop()
            self.went(each)

    def look(self, now: float) -> None:
        """Let go of every connection that has had the time that it may have."""
        for each in list(self._all):
            if each.overdue(now):
                each.drop()


class Connection(HttpToolsProtocol):
    """A connection; knows since when it has been sending the request that is not whole yet.

    Attributes
    ----------
    began
        When the request began that is still being sent; None between requests. On the loop's clock, in seconds.
    heard
        When something came last.
    """

    among: Connections
    # None where what the server knows of a request is not all that there is: behind a proxy.
    direct: Direct | None = None
    transport: Any
    cycle: Any

    def __init__(self, *args: Any, **named: Any) -> None:
        super().__init__(*args, **named)
        self.began: float | None = None
        self.heard = self.loop.time()
        self.address = ""
        self._in_head = False
        self._raw = self._head = self._after = self._body = 0
        self._unread: tuple[int, float] = (0, 0.0)
        # The request that is answered directly, and who answers it otherwise.
        self._whole: tuple[Any, Any] | None = None

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        """Take it in, if there is room."""
        super().connection_made(transport)  # type: ignore[arg-type]
        self.address = self.client[0] if self.client else ""
        self.among.came(self)

    def connection_lost(self, exc: Exception | None) -> None:
        """Forget it."""
        self.among.went(self)
        super().connection_lost(exc)

    def drop(self) -> None:
        """End it at once, whatever was still to be sent."""
        self.transport.abort()

    def shutdown(self) -> None:
        """End it once what was asked is answered; what is not whole yet was not asked."""
        if self._answering:
            super().shutdown()
        else:
            self.transport.close()

    @property
    def waits(self) -> bool:
        """Whether nothing that it asked is being answered."""
        return not self._answering and not self.transport.get_write_buffer_size()

    @property
    def _answering(self) -> bool:
        """Whether a request that is whole has not been answered."""
        return self.cycle is not None and not self.cycle.response_complete and not self.cycle.more_body

    def overdue(self, now: float) -> bool:
        """Tell whether it has had the time that it may have."""
        unsent = self.transport.get_write_buffer_size()
        before, since = self._unread
        if not unsent or unsent != before:
            self._unread = (unsent, now)
        elif now - since > UNREAD_FOR:
            return True
        if self.began is None:
            return not self._answering and not unsent and now - self.heard > IDLE_FOR
        if self.flow.read_paused:
            # It is we who do not listen.
            return False
        if self._in_head:
            return now - self.began > HEAD_WITHIN
        return now - self.began > BODY_WITHIN + self._body / LEAST_RATE

    def data_received(self, data: bytes) -> None:
        """Read on; what is no request is told so, and read no further."""
        self.heard = self.loop.time()
        super().data_received(data)
        if self._in_head and not self.transport.is_closing():
            # Of a line that is not whole nothing has been counted.
            self._raw += len(data)
            if self._raw > LONGEST_HEAD:
                self.send_400_response("too long")

    def on_message_begin(self) -> None:
        """Begin a request."""
        super().on_message_begin()
        self.began, self._in_head = self.loop.time(), True
        self._raw = self._head = self._after = self._body = 0

    def on_header(self, name: bytes, value: bytes) -> None:
        """Take a header in; one that comes behind the body counts for nothing."""
        # With colon, blank and the end of the line.
        size = len(name) + len(value) + 4
        if self._in_head:
            super().on_header(name, value)
            self._head += size
        else:
            self._after += size
        if max(self._head, self._after) > LONGEST_HEAD:
            raise _TooLong

    def on_headers_complete(self) -> None:
        """Have the request looked at, before its body is there."""
        if sum(name == b"host" for name, _ in self.headers) > 1:
            # RFC 9112, section 3.2: another server on the way may read the other one.
            raise ValueError("two hosts")
        self._in_head = False
        super().on_headers_complete()
        if self.parser.should_upgrade():
            # To nothing that is spoken here: what follows would not be read as it is meant.
            self.cycle.keep_alive = False

    def on_body(self, body: bytes) -> None:
        """Take a piece of the body in."""
        self._body += len(body)
        super().on_body(body)

    def on_message_complete(self) -> None:
        """End a request."""
        self.began = None
        super().on_message_complete()
        if self._whole is not None and self._whole[0] is self.cycle:
            self._take()

    def _start_asgi_task(self, cycle: Any, app: Any) -> None:
        """Begin with a request whose turn it is; it may have come whole while others were answered."""
        usual = self.direct is None or cycle.waiting_for_100_continue or not cycle.keep_alive
        # Who does not read their answers waits with a task, until they do.
        if usual or self.flow.write_paused or not self.direct.may_take(cycle.scope):  # type: ignore[union-attr]
            super()._start_asgi_task(cycle, app)
            return
        self._whole = (cycle, app)
        if not cycle.more_body:
            self._take()

    def _take(self) -> None:
        """Have the request answered that is whole."""
        assert self._whole is not None
        assert self.direct is not None
        (cycle, app), self._whole = self._whole, None

        def send(whole: Whole) -> None:
            if not cycle.disconnected:
                self._send_whole(cycle, whole)

        # What goes wrong goes wrong again in a task, where it is told.
        with contextlib.suppress(Exception):
            if self.direct.take(cycle.scope, bytes(cycle.body), self.loop, send):
                return
        super()._start_asgi_task(cycle, app)

    def _send_whole(self, cycle: Any, whole: Whole) -> None:
        """Send an answer in one piece, and leave the connection as uvicorn's own way leaves it."""
        status, headers, body = whole
        lines = [b"%b: %b\r\n" % header for header in (*cycle.default_headers, *headers)]
        closing = b"\r\n" if cycle.keep_alive else b"connection: close\r\n\r\n"
        self.transport.write(b"".join([STATUS_LINE[status], *lines, closing, body]))
        cycle.response_started = cycle.response_complete = True
        cycle.message_event.set()
        if not cycle.keep_alive:
            self.transport.close()
        cycle.on_response()
        cycle.on_response = _nothing

    def send_400_response(self, msg: str) -> None:
        """Answer bytes that are no HTTP request with a problem document, unless another's answer is under way."""
        if self._answering:
            # The request before it gets its answer, and nothing comes after that.
            self.cycle.keep_alive = False
            self.pipeline.clear()
            self.flow.pause_reading()
            return
        if self.cycle is not None and self.cycle.response_started and not self.cycle.response_complete:
            self.drop()
            return
        status = 431 if max(self._raw, self._head, self._after) > LONGEST_HEAD else 400
        headers, body = self.among.refusal(status)
        lines = [f"{name}: {value}\r\n".encode("latin-1") for name, value in headers]
        last = [b"Connection: close\r\nContent-Length: %d\r\n\r\n" % len(body), body]
        self.transport.write(b"".join([STATUS_LINE[status], *lines, *last]))
        self.transport.close()


def _nothing() -> None:
    """What is done after an answer has been sent."""
