"""Problem documents (RFC 9457) and the diagnostics that they may carry."""

from __future__ import annotations

from typing import Literal

import msgspec


class Span(msgspec.Struct, frozen=True):
    """A stretch of a file; lines and columns count from 1."""

    file: str
    line: int
    column: int
    end_line: int
    end_column: int


class Change(msgspec.Struct, frozen=True):
    """A change of the document that would settle a finding; `value` is YAML, null takes out what is at `path`."""

    path: str
    value: str | None = None


class Diagnostic(msgspec.Struct, frozen=True, omit_defaults=True):
    """One finding about a text: stable code, what is wrong, what would be right.

    `danger` is what a doubtful thing endangers; `accepted` why the rulebook says that it stands.
    """

    code: str
    message: str
    severity: str = "error"
    hint: str = ""
    expected: list[str] = []
    path: str = ""
    span: Span | None = None
    change: Change | None = None
    danger: Literal["", "somebody-gets-in", "nobody-gets-in", "nobody-can-explain", "tidiness"] = ""
    accepted: str = ""


class Problem(msgspec.Struct, frozen=True, omit_defaults=True):
    """A problem document, RFC 9457 section 3, with a stable `code` and the findings in `errors`.

    `more` tells how many further findings there are.
    """

    title: str
    status: int
    code: str
    type: str = "about:blank"
    detail: str = ""
    hint: str = ""
    request_id: str = ""
    errors: list[Diagnostic] = []
    more: int = 0
