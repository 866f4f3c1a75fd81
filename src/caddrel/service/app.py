"""The Flask app: endpoints, error documents, security headers, one log line a request, the console's files."""

from __future__ import annotations

import re
import time
from ipaddress import ip_address
from pathlib import Path
from urllib.parse import urlsplit

import msgspec
import structlog
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
from caddrel.service.http.dispatch import register
from caddrel.service.http.endpoints import Endpoint
from caddrel.service.problems import ServiceError, problem_for
from caddrel.service.runtime import Runtime
from caddrel.service.state.settings import Settings
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
# The one inline style that a component library's template holds: "display: contents;".
_STYLE = "'unsafe-hashes' 'sha256-iaOezIDcQIoxCULa6FBKKuLUu09R7kG+Mlu+JVfU3Rw='"
_CSP = (
    f"default-src 'none'; script-src 'self'; style-src 'self'; style-src-attr {_STYLE}; "
    "img-src 'self' data:; font-src 'self'; "
    "connect-src 'self'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
)
_HEADERS = {
    "Content-Security-Policy": _CSP,
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "no-referrer",
    "Cross-Origin-Opener-Policy": "same-origin",
}
_REQUEST_ID = re.compile(r"[\x21-\x7e]{1,200}")
_log = structlog.get_logger("caddrel.requests")


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
    for endpoint in (*ENDPOINTS, *STANDARD_ENDPOINTS):
        register(app, runtime, endpoint)

    @app.get("/api/openapi.json")
    def api_document() -> Response:
        return Response(
            msgspec.json.encode(openapi.document(ENDPOINTS, examples.BODIES, examples.IDS)), mimetype="application/json"
        )

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


def _frame_requests(app: Flask, runtime: Runtime) -> None:
    """Add what happens before and after each request."""

    @app.before_request
    def known_host() -> None:
        if not is_known_host(request.host, runtime.data.settings):
            hint = "start the service with --public-url, if this is what it is called"
            raise ServiceError(421, "unknown-host", f"this service is not called {shorten(request.host, 80)}", hint)

    @app.before_request
    def begin() -> None:
        g.began = time.perf_counter()
        given = request.headers.get("X-Request-ID", "")
        # Echoed as the caller has it, where it can stand in a header and a log line.
        g.request_id = given if _REQUEST_ID.fullmatch(given) else new_id(16)
        g.caller = ""

    @app.after_request
    def finish(response: Response) -> Response:
        # Of these no view gives any: so they are added, and none is looked for.
        response.headers.extend(_HEADERS)
        if runtime.data.settings.origin.startswith("https://"):
            response.headers["Strict-Transport-Security"] = "max-age=31536000"
        response.headers["X-Request-ID"] = g.get("request_id", "")
        _keep_house(runtime)
        _log.info(
            "request.done",
            method=request.method,
            path=request.path,
            status=response.status_code,
            ms=round((time.perf_counter() - g.get("began", time.perf_counter())) * 1000, 1),
            caller=g.get("caller", ""),
            request_id=g.get("request_id", ""),
        )
        return response


def _keep_house(runtime: Runtime) -> None:
    """Write down what is gathered between requests; that it cannot be written spoils nobody's answer."""
    try:
        now = runtime.data.clock()
        runtime.callers.token_uses.write(now)
        runtime.checkpoints.write(now)
    except Exception as error:  # noqa: BLE001
        _log.error("housekeeping.failed", exc_info=error)


def refusal(status: int) -> tuple[list[tuple[str, str]], bytes]:
    """Return headers and problem document for what the server could not take in as a request."""
    error = RequestEntityTooLarge() if status == 413 else default_exceptions.get(status, BadRequest)()
    problem = problem_for(error, new_id(16))
    headers = {**_HEADERS, "Content-Type": "application/problem+json", "X-Request-ID": problem.request_id}
    return list(headers.items()), msgspec.json.encode(problem)


def _tell_errors(app: Flask) -> None:
    """Add what becomes of an error."""

    @app.errorhandler(Exception)
    def refuse(error: Exception) -> Response:
        problem = problem_for(error, g.get("request_id", ""))
        if problem.status >= 500:
            _log.error("request.failed", request_id=problem.request_id, exc_info=error)
        response = Response(msgspec.json.encode(problem), problem.status, mimetype="application/problem+json")
        if problem.status == 401:
            response.headers["WWW-Authenticate"] = 'Bearer realm="caddrel"'
        if isinstance(error, MethodNotAllowed):
            # RFC 9110, section 15.5.6.
            response.headers["Allow"] = ", ".join(sorted(error.valid_methods or ()))
        return response


def is_known_host(host: str, settings: Settings) -> bool:
    """Tell whether a request may name a host.

    A name that somebody else points at this machine would have browsers take their page for ours. Addresses, and the
    machine's own name for itself, cannot be pointed anywhere.
    """
    name = (urlsplit(f"//{host}").hostname or "").casefold()
    if name in settings.hosts or name == "localhost":
        return True
    try:
        ip_address(name)
    except ValueError:
        return False
    return not settings.hosts or ip_address(name).is_loopback


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
