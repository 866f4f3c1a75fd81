"""What is the same about every request and answer: whom it may be for, its id, the headers, its line in the log."""

from __future__ import annotations

import contextlib
import re
import time
from ipaddress import ip_address
from urllib.parse import urlsplit

import structlog

from caddrel.service.auth.secrets import new_id
from caddrel.service.state.settings import Settings

# The one inline style that a component library's template holds: "display: contents;".
_STYLE = "'unsafe-hashes' 'sha256-iaOezIDcQIoxCULa6FBKKuLUu09R7kG+Mlu+JVfU3Rw='"
_CSP = (
    f"default-src 'none'; script-src 'self'; style-src 'self'; style-src-attr {_STYLE}; "
    "img-src 'self' data:; font-src 'self'; "
    "connect-src 'self'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
)
HEADERS = {
    "Content-Security-Policy": _CSP,
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "no-referrer",
    "Cross-Origin-Opener-Policy": "same-origin",
}
SECURE_HEADERS = {**HEADERS, "Strict-Transport-Security": "max-age=31536000"}
_REQUEST_ID = re.compile(r"[\x21-\x7e]{1,200}")
# Seconds until it makes sense to ask again what was refused because there was too much.
RETRY_AFTER = "1"
_log = structlog.get_logger("caddrel.requests")


def request_id_of(given: str) -> str:
    """Return what a request is called: as its caller has it where it can stand in a header and a log line."""
    return given if _REQUEST_ID.fullmatch(given) else new_id(16)


def headers_for(settings: Settings) -> dict[str, str]:
    """Return the headers of every answer, but for its request's id."""
    return SECURE_HEADERS if settings.origin.startswith("https://") else HEADERS


def headers_of_problem(status: int) -> dict[str, str]:
    """Return the headers that only an answer of a status has."""
    if status == 401:
        return {"WWW-Authenticate": 'Bearer realm="caddrel"'}
    # RFC 9110, section 10.2.3.
    return {"Retry-After": RETRY_AFTER} if status == 503 else {}


def log_request(method: str, path: str, status: int, began: float, caller: str, request_id: str) -> None:
    """Write the line of an answered request.

    Parameters
    ----------
    began
        On `time.perf_counter`.
    """
    ms = round((time.perf_counter() - began) * 1000, 1)
    # A log that cannot be written, on a full disk or when nobody reads it any more, keeps nobody from their answer.
    with contextlib.suppress(OSError, ValueError):
        _log.info("request.done", method=method, path=path, status=status, ms=ms, caller=caller, request_id=request_id)


def log_failure(request_id: str, error: BaseException) -> None:
    """Write what went wrong inside."""
    with contextlib.suppress(OSError, ValueError):
        _log.error("request.failed", request_id=request_id, exc_info=error)


def is_known_host(host: str, settings: Settings) -> bool:
    """Tell whether a request may name a host.

    A name that somebody else points at this machine would have browsers take their page for ours. Addresses, and the
    machine's own name for itself, cannot be pointed anywhere.
    """
    name = (urlsplit(f"//{host}").hostname or "").casefold()
    if name in settings.hosts or name == "localhost":
        return True
    try:
        address = ip_address(name)
    except ValueError:
        return False
    return not settings.hosts or address.is_loopback
