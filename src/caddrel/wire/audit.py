"""The audit trail as it travels."""

from __future__ import annotations

import msgspec


class AuditEntry(msgspec.Struct, frozen=True):
    """Who did what to what, and how it went: ``done``, or the code of the refusal; `hash` holds the entry before."""

    seq: int
    at: str
    who: str
    did: str
    target: str
    outcome: str
    note: str
    request_id: str
    hash: str


class AuditPage(msgspec.Struct, frozen=True):
    """Entries, newest first, and where to go on."""

    items: list[AuditEntry]
    next: int | None


class AuditVerdict(msgspec.Struct, frozen=True):
    """Whether every entry follows from the one before; `broken` is the first that does not."""

    whole: bool
    entries: int
    broken: int | None
