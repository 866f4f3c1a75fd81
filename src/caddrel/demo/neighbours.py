"""The neighbours of the demo: a directory, a threat feed and a mail gateway, through public interfaces only.

A process of its own, with a page on which each can be made to do something. The directory speaks SCIM 2.0, the feed
tells security events that it signs, and the gateway is told events over a stream that it polls.
"""

from __future__ import annotations

import base64
import json
import os
import secrets
import signal
import sys
import threading
import time
from collections import deque
from collections.abc import Mapping
from typing import Any

import httpx
from flask import Flask, Response, abort, redirect, render_template_string, request
from joserfc import jws
from joserfc.jwk import OKPKey
from werkzeug.wrappers import Response as Answer

ISSUER, AUDIENCE = "https://feed.kelpline.example", "kelpline"
_RISC = "https://schemas.openid.net/secevent/risc/event-type/"
_CAEP = "https://schemas.openid.net/secevent/caep/event-type/"
_PATCH = "urn:ietf:params:scim:api:messages:2.0:PatchOp"
_POLL = "urn:ietf:rfc:8936"
# Seconds between two polls, and how many events the gateway remembers.
_EVERY, _REMEMBERED = 1.0, 30
_CSP = "default-src 'none'; style-src 'unsafe-inline'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
_PAGE = """<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width">
<title>The neighbours</title>
<style>
  :root { color-scheme: light dark; font: 16px/1.5 system-ui, sans-serif }
  body { max-width: 64rem; margin: 2rem auto; padding: 0 1rem }
  section { border-top: 2px solid; padding: .5rem 0 1rem }
  form { display: flex; flex-wrap: wrap; gap: .5rem; align-items: end; margin: .25rem 0 }
  input, button { font: inherit; padding: .2rem .6rem }
  pre { white-space: pre-wrap; overflow-wrap: anywhere }
</style>
<h1>The neighbours</h1>
<p>Systems beside Caddrel that keep its facts current, or are told by it. Sign somebody in at the doorway first; then
have a neighbour do something, and click on at the doorway.</p>
{% if said %}<p role="status"><b>{{ said }}</b></p>{% endif %}
<section aria-labelledby="directory"><h2 id="directory">The directory of the head office</h2>
<p>Says by SCIM 2.0 who there is, and who is in which group.</p>
<form method="post" action="/directory">
  <label>Person <input name="person" value="{{ person }}" required></label>
  <label>Group <input name="group" value="{{ group }}"></label>
  <button name="do" value="drop">Take off the group</button><button name="do" value="add">Put on the group</button>
  <button name="do" value="off">Has left</button><button name="do" value="back">Is back</button>
</form></section>
<section aria-labelledby="feed"><h2 id="feed">A threat feed</h2>
<p>Tells security events, each signed.</p>
<form method="post" action="/feed">
  <label>Person <input name="person" value="{{ person }}" required></label>
  <button name="do" value="compromise">A credential is compromised</button>
  <button name="do" value="high">The risk is high</button><button name="do" value="low">The risk is low</button>
</form></section>
<section aria-labelledby="gateway"><h2 id="gateway">The mail gateway</h2>
<p>Is told what happens to sessions, people and devices, over a stream that it polls. The latest first:</p>
{% for event in events %}<pre>{{ event }}</pre>{% else %}<p>Nothing yet.</p>{% endfor %}
</section></html>"""


class Neighbours:
    """The three of them.

    Parameters
    ----------
    url
        Where Caddrel is.
    tokens
        Of the directory and the receiver, by role.
    key
        What the feed signs with.
    """

    def __init__(self, url: str, tokens: Mapping[str, str], key: OKPKey) -> None:
        self._http = httpx.Client(base_url=url, timeout=20)
        self._tokens = tokens
        self._key = key
        self.events: deque[str] = deque(maxlen=_REMEMBERED)
        self._stream = ""

    def close(self) -> None:
        """Close the connections."""
        self._http.close()

    def directory(self, do: str, person: str, group: str) -> str:
        """Have the directory say something; return what came of it."""
        if do in {"off", "back"}:
            operation: dict[str, Any] = {"op": "replace", "path": "active", "value": do == "back"}
            path = f"/scim/v2/Users/{person}"
        elif do == "add":
            operation = {"op": "add", "path": "members", "value": [{"value": person}]}
            path = f"/scim/v2/Groups/{group}"
        else:
            quoted = json.dumps(person)
            operation = {"op": "remove", "path": f"members[value eq {quoted}]"}
            path = f"/scim/v2/Groups/{group}"
        headers = {"Authorization": f"Bearer {self._tokens['directory']}", "Content-Type": "application/scim+json"}
        body = {"schemas": [_PATCH], "Operations": [operation]}
        answer = self._http.patch(path, json=body, headers=headers)
        return "The directory has said so." if answer.status_code in {200, 204} else f"Refused: {answer.text[:300]}"

    def feed(self, do: str, person: str) -> str:
        """Have the feed tell something; return what came of it."""
        uri, said = (
            (f"{_RISC}credential-compromise", {"credential_type": "password"})
            if do == "compromise"
            else (f"{_CAEP}risk-level-change", {"principal": "USER", "current_level": do.upper()})
        )
        claims = {
            "iss": ISSUER, "aud": AUDIENCE, "jti": secrets.token_hex(8), "iat": int(time.time()),
            "sub_id": {"format": "opaque", "id": person}, "events": {uri: said},
        }  # fmt: skip
        header = {"typ": "secevent+jwt", "alg": "Ed25519", "kid": self._key.kid}
        token = jws.serialize_compact(header, json.dumps(claims), self._key, algorithms=["Ed25519"])
        headers = {"Content-Type": "application/secevent+jwt"}
        answer = self._http.post("/ssf/v1/events", content=token, headers=headers)
        return "The feed has told it." if answer.status_code == 202 else f"Refused: {answer.text[:300]}"

    def poll(self) -> None:
        """Have the gateway ask for events, and say that it has them."""
        headers = {"Authorization": f"Bearer {self._tokens['receiver']}"}
        if not self._stream:
            there = self._http.get("/ssf/v1/stream", headers=headers).json()
            asked = {"delivery": {"method": _POLL}, "description": "the mail gateway"}
            made = there[0] if there else self._http.post("/ssf/v1/stream", json=asked, headers=headers).json()
            self._stream = made["delivery"]["endpoint_url"]
        had: list[str] = []
        while True:
            answer = self._http.post(self._stream, json={"ack": had}, headers=headers).json()
            had = list(answer["sets"])
            if not had:
                return
            for token in answer["sets"].values():
                payload = token.split(".")[1]
                claims = json.loads(base64.urlsafe_b64decode(payload + "=" * (-len(payload) % 4)))
                kind = next(iter(claims["events"]))
                told = {"event": kind.rpartition("/")[2], "about": claims["sub_id"], **claims["events"][kind]}
                self.events.appendleft(json.dumps(told, indent=2, ensure_ascii=False))


def create_app(neighbours: Neighbours) -> Flask:
    """Return their page."""
    app = Flask("caddrel.demo.neighbours", static_folder=None)

    @app.before_request
    def from_this_page() -> None:
        # Whoever is looked at elsewhere in the same browser may not have the neighbours do anything.
        if request.method == "POST" and request.headers.get("Sec-Fetch-Site", "same-origin") != "same-origin":
            abort(403)

    @app.after_request
    def guard(response: Response) -> Response:
        response.headers["Content-Security-Policy"] = _CSP
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Cache-Control"] = "no-store"
        return response

    @app.get("/")
    def page() -> str:
        chosen = {name: request.args.get(name, first) for name, first in (("person", "ines.faro"), ("group", "bridge"))}
        return render_template_string(
            _PAGE, events=list(neighbours.events), said=request.args.get("said", ""), **chosen
        )

    @app.post("/directory")
    def directory() -> Answer:
        form = request.form
        return _back(neighbours.directory(form.get("do", ""), form.get("person", ""), form.get("group", "")))

    @app.post("/feed")
    def feed() -> Answer:
        return _back(neighbours.feed(request.form.get("do", ""), request.form.get("person", "")))

    return app


def _back(said: str) -> Answer:
    chosen = {name: request.form.get(name, "")[:200] for name in ("person", "group") if request.form.get(name)}
    return redirect(f"/?{httpx.QueryParams({**chosen, 'said': said})}", 303)


def main() -> None:
    """Be the neighbours: listen on the port that is named, until standard input ends."""
    import waitress.server

    signal.signal(signal.SIGINT, signal.SIG_IGN)
    given = os.environ
    key = OKPKey.import_key(json.loads(given["CADDREL_FEED_KEY"]))
    tokens = {role: given[f"CADDREL_{role.upper()}_TOKEN"] for role in ("directory", "receiver")}
    neighbours = Neighbours(given["CADDREL_URL"], tokens, key)
    try:
        server: Any = waitress.server.create_server(
            create_app(neighbours), host="127.0.0.1", port=int(sys.argv[1]), threads=4, ident=None
        )
    except OSError:
        return
    threading.Thread(target=server.run, daemon=True).start()
    print(f"http://127.0.0.1:{server.effective_port}", flush=True)  # noqa: T201 - told to whoever began it
    threading.Thread(target=_poll_on, args=(neighbours,), daemon=True).start()
    sys.stdin.read()
    os._exit(0)


def _poll_on(neighbours: Neighbours) -> None:
    while True:
        time.sleep(_EVERY)
        try:
            neighbours.poll()
        except (httpx.HTTPError, ValueError, KeyError, LookupError):
            # Not up yet, or going down: asked again.
            continue


if __name__ == "__main__":
    main()
