"""Making requests and reading answers: the errors of the client library live here.

```
CaddrelError
├── Unreachable    nobody answered, or not with what Caddrel answers
└── Refused        the service said no; `problem` says why
```
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import contextmanager
from typing import Any, TypeVar

import httpx
import msgspec
from httpx_sse import EventSource, SSEError

from caddrel.wire.decoding import decode
from caddrel.wire.problems import Problem

T = TypeVar("T")
_RETRIES = 2


class CaddrelError(Exception):
    """Anything that keeps a call from being answered."""


class Unreachable(CaddrelError):
    """The service could not be reached, or what answered was not Caddrel."""


class Refused(CaddrelError):
    """The service refused; `problem` is its problem document (RFC 9457)."""

    def __init__(self, problem: Problem) -> None:
        super().__init__(problem.title)
        self.problem = problem


class Caller:
    """Sends requests to one service and reads its answers into types."""

    def __init__(
        self,
        url: str,
        token: str,
        timeout: float,
        transport: httpx.BaseTransport | None,
        pause: Callable[[float], object] = time.sleep,
    ) -> None:
        headers = {"Accept": "application/json"}
        if token:
            headers["Authorization"] = f"Bearer {token}"
        # Only connections that never came about are tried again: that is safe for every method. Where nothing is
        # encrypted nobody is to be verified, and to load whom one trusts takes longer than most calls; redirects are
        # not followed.
        secure = not url.startswith("http://")
        chosen = transport or httpx.HTTPTransport(retries=_RETRIES, verify=secure)
        self.url = url
        # Waits for so many seconds.
        self.pause = pause
        self._http = httpx.Client(base_url=url, headers=headers, timeout=timeout, transport=chosen, verify=secure)

    def close(self) -> None:
        """Close the connections."""
        self._http.close()

    def get(self, path: str, returns: type[T], params: Mapping[str, Any] | None = None) -> T:
        """Read something."""
        return self._send("GET", path, returns, params=_given(params))

    def post(
        self,
        path: str,
        body: msgspec.Struct | None,
        returns: type[T],
        request_id: str = "",
        headers: Mapping[str, str] | None = None,
        params: Mapping[str, str] | None = None,
        deadline: float | None = None,
    ) -> T:
        """Send a document.

        Parameters
        ----------
        deadline
            Seconds from now on, after which nobody has answered.
        """
        named = {"X-Request-ID": request_id} if request_id else {}
        said = {**(headers or {}), **named}
        if deadline is not None and body is not None:
            return self._in_time(path, body, returns, said, deadline)
        return self._write("POST", path, body, returns, said, params)

    def _in_time(
        self, path: str, body: msgspec.Struct, returns: type[T], headers: Mapping[str, str], deadline: float
    ) -> T:
        """Send a document, and take no answer that comes too late, nor one that comes a byte now and then."""
        until = time.monotonic() + deadline
        # Each of the two steps that may wait, to connect and to be answered, has a half of the time.
        options: dict[str, Any] = {
            "content": msgspec.json.encode(body),
            "headers": {"Content-Type": "application/json", **headers},
            "timeout": httpx.Timeout(deadline / 2),
        }
        held = b""
        try:
            with self._http.stream("POST", path, **options) as response:
                for piece in response.iter_bytes():
                    held += piece
                    if time.monotonic() > until:
                        raise httpx.ReadTimeout("the answer came too slowly", request=response.request)
        except (httpx.HTTPError, httpx.InvalidURL) as error:
            raise Unreachable(f"no answer from {self.url}: {error or type(error).__name__}") from error
        if response.status_code >= 400:
            raise Refused(_problem(response.status_code, held))
        return self._read(held, returns)

    def patch(
        self,
        path: str,
        body: msgspec.Struct,
        returns: type[T],
        headers: Mapping[str, str],
        params: Mapping[str, str] | None = None,
    ) -> T:
        """Change a document."""
        return self._write("PATCH", path, body, returns, headers, params)

    def put(
        self,
        path: str,
        body: msgspec.Struct,
        returns: type[T],
        headers: Mapping[str, str],
        params: Mapping[str, str] | None = None,
    ) -> T:
        """Replace a document."""
        return self._write("PUT", path, body, returns, headers, params)

    def stream(self, path: str, lines: Iterable[bytes], returns: type[T], params: Mapping[str, str] | None = None) -> T:
        """Send lines as they come; this may take long, so that only silence of the network ends it."""
        headers = {"Content-Type": "application/x-ndjson"}
        timeout = httpx.Timeout(30, read=None)
        return self._send("POST", path, returns, content=lines, headers=headers, timeout=timeout, params=params)

    def pieces(self, path: str, params: Mapping[str, Any]) -> Iterator[bytes]:
        """Yield an answer piece by piece, as it comes."""
        with self._streamed(path, params) as response:
            yield from response.iter_bytes()

    def events(self, path: str, returns: type[T]) -> Iterator[T]:
        """Yield the documents of a stream of server-sent events."""
        with self._streamed(path, {}) as response:
            for event in EventSource(response).iter_sse():
                yield self._read(event.data.encode(), returns)

    @contextmanager
    def _streamed(self, path: str, params: Mapping[str, Any]) -> Iterator[httpx.Response]:
        timeout = httpx.Timeout(30, read=None)
        try:
            with self._http.stream("GET", path, params=_given(params), timeout=timeout) as response:
                if response.status_code >= 400:
                    response.read()
                    raise Refused(_problem(response.status_code, response.content))
                yield response
        except (httpx.HTTPError, httpx.InvalidURL, SSEError) as error:
            raise Unreachable(f"no answer from {self.url}: {error or type(error).__name__}") from error

    def delete(
        self,
        path: str,
        returns: type[T],
        params: Mapping[str, str] | None = None,
        headers: Mapping[str, str] | None = None,
    ) -> T:
        """Take something away."""
        return self._send("DELETE", path, returns, params=_given(params), headers=headers)

    def _write(
        self,
        method: str,
        path: str,
        body: msgspec.Struct | None,
        returns: type[T],
        headers: Mapping[str, str],
        params: Mapping[str, str] | None,
    ) -> T:
        said = {"Content-Type": "application/json", **headers}
        content = b"" if body is None else msgspec.json.encode(body)
        return self._send(method, path, returns, content=content, headers=said, params=_given(params))

    def _send(self, method: str, path: str, returns: type[T], **options: Any) -> T:
        try:
            response = self._http.request(method, path, **options)
        except (httpx.HTTPError, httpx.InvalidURL) as error:
            reason = str(error) or type(error).__name__
            raise Unreachable(f"no answer from {self.url}: {reason}") from error
        if response.status_code >= 400:
            raise Refused(_problem(response.status_code, response.content))
        return self._read(response.content, returns)

    def _read(self, answer: bytes, returns: type[T]) -> T:
        try:
            return decode(answer, returns)
        except (msgspec.ValidationError, msgspec.DecodeError) as error:
            raise Unreachable(f"{self.url} answered, but not as Caddrel does: {error}") from error


def _given(params: Mapping[str, Any] | None) -> dict[str, Any]:
    return {name: value for name, value in (params or {}).items() if value not in (None, "")}


def _problem(status: int, content: bytes) -> Problem:
    try:
        return decode(content, Problem)
    except (msgspec.ValidationError, msgspec.DecodeError):
        return Problem(title=f"the answer was {status} without a reason", status=status, code="http-error")
