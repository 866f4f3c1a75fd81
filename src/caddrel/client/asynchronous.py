"""The client library for programs that wait for many things at once: the same nouns, awaited.

It is the same client: only what sends its requests waits in another way. Each call runs in a stack of its own, a
greenlet, that is put aside while something is awaited (as SQLAlchemy does for its drivers); nothing blocks the loop.
Needs the extra: ``pip install 'caddrel[async]'``.
"""

from __future__ import annotations

import asyncio
import sys
from collections.abc import AsyncIterator, Awaitable, Callable, Iterator
from types import TracebackType
from typing import Any, Self

import greenlet
import httpx

from caddrel.client.caddrel import Caddrel

_END = object()


async def _spawn(function: Callable[..., Any], *args: Any, **named: Any) -> Any:
    """Return what a function returns that awaits by `_await`."""
    stack = greenlet.greenlet(function, parent=greenlet.getcurrent())
    stack.gr_context = greenlet.getcurrent().gr_context
    found = stack.switch(*args, **named)
    while not stack.dead:
        try:
            value = await found
        except BaseException:  # noqa: BLE001 - thrown where it was awaited
            found = stack.throw(*sys.exc_info())
        else:
            found = stack.switch(value)
    return found


def _await(awaited: Awaitable[Any]) -> Any:
    """Return what an awaitable comes to, from within `_spawn`."""
    around = greenlet.getcurrent().parent
    assert around is not None
    return around.switch(awaited)


class _Pieces(httpx.SyncByteStream):
    """An answer that comes piece by piece, each awaited."""

    def __init__(self, stream: httpx.AsyncByteStream) -> None:
        self._stream = stream

    def __iter__(self) -> Iterator[bytes]:
        pieces = aiter(self._stream)
        while (piece := _await(anext(pieces, _END))) is not _END:
            yield piece

    def close(self) -> None:
        _await(self._stream.aclose())


class _Sent(httpx.AsyncByteStream):
    """A body that is made piece by piece."""

    def __init__(self, stream: httpx.SyncByteStream) -> None:
        self._stream = stream

    async def __aiter__(self) -> AsyncIterator[bytes]:
        for piece in self._stream:
            yield piece


class _Awaiting(httpx.BaseTransport):
    """Sends requests by a transport that is awaited."""

    def __init__(self, transport: httpx.AsyncBaseTransport) -> None:
        self._transport = transport

    def handle_request(self, request: httpx.Request) -> httpx.Response:
        if not isinstance(request.stream, httpx.AsyncByteStream):
            request.stream = _Sent(request.stream)
        answer: httpx.Response = _await(self._transport.handle_async_request(request))
        assert isinstance(answer.stream, httpx.AsyncByteStream)
        return httpx.Response(
            answer.status_code, headers=answer.headers, stream=_Pieces(answer.stream), extensions=answer.extensions
        )

    def close(self) -> None:
        _await(self._transport.aclose())


class Awaited:
    """Something of the client library whose methods are awaited; what yields is gone through by ``async for``."""

    def __init__(self, of: Any) -> None:
        self._of = of

    def __getattr__(self, name: str) -> Any:
        found = getattr(self._of, name)
        if not callable(found):
            return found if isinstance(found, str) else Awaited(found)
        if getattr(found, "__annotations__", {}).get("return", "").startswith("Iterator["):
            return lambda *args, **named: _each(found, *args, **named)
        return lambda *args, **named: _spawn(found, *args, **named)

    async def aclose(self) -> None:
        """Close the connections."""
        await _spawn(self._of.close)

    async def __aenter__(self) -> Self:
        return self

    async def __aexit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        await self.aclose()


async def _each(made: Callable[..., Iterator[Any]], *args: Any, **named: Any) -> AsyncIterator[Any]:
    items = await _spawn(made, *args, **named)
    try:
        while (item := await _spawn(next, items, _END)) is not _END:
            yield item
    finally:
        close = getattr(items, "close", None)
        if close is not None:
            await _spawn(close)


def _pause(seconds: float) -> None:
    _await(asyncio.sleep(seconds))


def awaiting(url: str, transport: httpx.AsyncBaseTransport | None) -> httpx.BaseTransport:
    """Return what sends the requests of something that is awaited; by another transport than the network's, if any."""
    return _Awaiting(transport or httpx.AsyncHTTPTransport(retries=2, verify=not url.startswith("http://")))


class AsyncCaddrel(Awaited):
    """A Caddrel service, awaited: nouns, methods, arguments and errors are those of `Caddrel`.

    Parameters
    ----------
    url, token, timeout
        As in `Caddrel`.
    transport
        Another way to send requests than the network.
    """

    def __init__(
        self,
        url: str,
        token: str = "",
        *,
        timeout: float = 120.0,
        transport: httpx.AsyncBaseTransport | None = None,
    ) -> None:
        super().__init__(Caddrel(url, token, timeout=timeout, transport=awaiting(url, transport), pause=_pause))
