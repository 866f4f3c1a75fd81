"""What meets a request first: how much of it is taken in, and who answers: the quick path, or the app in its threads.

An ASGI application (version 3). Not here: connections (`connections`), and what requests mean (`dispatch`).
"""

from __future__ import annotations

import asyncio
import tempfile
import time
from collections import deque
from collections.abc import Awaitable, Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, BinaryIO, Protocol, cast

import structlog

from caddrel.service.http.connections import Refusal
from caddrel.service.http.wsgi import Threads, WsgiRequest

# Bodies up to this are taken from anybody: it is what signing in needs.
SMALL_BODY = 64 * 1024
# Larger ones wait on the disk for their thread.
HELD_IN_MEMORY = 512 * 1024
# What is refused before it was read is still listened to for so long, bytes and seconds, so that its answer arrives.
LISTENED_TO, LISTENING = 8 * 1024 * 1024, 2.0
# Seconds; whoever waits longer for a quick answer is told to ask again.
LONGEST_WAIT = 20.0

_log = structlog.get_logger("caddrel.server")

Scope = Mapping[str, Any]
Receive = Callable[[], Awaitable[Mapping[str, Any]]]
Send = Callable[[Mapping[str, Any]], Awaitable[None]]
# Method, path and headers of a request; returns how many bytes its body may have.
Allowed = Callable[[str, str, Mapping[str, str]], int]
Headers = list[tuple[bytes, bytes]]
# Status, headers, body.
Response = tuple[int, Headers, bytes]


@dataclass(slots=True, eq=False)
class QuickRequest:
    """A request on the quick path, whole.

    Attributes
    ----------
    headers
        By lower-case name.
    send
        Sends its answer; called once, in the thread that waits for everybody.
    answer
        Has it sent, from any thread; of several answers the first counts.
    deadline
        On the loop's clock.
    began
        On `time.perf_counter`.
    """

    path: str
    headers: Mapping[bytes, bytes]
    address: str
    body: bytes
    send: Callable[[Response], None]
    answer: Callable[[QuickRequest, Response], None]
    deadline: float
    began: float = field(default_factory=time.perf_counter)
    answered: bool = False


class Quick(Protocol):
    """Answers requests of one kind without the app's threads."""

    def begin(self, request: QuickRequest) -> bool:
        """Have a request answered later, from any thread, by its `answer`; False leaves it to the app.

        It runs in the thread that waits for everybody, so it waits for nothing.
        """
        ...

    def late(self, request: QuickRequest) -> None:
        """Refuse a request that has waited too long; what comes of it later is told to nobody."""
        ...

    def answered(self, request: QuickRequest, response: Response) -> None:
        """Take note that a request was answered."""
        ...


class Front:
    """Takes requests in.

    Parameters
    ----------
    app, apart
        The threads that answer everything else, and those for requests by their method and path: neither keeps the
        other waiting.
    quick
        Who answers what is asked most, by path.
    largest
        Bytes; no body is larger, whatever `allowed` says.
    """

    def __init__(
        self,
        app: Threads,
        apart: Sequence[tuple[Callable[[str, str], bool], Threads]],
        quick: Mapping[str, Quick],
        allowed: Allowed,
        refusal: Refusal,
        largest: int,
    ) -> None:
        self._app, self._apart, self._quick = app, apart, quick
        self._allowed, self._refusal, self._largest = allowed, refusal, largest
        self._waiting: dict[QuickRequest, Quick] = {}
        self._made: deque[tuple[QuickRequest, Response]] = deque()
        self._due = False
        self._loop: asyncio.AbstractEventLoop | None = None

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Answer a request."""
        try:
            await self._respond(scope, receive, send)
        except Exception as error:
            # The app answers its own failures: this is one of ours.
            _log.error("server.failed", exc_info=error)
            raise

    async def _respond(self, scope: Scope, receive: Receive, send: Send) -> None:
        quick = self._quick.get(scope["path"]) if scope["method"] == "POST" and not scope["query_string"] else None
        headers = _headers(scope)
        most = await self._most(scope, headers)
        body = await self._take_in(headers, receive, most)
        if body is None:
            return
        if isinstance(body, int):
            await self._refuse(body, receive, send)
            return
        if quick is not None and isinstance(body, bytes):
            loop = asyncio.get_running_loop()
            response: asyncio.Future[Response] = loop.create_future()

            def made(whole: Response) -> None:
                if not response.done():
                    response.set_result(whole)

            if self._begin(quick, scope, headers, body, loop, made):
                await _send(send, await response)
                return
        threads = self._threads(scope["method"], scope["path"])
        request = WsgiRequest(scope, headers, body, asyncio.get_running_loop(), receive, send)
        if threads.put(request):
            await request.done
            return
        request.close()
        await self._refuse(503, receive, send)

    def _threads(self, method: str, path: str) -> Threads:
        """Return the threads that answer what is asked of a path."""
        return next((threads for is_for, threads in self._apart if is_for(method, path)), self._app)

    def look(self, now: float) -> None:
        """Tell those who have waited too long that they are to ask again."""
        for request, quick in [each for each in self._waiting.items() if each[0].deadline < now]:
            quick.late(request)

    def stopping(self) -> None:
        """Take note that the service stops: streams end."""
        for threads in (self._app, *(threads for _, threads in self._apart)):
            threads.stopping = True

    def stop(self) -> None:
        """End the threads, once they are done."""
        for threads in (self._app, *(threads for _, threads in self._apart)):
            threads.stop()

    async def _most(self, scope: Scope, headers: Mapping[bytes, bytes]) -> int:
        """Return how many bytes a body may have: more than a little only for whom it is allowed."""
        length = headers.get(b"content-length", b"")
        if b"transfer-encoding" not in headers and (not length or (length.isdigit() and int(length) <= SMALL_BODY)):
            return SMALL_BODY
        named = {
            name.decode("latin-1").upper().replace("-", "_"): value.decode("latin-1") for name, value in headers.items()
        }
        # Elsewhere: to find out who asks may take a while, where an earlier release hashed the token.
        loop = asyncio.get_running_loop()
        most = await loop.run_in_executor(None, self._allowed, scope["method"], scope["path"], named)
        return max(min(most, self._largest), SMALL_BODY)

    async def _take_in(
        self, headers: Mapping[bytes, bytes], receive: Receive, most: int
    ) -> bytes | BinaryIO | int | None:
        """Return a body, the status that refuses it, or None when nobody is there any more."""
        length = headers.get(b"content-length", b"0")
        if length.isdigit() and int(length) > most:
            return 413
        message = await receive()
        if message["type"] != "http.request":
            return None
        first: bytes = message.get("body", b"")
        if not message.get("more_body"):
            return first if len(first) <= most else 413
        held = cast("BinaryIO", tempfile.SpooledTemporaryFile(max_size=HELD_IN_MEMORY))  # noqa: SIM115 - it is handed on
        size = len(first)
        held.write(first)
        while message.get("more_body"):
            message = await receive()
            if message["type"] != "http.request" or size > most:
                held.close()
                return 413 if size > most else None
            piece: bytes = message.get("body", b"")
            size += len(piece)
            held.write(piece)
        if size > most:
            held.close()
            return 413
        held.seek(0)
        if size > SMALL_BODY:
            return held
        with held:
            return held.read()

    def may_take(self, scope: Scope) -> bool:
        """Tell whether a request may be taken whole, without a task of its own: it is small, and asks what most do."""
        if scope["method"] != "POST" or scope["path"] not in self._quick or scope["query_string"]:
            return False
        length = [value for name, value in scope["headers"] if name in _LENGTHS]
        return len(length) == 1 and length[0].isdigit() and int(length[0]) <= SMALL_BODY

    def take(
        self, scope: Scope, body: bytes, loop: asyncio.AbstractEventLoop, send: Callable[[Response], None]
    ) -> bool:
        """Have a request answered that is whole; False leaves it to a task.

        Parameters
        ----------
        send
            Sends the answer, or nothing where nobody is there any more.
        """
        return self._begin(self._quick[scope["path"]], scope, _headers(scope), body, loop, send)

    def _begin(
        self,
        quick: Quick,
        scope: Scope,
        headers: Mapping[bytes, bytes],
        body: bytes,
        loop: asyncio.AbstractEventLoop,
        send: Callable[[Response], None],
    ) -> bool:
        self._loop = loop
        client = scope["client"]

        def sent(response: Response) -> None:
            self._waiting.pop(asked, None)
            try:
                send(response)
            finally:
                quick.answered(asked, response)

        asked = QuickRequest(
            scope["path"], headers, client[0] if client else "", body, sent, self._deliver, loop.time() + LONGEST_WAIT
        )  # fmt: skip
        if quick.begin(asked):
            # Nothing is sent before this is done: answers are handed over to this thread.
            self._waiting[asked] = quick
            return True
        return False

    def _deliver(self, request: QuickRequest, response: Response) -> None:
        """Hand an answer over to the loop, from any thread: many at a time, since they come many at a time."""
        self._made.append((request, response))
        if not self._due and self._loop is not None:
            self._due = True
            try:
                self._loop.call_soon_threadsafe(self._flush)
            except RuntimeError:
                # The server has stopped; whoever asked is gone.
                return

    def _flush(self) -> None:
        # Before the first is taken: whatever is put from now on is told of anew.
        self._due = False
        while self._made:
            request, response = self._made.popleft()
            if request.answered:
                continue
            request.answered = True
            try:
                request.send(response)
            except Exception as error:  # noqa: BLE001 - the others get their answers
                _log.error("server.failed", exc_info=error)

    def _refused(self, status: int) -> Response:
        told, body = self._refusal(status)
        return status, [(name.lower().encode(), value.encode("latin-1")) for name, value in told], body

    async def _refuse(self, status: int, receive: Receive, send: Send) -> None:
        """Refuse a request whose body may still be coming, and let go of the connection."""
        code, headers, body = self._refused(status)
        length = (b"content-length", str(len(body)).encode())
        await send({"type": "http.response.start", "status": code, "headers": [*headers, length, _CLOSE]})
        await send({"type": "http.response.body", "body": body, "more_body": True})
        heard = 0
        try:
            async with asyncio.timeout(LISTENING):
                while heard < LISTENED_TO:
                    message = await receive()
                    if message["type"] != "http.request" or not message.get("more_body"):
                        break
                    heard += len(message.get("body", b""))
        except TimeoutError:
            pass
        await send({"type": "http.response.body", "body": b""})


_CLOSE = (b"connection", b"close")
_LENGTHS = (b"content-length", b"transfer-encoding")


def _headers(scope: Scope) -> dict[bytes, bytes]:
    """Return headers by name, those that came more than once put together (RFC 9110, section 5.3).

    Of names with an underscore nothing is taken: to an app they would be another header.
    """
    found: dict[bytes, bytes] = {}
    for name, value in scope["headers"]:
        if b"_" in name:
            continue
        if name in found:
            found[name] += (b"; " if name == b"cookie" else b", ") + value
        else:
            found[name] = value
    return found


async def _send(send: Send, response: Response) -> None:
    status, headers, body = response
    await send({"type": "http.response.start", "status": status, "headers": headers})
    await send({"type": "http.response.body", "body": body})
