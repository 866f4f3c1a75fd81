"""The client library when the network, or what answers, is not as it should be."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import httpx
import msgspec
import pytest

from caddrel.client import Caddrel, Refused, Unreachable
from caddrel.wire.jobs import Job

Answer = Callable[[httpx.Request], httpx.Response]


def _client(answer: Answer) -> Caddrel:
    return Caddrel("http://caddrel.test", "token", transport=httpx.MockTransport(answer))


def _fails(error: type[httpx.TransportError]) -> Answer:
    def answer(request: httpx.Request) -> httpx.Response:
        raise error("the line is down", request=request)

    return answer


@pytest.mark.parametrize("error", [httpx.ConnectError, httpx.ReadTimeout, httpx.RemoteProtocolError, httpx.WriteError])
def test_a_network_that_fails_is_told_with_where_and_why(error: type[httpx.TransportError]) -> None:
    with _client(_fails(error)) as client:
        with pytest.raises(Unreachable, match=r"no answer from http://caddrel\.test: the line is down") as told:
            client.rulebook.get()
        assert isinstance(told.value.__cause__, error)
        with pytest.raises(Unreachable):
            list(client.signins.export())


@pytest.mark.parametrize("body", [b"", b"<html>a proxy's page</html>", b"[]", b'{"revision": "x"}', b"{", b"\xff\xfe"])
def test_what_is_no_answer_of_caddrel_is_never_taken_for_one(body: bytes) -> None:
    with _client(lambda _: httpx.Response(200, content=body)) as client, pytest.raises(Unreachable, match="not as Cad"):
        client.rulebook.get()


@pytest.mark.parametrize(("status", "body"), [(502, b"<html>"), (500, b""), (404, b'{"title": 3}')])
def test_a_refusal_without_a_reason_has_its_status(status: int, body: bytes) -> None:
    with _client(lambda _: httpx.Response(status, content=body)) as client, pytest.raises(Refused) as refused:
        client.rulebook.get()
    assert (refused.value.problem.status, refused.value.problem.code) == (status, "http-error")


def test_redirects_are_not_followed_so_a_token_goes_nowhere_else() -> None:
    asked: list[str] = []

    def answer(request: httpx.Request) -> httpx.Response:
        asked.append(str(request.url))
        return httpx.Response(302, headers={"Location": "http://elsewhere.test/"})

    with _client(answer) as client, pytest.raises(Unreachable):
        client.rulebook.get()
    assert [url.split("/")[2] for url in asked] == ["caddrel.test"]


class _Broken(httpx.SyncByteStream):
    def __init__(self, *pieces: bytes) -> None:
        self._pieces = pieces

    def __iter__(self) -> Iterator[bytes]:
        yield from self._pieces
        raise httpx.ReadError("cut off")


def _events(stream: httpx.SyncByteStream | bytes, kind: str = "text/event-stream") -> Answer:
    def answer(_: httpx.Request) -> httpx.Response:
        if isinstance(stream, bytes):
            return httpx.Response(200, headers={"Content-Type": kind}, content=stream)
        return httpx.Response(200, headers={"Content-Type": kind}, stream=stream)

    return answer


def test_events_come_whole_however_the_stream_is_cut_into_pieces() -> None:
    job = Job("job-1", "import", "running", 3, 9, "lines", "2026-11-23T09:00:00Z", "tests")
    event = b": still here\r\n\r\nevent: job\r\ndata: " + msgspec.json.encode(job) + b"\n\n"
    stream = event * 3
    for size in (1, 7, len(stream)):
        pieces = [stream[i : i + size] for i in range(0, len(stream), size)]
        with _client(_events(_Broken(*pieces))) as client:
            got: list[Job] = []
            with pytest.raises(Unreachable, match="cut off"):
                got.extend(client.jobs.follow("job-1"))
        assert got == [job] * 3


@pytest.mark.parametrize("answer", [_events(b"data: {}\n\n"), _events(b"data: x\n\n"), _events(b"<html>", "text/html")])
def test_events_that_are_none_are_told(answer: Answer) -> None:
    with _client(answer) as client, pytest.raises(Unreachable):
        list(client.jobs.follow("job-1"))
