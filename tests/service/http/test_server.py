"""The server: what never becomes a request is answered like everything else that is refused."""

from __future__ import annotations

import contextlib
import json
import socket
import subprocess
import sys
from pathlib import Path

import pytest
from tests.conftest import PATIENCE, Live, until

from caddrel.service.http import connections


def _asked(live: Live, sent: bytes) -> bytes:
    """Send bytes, and return what comes until the connection is closed."""
    host, port = live.url.removeprefix("http://").split(":")
    answer = b""
    with socket.create_connection((host, int(port)), timeout=PATIENCE) as connection:
        with contextlib.suppress(OSError):
            # Who refuses does not wait for the rest.
            connection.sendall(sent)
        with contextlib.suppress(ConnectionResetError):
            while piece := connection.recv(65536):
                answer += piece
    return answer


@pytest.mark.parametrize(
    ("sent", "status"),
    [
        (b"hello\r\n\r\n", 400),
        (b"\x16\x03\x01\x02\x00\x01\x00\x01\xfc\x03\x03\r\n\r\n", 400),
        (b"GET /healthz HTTP/1.1\r\nHo st: x\r\n\r\n", 400),
        (b"POST /access/v1/evaluation HTTP/1.1\r\nContent-Length: -3\r\n\r\n", 400),
        (b"POST /access/v1/evaluation HTTP/1.1\r\nContent-Length: 3\r\nTransfer-Encoding: chunked\r\n\r\n", 400),
        (b"POST /healthz HTTP/1.1\r\nTransfer-Encoding: chunked\r\n\r\nnone\r\n", 400),
        (b"GET /healthz HTTP/1.1\r\nHost: 127.0.0.1\r\nHost: 127.0.0.1\r\n\r\n", 400),
        (b"POST /healthz HTTP/1.1\r\nContent-Length: 3\r\nContent-Length: 4\r\n\r\nabcd", 400),
        (b"GET /healthz HTTP/1.1\r\nX: " + b"x" * 70_000 + b"\r\n\r\n", 431),
        (b"GET /healthz HTTP/1.1\r\n" + b"X: 12345678\r\n" * 7_000 + b"\r\n", 431),
        (b"GET /healthz?" + b"x" * 300_000, 431),
        (b"POST /healthz HTTP/1.1\r\nTransfer-Encoding: chunked\r\n\r\n0\r\n" + b"X: 12345678\r\n" * 7_000, 431),
    ],
)  # fmt: skip
def test_what_is_no_request_is_refused_with_a_problem_document(vacant: Live, sent: bytes, status: int) -> None:
    head, _, body = _asked(vacant, sent).partition(b"\r\n\r\n")
    assert head.split()[1:2] == [str(status).encode()], head[:300]
    assert b"application/problem+json" in head
    assert json.loads(body)["status"] == status


def _request(live: Live, path: str, more: str = "", body: str = "", last: bool = True) -> bytes:
    close = "Connection: close\r\n" if last else ""
    head = f"GET {path} HTTP/1.1\r\nHost: 127.0.0.1\r\nAuthorization: Bearer {live.token}\r\n{close}{more}\r\n"
    return (head + body).encode()


def test_each_of_several_requests_sent_at_once_gets_its_own_answer(vacant: Live) -> None:
    asked = [f"/api/v1/{noun}" for noun in ("people", "groups", "nothing", "devices")]
    answer = _asked(vacant, b"".join(_request(vacant, path, last=path == asked[-1]) for path in asked))
    assert [part[1:4] for part in answer.split(b"HTTP/1.1")[1:]] == [b"200", b"200", b"404", b"200"], answer


@pytest.mark.parametrize("path", ["/", "/favicon.svg", "/healthz", "/api/openapi.json", "/metrics", "/docs/"])
def test_no_header_comes_twice(vacant: Live, path: str) -> None:
    head, _, _ = _asked(vacant, _request(vacant, path)).partition(b"\r\n\r\n")
    names = [line.partition(b":")[0].lower() for line in head.split(b"\r\n")[1:]]
    assert sorted(set(names)) == sorted(names)


def test_what_comes_behind_a_whole_request_is_no_answer_to_it(vacant: Live) -> None:
    answer = _asked(vacant, _request(vacant, "/api/v1/people", last=False) + b"garbage\r\n\r\n")
    assert answer.startswith(b"HTTP/1.1 200 "), answer[:200]
    assert answer.count(b"HTTP/1.1 ") <= 2


@pytest.mark.parametrize(
    ("more", "body"),
    [
        # Headers that come behind the body, or spelt so that an app would take them for another.
        ("Transfer-Encoding: chunked\r\nTrailer: Authorization\r\n", "0\r\nAuthorization: Bearer {token}\r\n\r\n"),
        ("AUTHORIZATION_: x\r\nX_Forwarded_For: 192.0.2.1\r\n", ""),
        ("X-Forwarded-For: 192.0.2.1\r\nX-Forwarded-Proto: https\r\nForwarded: for=192.0.2.1\r\n", ""),
    ],
)
def test_nobody_is_known_by_what_is_no_header_of_theirs(vacant: Live, more: str, body: str) -> None:
    head = f"GET /api/v1/people HTTP/1.1\r\nHost: 127.0.0.1\r\nConnection: close\r\n{more}\r\n"
    answer = _asked(vacant, (head + body.format(token=vacant.token)).encode())
    assert answer.startswith(b"HTTP/1.1 401 "), answer[:200]


def test_a_body_may_come_in_pieces_and_after_a_word_that_it_is_wanted(vacant: Live) -> None:
    body = json.dumps({"name": "nobody", "password": "x"})
    pieces = "".join(f"{len(letter):x};why=not\r\n{letter}\r\n" for letter in body) + "0\r\n\r\n"
    head = (
        "POST /api/v1/session HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: application/json\r\n"
        "Connection: close\r\nExpect: 100-continue\r\n"
    )
    for sent in (
        f"{head}Transfer-Encoding: chunked\r\n\r\n{pieces}",
        f"{head}Content-Length: {len(body)}\r\n\r\n{body}",
    ):
        answer = _asked(vacant, sent.encode())
        assert b" 401 " in answer.replace(b"HTTP/1.1 100 Continue\r\n\r\n", b"")[:40], answer[:300]


_HEAD = b"POST /api/v1/session HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: application/json\r\n"


@pytest.mark.parametrize(
    ("limit", "sent", "kept"),
    [
        ("HEAD_WITHIN", _HEAD, b""),
        ("BODY_WITHIN", _HEAD + b"Content-Length: 400\r\n\r\n{", b""),
        ("BODY_WITHIN", _HEAD + b"Transfer-Encoding: chunked\r\n\r\n1\r\n{\r\n", b""),
        ("BODY_WITHIN", _HEAD + b"Transfer-Encoding: chunked\r\n\r\n1\r\n{\r\n0\r\nX: y\r\n", b""),
        ("IDLE_FOR", b"", b""),
        ("IDLE_FOR", b"GET /healthz HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n", b"HTTP/1.1 200 OK"),
    ],
)
def test_whoever_takes_too_long_is_let_go_of(
    vacant: Live, monkeypatch: pytest.MonkeyPatch, limit: str, sent: bytes, kept: bytes
) -> None:
    monkeypatch.setattr(connections, limit, 0.0)
    # What it had asked is answered; and it is closed by us, since it never is by them.
    assert _asked(vacant, sent).startswith(kept)
    monkeypatch.undo()
    assert _asked(vacant, _request(vacant, "/healthz")).startswith(b"HTTP/1.1 200 ")


def test_an_answer_that_nobody_reads_is_let_go_of(vacant: Live, monkeypatch: pytest.MonkeyPatch) -> None:
    host, port = vacant.url.removeprefix("http://").split(":")
    with socket.socket() as connection:
        # So little room that the answers stay with the server.
        connection.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 4096)
        connection.settimeout(PATIENCE)
        connection.connect((host, int(port)))
        connection.sendall(_request(vacant, "/api/openapi.json", last=False) * 100)
        monkeypatch.setattr(connections, "UNREAD_FOR", 0.0)
        until(lambda: _is_let_go_of(int(port), connection.getsockname()[1]))


def _is_let_go_of(port: int, by: int) -> bool:
    """Tell whether a server's end of a connection is closed, as the system has it: the other end is not told yet."""
    rows = [line.split() for line in Path("/proc/net/tcp").read_text(encoding="ascii").splitlines()[1:]]
    ends = {(int(row[1][9:], 16), int(row[2][9:], 16)): row[3] for row in rows}
    return ends.get((port, by)) != "01"


def test_those_that_only_wait_make_room_for_others(vacant: Live, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(connections, "MOST_OF_ADDRESS", 20)
    host, port = vacant.url.removeprefix("http://").split(":")
    with contextlib.ExitStack() as held:
        for _ in range(200):
            held.enter_context(socket.create_connection((host, int(port)), timeout=PATIENCE))
        assert _asked(vacant, _request(vacant, "/healthz")).startswith(b"HTTP/1.1 200 ")


def test_a_body_that_nobody_may_send_is_refused_before_it_is_there(vacant: Live) -> None:
    head = f"POST /api/v1/signins HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: {1 << 30}\r\n\r\n"
    answer = _asked(vacant, head.encode())
    assert answer.startswith(b"HTTP/1.1 413 "), answer[:200]
    assert b"connection: close" in answer.lower()


@pytest.mark.parametrize(
    ("allowed", "most", "expected"), [(300, 4_000, (1_280, 1_024)), (300, 300, (300, 44)), (64, 64, (64, 16))]
)
def test_there_are_no_more_connections_than_files_may_be_open(
    allowed: int, most: int, expected: tuple[int, int]
) -> None:
    said = (
        "import resource, sys\n"
        "from caddrel.service.http.connections import room_for_connections\n"
        f"resource.setrlimit(resource.RLIMIT_NOFILE, ({allowed}, {most}))\n"
        "room = room_for_connections()\n"
        "print(resource.getrlimit(resource.RLIMIT_NOFILE)[0], room)\n"
    )
    done = subprocess.run([sys.executable, "-c", said], check=True, capture_output=True, text=True)
    assert tuple(map(int, done.stdout.split())) == expected
