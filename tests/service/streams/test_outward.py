"""Asking others: what is of one's own network is not asked, however it is written; answers have an end."""

from __future__ import annotations

import socket
import threading
from collections.abc import Iterator

import pytest

from caddrel.service.problems import ServiceError
from caddrel.service.streams.outward import Unreached, checked_url, send


@pytest.mark.parametrize(
    "host",
    [
        "127.0.0.1", "10.0.0.1", "169.254.169.254", "100.64.0.1", "0.0.0.0", "224.0.0.1", "2130706433", "[::1]",
        "[fe80::1]", "[fd00::1]", "[::ffff:10.0.0.1]", "[2002:0a00:0001::]", "[64:ff9b::a00:1]", "[64:ff9b:1::808:808]",
        "[2001:0:808:808::f5ff:fffe]", "[::7f00:1]", "[ff0e::1]", "localhost",
    ],
)  # fmt: skip
def test_an_address_of_ones_own_network_is_not_asked(host: str) -> None:
    with pytest.raises(Unreached, match=r"an address of this network|there is no host"):
        send("POST", f"https://{host}/events", {}, b"", private=False)


@pytest.mark.parametrize(
    "url",
    ["http://feed.kelpline.example/", "https:///x", "https://me@feed.kelpline.example/", "file:///etc/passwd", "x",
     "https://feed.kelpline.example/#part", f"https://feed.kelpline.example/{'x' * 2_000}"],
)  # fmt: skip
def test_what_is_no_https_address_is_refused(url: str) -> None:
    with pytest.raises(ServiceError) as refused:
        checked_url(url, private=False)
    assert refused.value.code == "bad-address"


@pytest.fixture
def answering() -> Iterator[tuple[str, list[bytes]]]:
    """Answer what the test says, whatever is asked."""
    listening, says = socket.create_server(("127.0.0.1", 0)), list[bytes]()

    def answer() -> None:
        while True:
            try:
                asked, _ = listening.accept()
            except OSError:
                return
            with asked:
                asked.recv(65_536)
                asked.sendall(says[0])

    threading.Thread(target=answer, daemon=True).start()
    yield f"http://127.0.0.1:{listening.getsockname()[1]}/", says
    listening.close()


@pytest.mark.parametrize(
    ("said", "problem"),
    [
        (b"HTTP/1.1 200 OK\r\nContent-Length: 5000\r\n\r\n" + b"x" * 5000, "too long"),
        (b"HTTP/1.1 200 OK\r\nContent-Length: 50\r\n\r\nx", "no answer"),
        (b"hello\r\n\r\n", "no answer"),
        (b"", "no answer"),
    ],
)
def test_an_answer_that_is_none_is_told(answering: tuple[str, list[bytes]], said: bytes, problem: str) -> None:
    url, says = answering
    says.append(said)
    with pytest.raises(Unreached, match=problem):
        send("GET", url, {}, None, private=True, most=1_000)


def test_a_redirect_is_an_answer_like_another(answering: tuple[str, list[bytes]]) -> None:
    url, says = answering
    says.append(b"HTTP/1.1 302 Found\r\nLocation: http://127.0.0.1:1/\r\nContent-Length: 0\r\n\r\n")
    answer = send("GET", url, {}, None, private=True)
    assert (answer.status, answer.headers["location"]) == (302, "http://127.0.0.1:1/")
