"""A door in front of an ASGI app: Starlette and its like; needs the extra ``caddrel[async]``."""

from __future__ import annotations

from collections.abc import Awaitable, Callable, Mapping, MutableMapping
from typing import Any

import httpx

from caddrel.client.asynchronous import Awaited, awaiting
from caddrel.door.gate import Gate
from caddrel.door.refusal import refusal
from caddrel.door.verdict import Verdict
from caddrel.door.visitor import Visitor, cookie_for, visitor_of

Scope = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[MutableMapping[str, Any]]]
Send = Callable[[MutableMapping[str, Any]], Awaitable[None]]
App = Callable[[Scope, Receive, Send], Awaitable[None]]


class AsyncGate(Awaited):
    """Asks about the people of one app: `gate.Gate`, awaited, with the same arguments and methods.

    Parameters
    ----------
    transport
        Another way to send requests than the network.
    """

    def __init__(
        self, url: str, token: str, app: str, *, transport: httpx.AsyncBaseTransport | None = None, **options: Any
    ) -> None:
        super().__init__(Gate(url, token, app, transport=awaiting(url, transport), **options))


def facts_of(scope: Scope) -> dict[str, Any]:
    """Return what a door sees of any request: the address that it comes from."""
    client = scope.get("client")
    return {"network.ip": client[0]} if client else {}


class AsgiDoor:
    """Asks at each request of somebody who is signed in, and lets only those through who may go on.

    As `wsgi.WsgiDoor`: whoever is in stands in ``scope["caddrel.visitor"]``, and what was answered in
    ``scope["caddrel.verdict"]``. What is no request of HTTP or WebSocket goes through.
    """

    def __init__(self, app: App, gate: AsyncGate, facts: Callable[[Scope], Mapping[str, Any]] = facts_of) -> None:
        self._app, self._gate, self._facts = app, gate, facts

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Answer a request (ASGI 3)."""
        if scope["type"] not in {"http", "websocket"}:
            await self._app(scope, receive, send)
            return
        scope["caddrel.door"], scope["caddrel.visitor"], scope["caddrel.verdict"] = self, None, None
        visitor = visitor_of(_cookies(scope), _secure(scope))
        if visitor is not None:
            verdict = await self._gate.ask(visitor, self._facts(scope))
            if not verdict.allowed:
                await self._refuse(scope, send, verdict)
                return
            scope["caddrel.visitor"], scope["caddrel.verdict"] = verdict.visitor, verdict
        await self._app(scope, receive, send)

    async def sign_in(self, scope: Scope, person: str, facts: Mapping[str, Any]) -> tuple[Verdict, str]:
        """Ask whether somebody may come in; as `wsgi.WsgiDoor.sign_in`."""
        verdict = await self._gate.sign_in(person, {**self._facts(scope), **facts})
        return verdict, cookie_for(verdict.visitor, _secure(scope)) if verdict.visitor is not None else ""

    async def sign_out(self, scope: Scope) -> str:
        """End the session of a request; returns the header ``Set-Cookie`` that forgets it."""
        visitor: Visitor | None = scope.get("caddrel.visitor")
        if visitor is not None:
            await self._gate.sign_out(visitor)
        return cookie_for(None, _secure(scope))

    async def _refuse(self, scope: Scope, send: Send, verdict: Verdict) -> None:
        if scope["type"] == "websocket":
            # Before it is accepted a server answers this with 403.
            await send({"type": "websocket.close", "code": 1008})
            return
        status, _, headers, body = refusal(verdict)
        if verdict.why == "ended":
            headers.append(("Set-Cookie", cookie_for(None, _secure(scope))))
        sent = [(name.lower().encode(), value.encode("latin-1")) for name, value in headers]
        await send({"type": "http.response.start", "status": status, "headers": sent})
        await send({"type": "http.response.body", "body": body})


def _cookies(scope: Scope) -> str:
    return "; ".join(value.decode("latin-1") for name, value in scope["headers"] if name == b"cookie")


def _secure(scope: Scope) -> bool:
    return scope.get("scheme") in {"https", "wss"}
