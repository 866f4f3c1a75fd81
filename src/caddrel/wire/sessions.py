"""Sessions of doors: who is in."""

from __future__ import annotations

import msgspec


class DoorSession(msgspec.Struct, frozen=True):
    """One session that is still good.

    Attributes
    ----------
    door
        The name of the token that it belongs to.
    app
        What was opened last.
    ends_at, idle_ends_at
        When it ends at the latest, and when unless something is done; None without such a limit.
    signin
        The sign-in that was decided last: what a trace is asked for.
    """

    id: str
    door: str
    person: str
    app: str
    device: str | None
    started: str
    seen: str
    ends_at: str | None
    idle_ends_at: str | None
    end_with_browser: bool
    methods: list[str]
    signin: str


class SessionList(msgspec.Struct, frozen=True):
    """The sessions that are still good, those seen last first."""

    items: list[DoorSession]
