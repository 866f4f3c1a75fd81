"""A Starlette app behind a door: the same as flask_door.py, awaited.

Needs CADDREL_URL, CADDREL_TOKEN (of the role `door`) and CADDREL_APP (the app's id); listens on PORT, 8440 when unset.
"""

from __future__ import annotations

import hmac
import os
import socket
from html import escape
from urllib.parse import parse_qs

import uvicorn
from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import HTMLResponse, RedirectResponse, Response
from starlette.routing import Route

from caddrel.door.asgi import AsgiDoor, AsyncGate
from caddrel.door.refusal import refusal

PASSWORDS = {"ines.faro": "the tide turns at six"}


async def page(request: Request) -> Response:
    """Greet whoever is in, and ask everybody else in."""
    visitor = request.scope["caddrel.visitor"]
    if visitor is not None:
        return HTMLResponse(f"<p>Good morning, {escape(visitor.person)}.</p>")
    return HTMLResponse("<form method=post action=/sign-in><input name=person><input name=password type=password>")


async def sign_in(request: Request) -> Response:
    """Look at the password, and ask whether this person may come in."""
    form = parse_qs((await request.body()).decode(), keep_blank_values=True)
    person, password = form["person"][0], form["password"][0]
    right = hmac.compare_digest(PASSWORDS.get(person, "").encode(), password.encode()) and person in PASSWORDS
    said = {"auth.credentials": "right" if right else "wrong", "auth.methods": {"pwd": 0}, "client.kind": "browser"}
    verdict, cookie = await door.sign_in(request.scope, person, said)
    if not verdict.allowed:
        status, _, headers, body = refusal(verdict)
        return Response(body, status, dict(headers))
    return RedirectResponse("/", 303, {"Set-Cookie": cookie})


async def sign_out(request: Request) -> Response:
    """End the session, here and in Caddrel."""
    return RedirectResponse("/", 303, {"Set-Cookie": await door.sign_out(request.scope)})


app = Starlette(
    routes=[
        Route("/", page),
        Route("/sign-in", sign_in, methods=["POST"]),
        Route("/sign-out", sign_out, methods=["POST"]),
    ]
)
gate = AsyncGate(os.environ["CADDREL_URL"], os.environ["CADDREL_TOKEN"], os.environ["CADDREL_APP"])
door = AsgiDoor(app, gate)

if __name__ == "__main__":
    with socket.create_server(("127.0.0.1", int(os.environ.get("PORT", "8440")))) as listening:
        print(f"http://127.0.0.1:{listening.getsockname()[1]}", flush=True)
        config = uvicorn.Config(door, lifespan="off", log_level="warning")
        uvicorn.Server(config).run(sockets=[listening])
