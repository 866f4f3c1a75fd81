"""Imports of the log as they travel."""

from __future__ import annotations

import msgspec


class LogImport(msgspec.Struct, frozen=True):
    """One import.

    Attributes
    ----------
    name
        What the log was called, such as the name of its file; empty when nobody said.
    ended
        None while it goes on, and when it was cut short: by the end of the service, say.
    first, last
        The moments of its earliest and its latest sign-in.
    there
        How many of its sign-ins are in the log still; None in a list.
    """

    number: int
    name: str
    format: str
    mapping: str
    by: str
    began: str
    ended: str | None
    added: int
    already_there: int
    conflicting: int
    broken: int
    first: str | None
    last: str | None
    taken_back: str | None
    taken_back_by: str | None
    there: int | None = None


class ImportList(msgspec.Struct, frozen=True):
    """Imports, the newest first; `following` asks for those before."""

    items: list[LogImport]
    following: int | None


class TakenBack(msgspec.Struct, frozen=True):
    """How many sign-ins went with an import; `whole` is false when it was cancelled before all of them had gone."""

    number: int
    count: int
    whole: bool
