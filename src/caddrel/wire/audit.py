"""The audit trail as it travels."""

from __future__ import annotations

import msgspec

from caddrel.wire.decisions import Piece


class AuditEntry(msgspec.Struct, frozen=True):
    """Who did what to what, and how it went: ``done``, or the code of the refusal; `hash` seals it and the one before.

    `address` is where the request came from; `words` tell all of it but who, when and how it went.
    """

    seq: int
    at: str
    who: str
    did: str
    target: str
    outcome: str
    note: str
    request_id: str
    hash: str
    address: str = ""
    words: list[Piece] = []


class AuditPage(msgspec.Struct, frozen=True):
    """Entries, newest first, and where to go on."""

    items: list[AuditEntry]
    next: int | None


class LogVerdict(msgspec.Struct, frozen=True):
    """Whether the sign-in log is as it was written.

    Attributes
    ----------
    sealed
        How many records have seals.
    wrong
        What is not as it was; empty when all is.
    """

    whole: bool
    sealed: int
    wrong: str


class AuditVerdict(msgspec.Struct, frozen=True):
    """Whether every entry is as it was written; `broken` is the first that is not, `how` says what is wrong."""

    whole: bool
    entries: int
    broken: int | None
    how: str = ""
    log: LogVerdict | None = None


class Checkpoint(msgspec.Struct, frozen=True):
    """What the trail and the log have come to, with its Ed25519 signature (base64) and the public key (PEM)."""

    checkpoint: str
    signature: str
    public_key: str
