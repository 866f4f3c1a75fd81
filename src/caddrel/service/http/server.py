"""The HTTP server: uvicorn on sockets of our own, in one thread that waits for all of them."""

from __future__ import annotations

import asyncio
import logging
import socket
from typing import Any

import uvicorn

from caddrel.service.http.connections import IDLE_FOR, Connection, Connections, Refusal
from caddrel.service.http.front import Front

BACKLOG = 1_024
# Seconds for what is under way when the service stops.
FINISH_WITHIN = 10


class HttpServer(uvicorn.Server):
    """Serves a front until it is told to stop.

    Parameters
    ----------
    trusted_proxy
        The address of a proxy whose word on client and scheme is taken; empty for none.

    Raises
    ------
    OSError
        When the address cannot be listened on.
    """

    def __init__(self, front: Front, host: str, port: int, refusal: Refusal, trusted_proxy: str = "") -> None:
        # What fails is logged where it is known what it was.
        logging.getLogger("uvicorn.error").setLevel(logging.CRITICAL)
        self._front = front
        self._connections = Connections(refusal)
        self._sockets = _listening(host, port)
        self._stop: asyncio.Event | None = None
        self._loop: asyncio.AbstractEventLoop | None = None
        # Behind a proxy only uvicorn's own way knows who asks.
        direct = None if trusted_proxy else front
        config = uvicorn.Config(
            front,
            loop="uvloop",
            http=type("Connection", (Connection,), {"among": self._connections, "direct": direct}),
            ws="none",
            lifespan="off",
            log_config=None,
            access_log=False,
            server_header=False,
            proxy_headers=bool(trusted_proxy),
            forwarded_allow_ips=trusted_proxy or "",
            timeout_keep_alive=IDLE_FOR,
            timeout_graceful_shutdown=FINISH_WITHIN,
            backlog=BACKLOG,
        )
        super().__init__(config)

    @property
    def port(self) -> int:
        """The port that is listened on."""
        return int(self._sockets[0].getsockname()[1])

    def listen(self) -> None:
        """Serve until `end` is called, or a signal comes where this is the main thread."""
        self.run(sockets=self._sockets)

    def end(self) -> None:
        """Have what is under way finished, and nothing more taken in; from any thread."""
        self.should_exit = True
        loop, stop = self._loop, self._stop
        if loop is None or stop is None:
            return
        try:
            loop.call_soon_threadsafe(stop.set)
        except RuntimeError:
            # It has ended by itself.
            return

    def close(self) -> None:
        """Close the sockets of a server that never ran."""
        for each in self._sockets:
            each.close()

    def handle_exit(self, sig: int, frame: Any) -> None:
        """Stop at a signal."""
        super().handle_exit(sig, frame)
        self.end()

    async def main_loop(self) -> None:
        """Look at all connections once a second until it is time to stop: nothing wakes up more often than that."""
        self._loop, self._stop = asyncio.get_running_loop(), asyncio.Event()
        while not await self.on_tick(0):
            self._connections.look(self._loop.time())
            self._front.look(self._loop.time())
            try:
                await asyncio.wait_for(self._stop.wait(), 1.0)
            except TimeoutError:
                continue
        self._front.stopping()


def _listening(host: str, port: int) -> list[socket.socket]:
    """Return sockets on every address of a host, all on one port."""
    found = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM, flags=socket.AI_PASSIVE)
    sockets: list[socket.socket] = []
    try:
        for family, kind, protocol, _, address in dict.fromkeys(found):
            one = socket.socket(family, kind, protocol)
            sockets.append(one)
            one.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            if family == socket.AF_INET6:
                one.setsockopt(socket.IPPROTO_IPV6, socket.IPV6_V6ONLY, 1)
            taken = sockets[0].getsockname()[1] if len(sockets) > 1 else port
            one.bind((address[0], taken, *address[2:]))
            one.listen(BACKLOG)
    except OSError:
        for one in sockets:
            one.close()
        raise
    return sockets
