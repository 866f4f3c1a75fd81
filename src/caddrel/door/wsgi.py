"""A door in front of a WSGI app (PEP 3333): Flask and its like."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from typing import Any

from caddrel.door.gate import Gate
from caddrel.door.refusal import refusal
from caddrel.door.verdict import Verdict
from caddrel.door.visitor import Visitor, cookie_for, visitor_of

Environ = dict[str, Any]
App = Callable[[Environ, Callable[..., Any]], Iterable[bytes]]
# Under which names the app finds them.
VISITOR, VERDICT, DOOR = "caddrel.visitor", "caddrel.verdict", "caddrel.door"


def facts_of(environ: Environ) -> dict[str, Any]:
    """Return what a door sees of any request: the address that it comes from."""
    address = environ.get("REMOTE_ADDR")
    return {"network.ip": address} if address else {}


class WsgiDoor:
    """Asks at each request of somebody who is signed in, and lets only those through who may go on.

    Requests of nobody go through: it is the app that asks people in (`sign_in`) and decides which pages are for
    everybody. Whoever is in stands in ``environ["caddrel.visitor"]``, and what was answered in
    ``environ["caddrel.verdict"]``.

    Parameters
    ----------
    app
        The app.
    gate
        Whom to ask.
    facts
        What the door sees of a request beside its address, by the names of facts.
    """

    def __init__(self, app: App, gate: Gate, facts: Callable[[Environ], Mapping[str, Any]] = facts_of) -> None:
        self._app, self._gate, self._facts = app, gate, facts

    def __call__(self, environ: Environ, start_response: Callable[..., Any]) -> Iterable[bytes]:
        """Answer a request (PEP 3333)."""
        # What a client sends cannot stand here: its headers all begin with HTTP_.
        environ[DOOR], environ[VISITOR], environ[VERDICT] = self, None, None
        visitor = visitor_of(environ.get("HTTP_COOKIE", ""), _secure(environ))
        if visitor is None:
            return self._app(environ, start_response)
        verdict = self._gate.ask(visitor, self._facts(environ))
        if not verdict.allowed:
            status, reason, headers, body = refusal(verdict)
            if verdict.why == "ended":
                headers.append(("Set-Cookie", cookie_for(None, _secure(environ))))
            start_response(f"{status} {reason}", headers)
            return [body]
        environ[VISITOR], environ[VERDICT] = verdict.visitor, verdict
        return self._app(environ, start_response)

    def sign_in(self, environ: Environ, person: str, facts: Mapping[str, Any]) -> tuple[Verdict, str]:
        """Ask whether somebody may come in who has just shown who they are to the app.

        Parameters
        ----------
        facts
            What the app saw: credentials and methods at least.

        Returns
        -------
        tuple
            What was answered, and the header ``Set-Cookie`` for the app's answer; empty where nobody is in.
        """
        verdict = self._gate.sign_in(person, {**self._facts(environ), **facts})
        return verdict, cookie_for(verdict.visitor, _secure(environ)) if verdict.visitor is not None else ""

    def sign_out(self, environ: Environ) -> str:
        """End the session of a request; returns the header ``Set-Cookie`` that forgets it."""
        visitor: Visitor | None = environ.get(VISITOR)
        if visitor is not None:
            self._gate.sign_out(visitor)
        return cookie_for(None, _secure(environ))


def _secure(environ: Environ) -> bool:
    return bool(environ.get("wsgi.url_scheme") == "https")
