"""The app in threads: requests that are whole, one to a thread, answered piece by piece (PEP 3333).

Not here: how a request is taken in (`front`).
"""

from __future__ import annotations

import asyncio
import contextlib
import io
import queue
import sys
import threading
from collections.abc import Awaitable, Callable, Iterable, Mapping
from typing import Any, BinaryIO
from urllib.parse import unquote_to_bytes

Send = Callable[[Mapping[str, Any]], Awaitable[None]]
Receive = Callable[[], Awaitable[Mapping[str, Any]]]
# Returns the pieces of an answer; PEP 3333.
Wsgi = Callable[[dict[str, Any], Callable[..., Any]], Iterable[bytes]]


# Bytes; answers up to this are sent in one piece.
SENT_WHOLE = 4 * 1024 * 1024


class _Gone(Exception):
    """Nobody wants the rest of an answer."""


class WsgiRequest:
    """A request on its way through a thread.

    Parameters
    ----------
    scope, receive, send
        As the server gives them (ASGI).
    headers
        By lower-case name.
    body
        All of it: bytes, or a file at its beginning, which is closed in the end.
    """

    def __init__(
        self,
        scope: Mapping[str, Any],
        headers: Mapping[bytes, bytes],
        body: bytes | BinaryIO,
        loop: asyncio.AbstractEventLoop,
        receive: Receive,
        send: Send,
    ) -> None:
        self._scope, self._headers, self._body = scope, headers, body
        self._loop, self._receive, self._send = loop, receive, send
        # Done when the answer is sent, or nobody is there any more.
        self.done: asyncio.Future[None] = loop.create_future()
        self._gone = False
        self._watch: asyncio.Task[None] | None = None

    def close(self) -> None:
        """Let go of the body."""
        if not isinstance(self._body, bytes):
            self._body.close()

    def environ(self) -> dict[str, Any]:
        """Return what the app is told (PEP 3333)."""
        scope, body = self._scope, self._body
        server, client = scope["server"] or ("", 0), scope["client"] or ("", 0)
        if isinstance(body, bytes):
            length, stream = len(body), io.BytesIO(body)
        else:
            length, stream = body.seek(0, io.SEEK_END), body  # type: ignore[assignment]
            body.seek(0)
        found: dict[str, Any] = {
            "REQUEST_METHOD": scope["method"],
            "SCRIPT_NAME": "",
            "PATH_INFO": unquote_to_bytes(scope["raw_path"]).decode("latin-1"),
            "QUERY_STRING": scope["query_string"].decode("latin-1"),
            "SERVER_NAME": server[0],
            "SERVER_PORT": str(server[1]),
            "SERVER_PROTOCOL": f"HTTP/{scope['http_version']}",
            "REMOTE_ADDR": client[0],
            "wsgi.version": (1, 0),
            "wsgi.url_scheme": scope["scheme"],
            "wsgi.input": stream,
            "wsgi.input_terminated": True,
            "wsgi.errors": sys.stderr,
            "wsgi.multithread": True,
            "wsgi.multiprocess": False,
            "wsgi.run_once": False,
        }
        for name, value in self._headers.items():
            # The body has one length by now, however it came.
            if name not in {b"content-length", b"transfer-encoding"}:
                key = name.decode("latin-1").upper().replace("-", "_")
                found[key if key == "CONTENT_TYPE" else f"HTTP_{key}"] = value.decode("latin-1")
        if length or b"content-length" in self._headers or b"transfer-encoding" in self._headers:
            found["CONTENT_LENGTH"] = str(length)
        return found

    def answer(self, app: Wsgi, stopping: Callable[[], bool]) -> None:
        """Have the app answer; runs in its thread."""
        begun: list[tuple[str, list[tuple[str, str]]]] = []

        def start(status: str, headers: list[tuple[str, str]], _error: Any = None) -> Any:
            begun[:] = [(status, headers)]

        pieces: Iterable[bytes] = ()
        try:
            pieces = app(self.environ(), start)
            if _is_small(begun):
                self._whole(begun, b"".join(pieces))
            else:
                self._piece_by_piece(begun, pieces, stopping)
        except _Gone:
            self._end()
        except BaseException as error:  # noqa: BLE001 - told to whoever waits
            self._end(error)
        finally:
            close = getattr(pieces, "close", None)
            if close is not None:
                with contextlib.suppress(Exception):
                    close()
            self.close()

    def _start(self, begun: list[tuple[str, list[tuple[str, str]]]]) -> Mapping[str, Any]:
        status, headers = begun[0]
        # The server says the date of everything.
        told = [(name.lower(), value) for name, value in headers if name.lower() != "date"]
        sent = [(name.encode("latin-1"), value.encode("latin-1")) for name, value in told]
        return {"type": "http.response.start", "status": int(status[:3]), "headers": sent}

    def _whole(self, begun: list[tuple[str, list[tuple[str, str]]]], body: bytes) -> None:
        start = self._start(begun)

        async def send() -> None:
            await self._send(start)
            await self._send({"type": "http.response.body", "body": body})

        self._hand_over(send)

    def _piece_by_piece(
        self, begun: list[tuple[str, list[tuple[str, str]]]], pieces: Iterable[bytes], stopping: Callable[[], bool]
    ) -> None:
        """Send pieces as they are made, none before the one before it is on its way."""
        started = False
        for piece in pieces:
            if not piece:
                continue
            if not started:
                started = True
                self._wait(self._send(self._start(begun)))
                self._loop.call_soon_threadsafe(self._watch_out)
            if self._gone or stopping():
                raise _Gone
            self._wait(self._send({"type": "http.response.body", "body": piece, "more_body": True}))

        async def last() -> None:
            if not started:
                await self._send(self._start(begun))
            await self._send({"type": "http.response.body", "body": b""})

        self._hand_over(last)

    def _wait(self, sent: Awaitable[None]) -> None:
        """Wait until something is sent."""

        async def send() -> None:
            await sent

        asyncio.run_coroutine_threadsafe(send(), self._loop).result()

    def _hand_over(self, send: Callable[[], Awaitable[None]]) -> None:
        """Have the last of an answer sent."""

        async def whole() -> None:
            try:
                await send()
            except Exception as error:  # noqa: BLE001 - told to whoever waits
                self._finish(error)
            else:
                self._finish(None)

        self._loop.call_soon_threadsafe(lambda: self._loop.create_task(whole()))

    def _watch_out(self) -> None:
        """Notice when whoever asked is gone."""

        async def watch() -> None:
            while (await self._receive())["type"] != "http.disconnect":
                continue
            self._gone = True

        self._watch = self._loop.create_task(watch())

    def _end(self, error: BaseException | None = None) -> None:
        """Have no more of an answer sent."""
        with contextlib.suppress(RuntimeError):
            self._loop.call_soon_threadsafe(self._finish, error)

    def _finish(self, error: BaseException | None) -> None:
        if self._watch is not None:
            self._watch.cancel()
        if self.done.done():
            return
        if error is None:
            self.done.set_result(None)
        else:
            self.done.set_exception(error)


def _is_small(begun: list[tuple[str, list[tuple[str, str]]]]) -> bool:
    """Tell whether an answer is known to be small, so that it can be sent in one piece."""
    lengths = [value for name, value in begun[0][1] if name.lower() == "content-length"] if begun else []
    return bool(lengths) and lengths[0].isdigit() and int(lengths[0]) <= SENT_WHOLE


class Threads:
    """Threads that answer requests, each one at a time; so many may wait for one.

    Attributes
    ----------
    stopping
        Streams end, and nothing more is taken.
    """

    def __init__(self, app: Wsgi, name: str, count: int, waiting: int) -> None:
        self._app = app
        self._queue: queue.SimpleQueue[WsgiRequest | None] = queue.SimpleQueue()
        self._most = waiting
        self.stopping = False
        self._threads = [threading.Thread(target=self._run, name=f"{name}-{i}", daemon=True) for i in range(count)]
        for thread in self._threads:
            thread.start()

    @property
    def waiting(self) -> int:
        """How many wait for a thread."""
        return self._queue.qsize()

    def put(self, request: WsgiRequest) -> bool:
        """Have a request answered; tell whether there is room for it."""
        if self.stopping or self._queue.qsize() >= self._most:
            return False
        self._queue.put(request)
        return True

    def stop(self, within: float = 10.0) -> None:
        """End each thread once it is done, and wait for that, so many seconds in all."""
        for _ in self._threads:
            self._queue.put(None)
        for thread in self._threads:
            thread.join(within / len(self._threads))

    def _run(self) -> None:
        while (request := self._queue.get()) is not None:
            request.answer(self._app, lambda: self.stopping)
