"""The HTTP server: waitress, with deadlines for requests, a cap on connections, and threads of its own for decisions.

Whoever sends a byte now and then, reads nothing, or holds many connections idle is let go of, so that others get in.
How large a body may be is known before it is taken in: by what is asked for, and by who asks.
Not here: what requests mean (`endpoints`).
"""

from __future__ import annotations

import copy
import time
from collections.abc import Callable, Mapping
from typing import Any

import waitress.channel
import waitress.parser
import waitress.server
import waitress.task
from waitress.adjustments import Adjustments
from waitress.parser import ParsingError
from waitress.server import MultiSocketServer
from waitress.task import ThreadedTaskDispatcher

# Seconds for the head of a request, and for a body that comes slowly; bytes a second that a body must come at least.
HEAD_WITHIN = 10.0
BODY_WITHIN = 30.0
LEAST_RATE = 2_000
# A connection that nothing is asked on, or whose answer nobody reads.
IDLE_FOR = 75.0
UNREAD_FOR = 60.0
# Connections from one address, and in all.
MOST_OF_ADDRESS = 256
MOST_CONNECTIONS = 1_024
# Bodies up to this are taken from anybody: it is what signing in needs.
SMALL_BODY = 64 * 1024
DECISION_THREADS = 8
_DECISIONS = "/access/v1/evaluation"

# What waitress's types say of these is not what they hold.
_ParserBase: Any = waitress.parser.HTTPRequestParser
_ChannelBase: Any = waitress.channel.HTTPChannel
_ServerBase: Any = waitress.server.TcpWSGIServer
_RefusalBase: Any = waitress.task.ErrorTask

# Method, path and headers of a request; returns how many bytes its body may have.
Allowed = Callable[[str, str, Mapping[str, str]], int]
# A status; returns headers and body of the answer to what could not be taken in.
Refusal = Callable[[int], tuple[list[tuple[str, str]], bytes]]


class _Parser(_ParserBase):  # type: ignore[misc]
    """Reads a request; limits its body by what is asked for, and by who asks."""

    allowed: Allowed

    adj: Any

    def parse_header(self, header_plus: bytes) -> None:
        super().parse_header(header_plus)
        if self.chunked and "CONTENT_LENGTH" in self.headers:
            # Two lengths: another server on the way may read the other one (RFC 9112, section 6.3).
            raise ParsingError("both Content-Length and Transfer-Encoding")
        if self.chunked or self.content_length > SMALL_BODY:
            most = self.allowed(self.command, self.path, self.headers)
            self.adj = _with_limit(self.adj, max(most, SMALL_BODY))


def _with_limit(adj: Adjustments, most: int) -> Adjustments:
    limited = copy.copy(adj)
    # Waitress refuses what is as large as its limit.
    limited.max_request_body_size = most + 1
    return limited


class _Refusal(_RefusalBase):  # type: ignore[misc]
    """Answers what never became a request, as the service answers everything else that it refuses."""

    refusal: Refusal

    def execute(self) -> None:
        code = int(self.request.error.code)
        headers, body = self.refusal(code)
        self.status = f"{code} {self.request.error.reason}"
        self.response_headers.extend(headers)
        self.set_close_on_finish()
        self.content_length = len(body)
        self.write(body)


class _Channel(_ChannelBase):  # type: ignore[misc]
    """A connection; knows since when it has been sending the request that is not whole yet."""

    began: float | None = None

    def received(self, data: bytes) -> bool:
        if self.began is None:
            self.began = time.monotonic()
        found = bool(super().received(data))
        if self.request is None:
            self.began = None
        return found

    def overdue(self, now: float, wall: float) -> bool:
        """Tell whether it has had the time that it may have."""
        if self.total_outbufs_len and wall - self.last_activity > UNREAD_FOR:
            return True
        if self.requests:
            return False
        if self.began is None:
            return bool(wall - self.last_activity > IDLE_FOR)
        request = self.request
        if request is None or not request.headers_finished:
            return now - self.began > HEAD_WITHIN
        return bool(now - self.began > BODY_WITHIN + request.body_bytes_received / LEAST_RATE)

    @property
    def waits(self) -> bool:
        """Whether nothing that it asked is being answered."""
        return bool(not self.requests and not self.total_outbufs_len)


class _Server(_ServerBase):  # type: ignore[misc]
    """Accepts connections; when there are too many, lets go of those that only wait."""

    decisions: ThreadedTaskDispatcher

    def handle_accept(self) -> None:
        self._make_room()
        super().handle_accept()
        self._thin_out()

    def _make_room(self) -> None:
        if len(self.active_channels) >= MOST_CONNECTIONS:
            self._let_go([channel for channel in self.active_channels.values() if channel.waits], 16)

    def _thin_out(self) -> None:
        """Let go of the oldest waiting connections of an address that has too many."""
        channels = list(self.active_channels.values())
        if not channels or len(channels) <= MOST_OF_ADDRESS:
            return
        address = channels[-1].addr[0]
        mine = [channel for channel in channels if channel.addr[0] == address]
        if len(mine) > MOST_OF_ADDRESS:
            self._let_go([channel for channel in mine[:-1] if channel.waits], 16)

    def _let_go(self, channels: list[_Channel], most: int) -> None:
        # Of those that only wait, the ones first that have sent nothing, or are sending, for longest.
        channels.sort(key=lambda channel: channel.began or channel.last_activity - 1e9)
        for channel in channels[:most]:
            channel.handle_close()

    def maintenance(self, now: float) -> None:
        steady = time.monotonic()
        for channel in list(self.active_channels.values()):
            if channel.overdue(steady, now):
                channel.handle_close()

    def add_task(self, task: _Channel) -> None:
        # What was refused before its first line was whole has no path.
        path = getattr(task.requests[0], "path", "") if task.requests else ""
        threads: Any = self.decisions if path.startswith(_DECISIONS) else self.task_dispatcher
        threads.add_task(task)


def create_server(
    app: Any,
    host: str,
    port: int,
    threads: int,
    largest: int,
    allowed: Allowed,
    refusal: Refusal,
    trusted_proxy: str = "",
) -> tuple[Any, int, list[ThreadedTaskDispatcher]]:
    """Return a server that listens, its port, and its threads.

    Parameters
    ----------
    threads
        For everything but decisions, which have their own.
    largest
        Bytes; no body is larger, whatever `allowed` says.
    trusted_proxy
        The address of a proxy whose word on client and scheme is taken; empty for none.
    """
    proxied = {"trusted_proxy": trusted_proxy, "trusted_proxy_count": 1} if trusted_proxy else {}
    if trusted_proxy:
        proxied["trusted_proxy_headers"] = {"x-forwarded-for", "x-forwarded-proto"}
    adj = Adjustments(
        host=host,
        port=port,
        threads=threads,
        ident=None,
        clear_untrusted_proxy_headers=True,
        connection_limit=MOST_CONNECTIONS + 64,
        cleanup_interval=1,
        asyncore_use_poll=True,
        max_request_body_size=SMALL_BODY + 1,
        **proxied,
    )
    # What is written goes out at once: events are small, and somebody waits for them.
    adj.send_bytes = 1
    parser = type("Parser", (_Parser,), {"allowed": staticmethod(lambda *asked: min(allowed(*asked), largest))})
    refused = type("Refusal", (_Refusal,), {"refusal": staticmethod(refusal)})
    channel = type("Channel", (_Channel,), {"parser_class": parser, "error_task_class": refused})
    others, decisions = ThreadedTaskDispatcher(), ThreadedTaskDispatcher()
    others.set_thread_count(threads)
    decisions.set_thread_count(DECISION_THREADS)
    made = type("Server", (_Server,), {"channel_class": channel, "decisions": decisions})
    sockets: dict[int, Any] = {}
    servers = [made(app, sockets, True, None, dispatcher=others, adj=adj, sockinfo=info) for info in adj.listen]
    port_taken = int(servers[0].effective_port)
    listening = [(server.effective_host, server.effective_port) for server in servers]
    server = servers[0] if len(servers) == 1 else MultiSocketServer(sockets, adj, listening, others)
    return server, port_taken, [others, decisions]
