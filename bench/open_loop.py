"""Asks so many times a second, whether there are answers or not, from a process of its own."""

from __future__ import annotations

import asyncio
import json
import subprocess
import sys
import time

CONNECTIONS = 32
Waits = tuple[list[float], float]


def at_rate(
    port: int, path: str, token: str, bodies: list[str], rate: float, seconds: float, before: list[str]
) -> Waits:
    """Return the seconds that each request waited from the moment at which it was to be sent, and that all took.

    Parameters
    ----------
    before
        Words before the program's own.
    """
    asked = json.dumps([port, path, token, bodies[:2_000], rate, seconds])
    words = [*before, sys.executable, "-m", "bench.open_loop"]
    done = subprocess.run(words, input=asked, check=True, capture_output=True, text=True)  # noqa: S603 - ourselves
    waits, took = json.loads(done.stdout)
    return waits, took


async def _ask(queue: asyncio.Queue[tuple[float, bytes] | None], port: int, waits: list[float]) -> None:
    reader, writer = await asyncio.open_connection("127.0.0.1", port)
    while (asked := await queue.get()) is not None:
        due, request = asked
        writer.write(request)
        head = await reader.readuntil(b"\r\n\r\n")
        assert head.startswith((b"HTTP/1.1 200", b"HTTP/1.1 201")), head
        length = next(line for line in head.lower().split(b"\r\n") if line.startswith(b"content-length"))
        await reader.readexactly(int(length.partition(b":")[2]))
        waits.append(time.perf_counter() - due)
    writer.close()


async def _run(port: int, path: str, token: str, bodies: list[str], rate: float, seconds: float) -> Waits:
    requests = [
        f"POST {path} HTTP/1.1\r\nHost: 127.0.0.1\r\nAuthorization: Bearer {token}\r\n"
        f"Content-Type: application/json\r\nContent-Length: {len(body.encode())}\r\n\r\n{body}".encode()
        for body in bodies
    ]
    queue: asyncio.Queue[tuple[float, bytes] | None] = asyncio.Queue()
    waits: list[float] = []
    asking = [asyncio.create_task(_ask(queue, port, waits)) for _ in range(CONNECTIONS)]
    began, count = time.perf_counter() + 0.2, int(rate * seconds)
    for i in range(count):
        due = began + i / rate
        while (left := due - time.perf_counter()) > 0:
            await asyncio.sleep(left)
        queue.put_nowait((due, requests[i % len(requests)]))
    for _ in asking:
        queue.put_nowait(None)
    await asyncio.gather(*asking)
    return waits, time.perf_counter() - began


if __name__ == "__main__":
    sys.stdout.write(json.dumps(asyncio.run(_run(*json.loads(sys.stdin.read())))))
