"""Sessions of doors: who is in."""

from __future__ import annotations

from typing import Literal

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
    asks, because
        What will be asked for at its next request, and why; nothing of it while all is as it was.
    held
        The number of the held change that would end it; None without one.
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
    asks: list[str] = []
    because: str = ""
    held: int | None = None


class SessionList(msgspec.Struct, frozen=True):
    """The sessions that are still good, those seen last first."""

    items: list[DoorSession]


class HeldChange(msgspec.Struct, frozen=True):
    """A change that would end more sessions than may end unasked, or an administrator's: with who they are.

    Attributes
    ----------
    because
        What changed, and who changed it.
    why
        Why it is held.
    """

    number: int
    at: str
    because: str
    why: str
    sessions: list[DoorSession]


class HeldChangeList(msgspec.Struct, frozen=True):
    """The changes about which nobody has decided, the latest first."""

    items: list[HeldChange]


class HeldVerdict(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What is to become of a held change: its sessions end, or are left until something else changes."""

    verdict: Literal["carry out", "spare"]


class HeldDecided(msgspec.Struct, frozen=True):
    """What became of a held change, and of how many sessions."""

    number: int
    verdict: Literal["carried out", "spared"]
    sessions: int
