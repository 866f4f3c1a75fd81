"""The server: what never becomes a request is answered like everything else that is refused."""

from __future__ import annotations

import json
import socket

import pytest
from tests.conftest import PATIENCE, Live


@pytest.mark.parametrize(
    ("sent", "status"),
    [
        (b"hello\r\n\r\n", 400),
        (b"\x16\x03\x01\x02\x00\x01\x00\x01\xfc\x03\x03\r\n\r\n", 400),
        (b"GET /healthz HTTP/1.1\r\nHo st: x\r\n\r\n", 400),
        (b"POST /access/v1/evaluation HTTP/1.1\r\nContent-Length: -3\r\n\r\n", 400),
        (b"POST /access/v1/evaluation HTTP/1.1\r\nContent-Length: 3\r\nTransfer-Encoding: chunked\r\n\r\n", 400),
        (b"POST /healthz HTTP/1.1\r\nTransfer-Encoding: chunked\r\n\r\nnone\r\n", 400),
    ],
)  # fmt: skip
def test_what_is_no_request_is_refused_with_a_problem_document(vacant: Live, sent: bytes, status: int) -> None:
    host, port = vacant.url.removeprefix("http://").split(":")
    with socket.create_connection((host, int(port)), timeout=PATIENCE) as connection:
        connection.sendall(sent)
        answer = b""
        while piece := connection.recv(65536):
            answer += piece
    head, _, body = answer.partition(b"\r\n\r\n")
    assert head.split()[1:2] == [str(status).encode()], answer[:300]
    assert b"application/problem+json" in head
    assert json.loads(body)["status"] == status
