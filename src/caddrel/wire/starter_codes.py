"""Starter codes as they travel."""

from __future__ import annotations

import msgspec


class StarterCodeRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A code to issue: for whom, from when on (now when empty), and for how long, such as ``8h``."""

    person: str
    lasts: str = "24h"
    starts: str = ""


class StarterCodeInfo(msgspec.Struct, frozen=True):
    """A code without its text."""

    id: str
    person: str
    starts: str
    ends: str
    issued: str
    issued_by: str
    used: str | None
    used_for: str | None
    revoked: str | None = None


class StarterCodeList(msgspec.Struct, frozen=True):
    """The codes, those issued last first."""

    items: list[StarterCodeInfo]


class StarterCodeMade(msgspec.Struct, frozen=True):
    """A new code; its text is shown this once."""

    info: StarterCodeInfo
    code: str
