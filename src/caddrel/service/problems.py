"""The one table from errors to problem documents (RFC 9457)."""

from __future__ import annotations

import errno
from collections.abc import Iterable
from typing import Any

import msgspec
from werkzeug.exceptions import HTTPException, MethodNotAllowed, NotFound, RequestEntityTooLarge

from caddrel.core.diagnostics import Diagnostic, RulebookError
from caddrel.core.facts.attempts import AttemptRefused
from caddrel.core.rulebook.edit.limits import LimitRefused
from caddrel.store.engine import NoRoom
from caddrel.store.revisions import Conflict
from caddrel.wire import problems as wire

# An answer holds so many findings.
MOST_TOLD = 200


class ServiceError(Exception):
    """An expected refusal: status, stable code, what is wrong, and what to do about it."""

    def __init__(self, status: int, code: str, title: str, hint: str = "", errors: Iterable[Diagnostic] = ()) -> None:
        super().__init__(title)
        self.status = status
        self.code = code
        self.title = title
        self.hint = hint
        self.errors = tuple(errors)

    def __reduce__(self) -> tuple[Any, ...]:
        """Say how it is made again: it may come from a process of its own."""
        return ServiceError, (self.status, self.code, self.title, self.hint, self.errors)


def not_found(what: str, hint: str = "") -> ServiceError:
    """Return the refusal of something that is not there."""
    return ServiceError(404, "not-found", f"there is no {what}", hint)


def diagnostic(found: Diagnostic) -> wire.Diagnostic:
    """Return a diagnostic as it travels."""
    span = found.span
    return wire.Diagnostic(
        found.code,
        found.message,
        found.severity,
        found.hint,
        list(found.expected[:50]),
        found.path,
        wire.Span(span.file, span.line, span.column, span.end_line, span.end_column) if span else None,
        wire.Change(found.change.path, found.change.value) if found.change else None,
        found.danger or "",
        found.accepted,
    )


def problem_for(error: BaseException, request_id: str) -> wire.Problem:
    """Return the problem document for an error; of an unexpected one nothing is told but that it happened."""
    match error:
        case ServiceError():
            return _problem(error.status, error.code, error.title, error.hint, request_id, error.errors)
        case RulebookError():
            hint = "mend it and try again" if len(error.diagnostics) == 1 else "mend them and try again"
            return _problem(422, "bad-rulebook", str(error), hint, request_id, error.diagnostics)
        case LimitRefused(diagnostic=found):
            return _problem(422, found.code, found.message, found.hint, request_id)
        case AttemptRefused():
            return _problem(422, "bad-attempt", "the attempt cannot be read", "", request_id, error.problems)
        case Conflict():
            hint = f"start again from revision {error.current}"
            return _problem(409, "published-in-between", "somebody else published in between", hint, request_id)
        case NoRoom() | OSError(errno=errno.ENOSPC | errno.EDQUOT):
            return _no_room(request_id)
        case msgspec.ValidationError() | msgspec.DecodeError() | RecursionError():
            hint = "the shape is described in /api/openapi.json"
            return _problem(400, "bad-request", f"the request body cannot be read: {error}", hint, request_id)
        case RequestEntityTooLarge():
            hint = "the limits are listed in the reference"
            return _problem(413, "too-large", "the request body is too large", hint, request_id)
        case NotFound():
            return _problem(404, "not-found", "there is nothing at this address", "see /api/openapi.json", request_id)
        case MethodNotAllowed():
            return _problem(405, "method-not-allowed", "this address does not take that method", "", request_id)
        case HTTPException():
            status = error.code or 500
            return _problem(status, "http-error", (error.name or "error").lower(), "", request_id)
        case _:
            hint = "tell whoever runs the service this request id"
            return _problem(500, "internal-error", "something went wrong inside", hint, request_id)


def _no_room(request_id: str) -> wire.Problem:
    hint = "make room, then send it again: what was stored before is passed over"
    return _problem(507, "no-room", "the service cannot write: its disk is full or failing", hint, request_id)


def _problem(
    status: int, code: str, title: str, hint: str, request_id: str, errors: Iterable[Diagnostic] = ()
) -> wire.Problem:
    found = list(errors)
    return wire.Problem(
        title=title,
        status=status,
        code=code,
        type=f"/docs/diagnostics#{code}",
        hint=hint,
        request_id=request_id,
        errors=[diagnostic(each) for each in found[:MOST_TOLD]],
        more=len(found[MOST_TOLD:]),
    )
