"""The Flask app: endpoints, error documents, security headers, one log line a request, the console's files."""

from __future__ import annotations

import time
from functools import cache
from pathlib import Path

import msgspec
from flask import Flask, Response, g, request, send_from_directory
from werkzeug.exceptions import BadRequest, MethodNotAllowed, RequestEntityTooLarge, default_exceptions

from caddrel.core.diagnostics import shorten
from caddrel.core.facts.catalogue import Catalogue
from caddrel.core.logs.schema import signin_schema
from caddrel.core.rulebook.schema import rulebook_schema
from caddrel.service.auth.secrets import new_id
from caddrel.service.handbook.pages import Handbook, folder
from caddrel.service.handbook.routes import serve_handbook
from caddrel.service.http import openapi
from caddrel.service.http.dispatch import Route, methods_here, register
from caddrel.service.http.endpoints import Endpoint
from caddrel.service.http.frame import (
    HEADERS,
    headers_for,
    headers_of_problem,
    is_known_host,
    log_failure,
    log_request,
    request_id_of,
)
from caddrel.service.problems import ServiceError, problem_for
from caddrel.service.runtime import Runtime, keep_house
from caddrel.service.views import (
    acceptances,
    access,
    audit,
    authoring,
    coverage,
    doctor,
    door,
    drafts,
    examples,
    feeds,
    imports,
    inventory,
    jobs,
    limits,
    mappings,
    passwords,
    profiles,
    proofs,
    rehearsals,
    replays,
    rulebook,
    scim,
    sessions,
    shared_signals,
    sheets,
    signins,
    starter_codes,
    unlisted,
    watch,
)

ENDPOINTS: list[Endpoint[Runtime]] = [
    *access.endpoints.all,
    *rulebook.endpoints.all,
    *sheets.endpoints.all,
    *proofs.endpoints.all,
    *rehearsals.endpoints.all,
    *coverage.endpoints.all,
    *replays.endpoints.all,
    *limits.endpoints.all,
    *signins.endpoints.all,
    *mappings.endpoints.all,
    *imports.endpoints.all,
    *inventory.endpoints.all,
    *profiles.endpoints.all,
    *passwords.endpoints.all,
    *doctor.endpoints.all,
    *jobs.endpoints.all,
    *door.endpoints.all,
    *sessions.endpoints.all,
    *feeds.endpoints.all,
    *unlisted.endpoints.all,
    *starter_codes.endpoints.all,
    *acceptances.endpoints.all,
    *audit.endpoints.all,
    *drafts.endpoints.all,
    *authoring.endpoints.all,
    *watch.endpoints.all,
]
# In the words of standards, and described there.
STANDARD_ENDPOINTS: list[Endpoint[Runtime]] = [*shared_signals.endpoints.all, *scim.endpoints.all]


def create_app(runtime: Runtime, console: Path) -> Flask:
    """Return the app; it keeps nothing global.

    Parameters
    ----------
    console
        Where the built console is.
    """
    data = runtime.data
    app = Flask("caddrel", static_folder=None)
    app.url_map.strict_slashes = False
    # An address is what it says: none leads to another.
    app.url_map.merge_slashes = False
    app.url_rule_class = Route
    for endpoint in (*ENDPOINTS, *STANDARD_ENDPOINTS):
        register(app, runtime, endpoint)

    @app.get("/api/openapi.json")
    def api_document() -> Response:
        return Response(_api_document(), mimetype="application/json")

    _serve_console(app, console)
    serve_handbook(app, Handbook(folder()))

    @app.get("/api/signin.schema.json")
    def record_format() -> Response:
        published = data.rulebooks.current()
        catalogue = published.rulebook.catalogue if published is not None else Catalogue()
        return Response(msgspec.json.encode(signin_schema(catalogue)), mimetype="application/schema+json")

    @app.get("/api/rulebook.schema.json")
    def rulebook_format() -> Response:
        return Response(msgspec.json.encode(rulebook_schema()), mimetype="application/schema+json")

    _frame_requests(app, runtime)
    _tell_errors(app)
    return app


@cache
def _api_document() -> bytes:
    # Anybody may ask for it, and making it takes as long as a hundred requests do.
    return msgspec.json.encode(openapi.document(ENDPOINTS, examples.BODIES, examples.IDS))


def _frame_requests(app: Flask, runtime: Runtime) -> None:
    """Add what happens before and after each request."""
    data = runtime.data

    @app.before_request
    def known_host() -> None:
        if not is_known_host(request.host, data.settings):
            hint = "start the service with --public-url, if this is what it is called"
            raise ServiceError(421, "unknown-host", f"this service is not called {shorten(request.host, 80)}", hint)

    @app.before_request
    def begin() -> None:
        g.began = time.perf_counter()
        g.request_id = request_id_of(request.headers.get("X-Request-ID", ""))
        g.caller = ""

    @app.after_request
    def finish(response: Response) -> Response:
        # Of these no view gives any: so they are added, and none is looked for.
        response.headers.extend(headers_for(data.settings))
        response.headers["X-Request-ID"] = g.get("request_id", "")
        if "Allow" in response.headers:
            response.headers["Allow"] = ", ".join(methods_here())
        keep_house(data, runtime.callers, runtime.checkpoints)
        began = g.get("began", time.perf_counter())
        status, caller, id = response.status_code, g.get("caller", ""), g.get("request_id", "")
        log_request(request.method, request.path, status, began, caller, id)
        return response


def refusal(status: int) -> tuple[list[tuple[str, str]], bytes]:
    """Return headers and problem document for what the server could not take in as a request."""
    error = RequestEntityTooLarge() if status == 413 else default_exceptions.get(status, BadRequest)()
    problem = problem_for(error, new_id(16))
    headers = {
        **HEADERS,
        **headers_of_problem(status),
        "Content-Type": "application/problem+json",
        "X-Request-ID": problem.request_id,
    }
    return list(headers.items()), msgspec.json.encode(problem)


def _tell_errors(app: Flask) -> None:
    """Add what becomes of an error."""

    @app.errorhandler(Exception)
    def refuse(error: Exception) -> Response:
        problem = problem_for(error, g.get("request_id", ""))
        if problem.status >= 500:
            log_failure(problem.request_id, error)
        response = Response(msgspec.json.encode(problem), problem.status, mimetype="application/problem+json")
        response.headers["Cache-Control"] = "no-store"
        response.headers.update(headers_of_problem(problem.status))
        if isinstance(error, MethodNotAllowed):
            # RFC 9110, section 15.5.6.
            response.headers["Allow"] = ", ".join(sorted(error.valid_methods or ()))
        return response


def _serve_console(app: Flask, built: Path) -> None:
    @app.get("/")
    def console() -> Response:
        if not (built / "index.html").is_file():
            text = "The console is not built: run `make install`. The API is at /api/openapi.json.\n"
            return Response(text, 503, mimetype="text/plain")
        return send_from_directory(built, "index.html", max_age=0)

    @app.get("/<any('assets', 'icons'):folder>/<path:name>")
    def asset(folder: str, name: str) -> Response:
        # Names carry a hash of the content, so that they may be kept for good.
        return send_from_directory(built / folder, name, max_age=31_536_000)

    @app.get("/favicon.svg")
    def favicon() -> Response:
        return send_from_directory(built, "favicon.svg", max_age=86_400)
