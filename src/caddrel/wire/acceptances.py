"""Acceptances of notices as they travel."""

from __future__ import annotations

import msgspec


class AcceptanceInfo(msgspec.Struct, frozen=True):
    """Who accepted which version of which notice, when, at which door, on the way into which sign-in."""

    person: str
    notice: str
    version: int
    accepted: str
    door: str
    signin: str


class AcceptanceList(msgspec.Struct, frozen=True):
    """Acceptances in the order they came, how many there are, and where to go on."""

    items: list[AcceptanceInfo]
    total: int
    next: int | None
