"""The pages of the doorway: the door on the left, what changes the world on the right."""

from __future__ import annotations

import hmac
import secrets
import threading
from collections import OrderedDict
from pathlib import Path

from flask import Flask, Response, abort, make_response, redirect, render_template, request, send_file, url_for
from werkzeug.wrappers import Response as Answer

from caddrel.client import CaddrelError
from caddrel.doorway.actions import ACTIONS, Action, may
from caddrel.doorway.holdings import FIRST_PASSWORD
from caddrel.doorway.networks import CLIENTS, NETWORKS, RISKS
from caddrel.doorway.service import Asking
from caddrel.doorway.stages import Stage, stage_of
from caddrel.doorway.start import PAGES, STORIES, begin, choices
from caddrel.doorway.visit import OPERATIONS, Visit
from caddrel.doorway.world import device_shown

COOKIE = "caddrel_doorway"
_MOST_VISITS = 200
_LARGEST = 16 * 1024
_CSP = (
    "default-src 'none'; style-src 'self'; font-src 'self'; img-src 'self'; "
    "base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
)


class Visits:
    """The visits under way, by what the browser holds; the oldest are forgotten."""

    def __init__(self) -> None:
        self._found: OrderedDict[str, Visit] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, key: str) -> Visit | None:
        """Return a visit."""
        with self._lock:
            return self._found.get(key)

    def put(self, visit: Visit) -> None:
        """Keep a visit."""
        with self._lock:
            self._found[visit.key] = visit
            while len(self._found) > _MOST_VISITS:
                self._found.popitem(last=False)

    def drop(self, key: str) -> None:
        """Forget a visit."""
        with self._lock:
            self._found.pop(key, None)


def create_app(asking: Asking, font: Path | None = None) -> Flask:
    """Return the doorway.

    Parameters
    ----------
    font
        A file of the console's font, when there is one.
    """
    app = Flask("caddrel.doorway", root_path=str(Path(__file__).parent))
    app.config["MAX_CONTENT_LENGTH"] = _LARGEST
    visits, guard = Visits(), secrets.token_urlsafe(32)

    def visiting() -> Visit | None:
        return visits.get(request.cookies.get(COOKIE, ""))

    def post(path: str, action: Action) -> None:
        def view() -> Answer:
            visit = visiting()
            if visit is None or not may(visit, action):
                return redirect(url_for("door"), 303)
            visit.said, visit.failed = "", ()
            action(asking, visit, request.form)
            return redirect(url_for("door"), 303)

        app.add_url_rule(path, path, view, methods=["POST"])

    _be_careful(app, guard)
    _serve_font(app, font)

    @app.get("/")
    def door() -> str:
        visit = visiting()
        if visit is None:
            chosen = {name: value for name, value in request.args.items() if value}
            return render_template("begin.html", guard=guard, stories=STORIES, chosen=chosen, **choices(asking))
        stage = stage_of(visit)
        return _page(asking, visit, stage, guard)

    @app.post("/begin")
    def start() -> Answer:
        visit, wrong = begin(asking, request.form)
        if visit is None:
            again = {"chosen": request.form, "wrong": wrong, **choices(asking)}
            return make_response(render_template("begin.html", guard=guard, stories=STORIES, **again), 422)
        visits.put(visit)
        answer = redirect(url_for("door"), 303)
        answer.set_cookie(COOKIE, visit.key, httponly=True, samesite="Strict")
        return answer

    @app.post("/leave")
    def leave() -> Answer:
        visit = visiting()
        if visit is not None:
            asking.sign_out(visit)
            visits.drop(visit.key)
        answer = redirect(url_for("door"), 303)
        answer.delete_cookie(COOKIE)
        return answer

    for path, action in ACTIONS.items():
        post(path, action)
    return app


def _be_careful(app: Flask, guard: str) -> None:
    """Let only pages of the doorway itself act, and nobody in while nobody decides."""

    @app.before_request
    def own_pages_only() -> None:
        # Another site's page that a name of its own leads here must not act for whoever sits at this machine.
        if request.host.rpartition(":")[0].strip("[]") not in {"127.0.0.1", "localhost", "::1"}:
            abort(421)
        if request.method == "POST" and not hmac.compare_digest(request.form.get("guard", "").encode(), guard.encode()):
            abort(403)

    @app.after_request
    def headers(response: Response) -> Response:
        response.headers["Content-Security-Policy"] = _CSP
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Referrer-Policy"] = "no-referrer"
        response.headers.setdefault("Cache-Control", "no-store")
        return response

    @app.errorhandler(CaddrelError)
    def nobody_decides(error: CaddrelError) -> tuple[str, int]:
        return render_template("closed.html", error=str(error), guard=guard), 503


def _serve_font(app: Flask, font: Path | None) -> None:
    @app.get("/font.woff2")
    def letters() -> Response:
        if font is None:
            abort(404)
        return send_file(font, mimetype="font/woff2", max_age=86_400)


def _page(asking: Asking, visit: Visit, stage: Stage, guard: str) -> str:
    held = asking.holdings(visit.person)
    return render_template(
        f"{stage.name}.html",
        guard=guard,
        visit=visit,
        stage=stage,
        context=visit.answer.context if visit.answer is not None else {},
        operation=OPERATIONS[visit.operation],
        pages=PAGES.get(visit.app, PAGES[""]),
        held=held,
        console=asking.url,
        first_password=FIRST_PASSWORD,
        device=device_shown(asking, visit),
        networks=NETWORKS,
        clients=CLIENTS,
        risks=RISKS,
    )
