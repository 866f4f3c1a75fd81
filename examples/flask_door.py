"""A Flask app behind a door: each request of somebody who is signed in is asked about.

Needs CADDREL_URL, CADDREL_TOKEN (of the role `door`) and CADDREL_APP (the app's id); listens on PORT, 8440 when unset.
"""

from __future__ import annotations

import hmac
import os
from wsgiref.simple_server import make_server

from flask import Flask, Response, redirect, request
from markupsafe import escape

from caddrel.door import Gate, WsgiDoor
from caddrel.door.refusal import refusal

# Whose password is whose is the app's own business; Caddrel is told whether it was right.
PASSWORDS = {"ines.faro": "the tide turns at six"}

app = Flask(__name__)
gate = Gate(os.environ["CADDREL_URL"], os.environ["CADDREL_TOKEN"], os.environ["CADDREL_APP"])
door = WsgiDoor(app.wsgi_app, gate)
app.wsgi_app = door  # type: ignore[method-assign]


@app.get("/")
def page() -> str:
    """Greet whoever is in, and ask everybody else in."""
    visitor = request.environ["caddrel.visitor"]
    if visitor is not None:
        return f"<p>Good morning, {escape(visitor.person)}.</p><form method=post action=/sign-out><button>Out</button>"
    return "<form method=post action=/sign-in><input name=person><input name=password type=password><button>In</button>"


@app.post("/sign-in")
def sign_in() -> Response:
    """Look at the password, and ask whether this person may come in."""
    person, password = request.form["person"], request.form["password"]
    right = hmac.compare_digest(PASSWORDS.get(person, "").encode(), password.encode()) and person in PASSWORDS
    said = {"auth.credentials": "right" if right else "wrong", "auth.methods": {"pwd": 0}, "client.kind": "browser"}
    verdict, cookie = door.sign_in(request.environ, person, said)
    if not verdict.allowed:
        status, _, headers, body = refusal(verdict)
        return Response(body, status, headers)
    answer = redirect("/", 303)
    answer.headers["Set-Cookie"] = cookie
    return answer  # type: ignore[return-value]


@app.post("/sign-out")
def sign_out() -> Response:
    """End the session, here and in Caddrel."""
    answer = redirect("/", 303)
    answer.headers["Set-Cookie"] = door.sign_out(request.environ)
    return answer  # type: ignore[return-value]


if __name__ == "__main__":
    with make_server("127.0.0.1", int(os.environ.get("PORT", "8440")), app) as server:
        print(f"http://127.0.0.1:{server.server_port}", flush=True)
        server.serve_forever()
