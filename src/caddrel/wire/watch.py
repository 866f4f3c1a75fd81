"""What there is to watch, as it travels."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date, timedelta

import msgspec

from caddrel.wire.decisions import Piece


class ShadowDay(msgspec.Struct, frozen=True):
    """How many sign-ins of a day a shadow policy alone would have blocked, and challenged, that came out milder."""

    day: str
    blocked: int
    challenged: int


class ShadowPolicy(msgspec.Struct, frozen=True):
    """A policy in shadow, with what it alone would have done of late.

    Attributes
    ----------
    since
        Since when it is in shadow as it is now.
    people
        Whom, by id.
    ready
        Whether it may be enforced by the stated rule; `why` says in which way it is, or is not.
    """

    policy: str
    title: str
    since: str
    blocked: int
    challenged: int
    people: list[str]
    days: list[ShadowDay]
    ready: bool
    why: str


class ShadowPolicyList(msgspec.Struct, frozen=True):
    """The shadow policies of the current revision, in its order."""

    items: list[ShadowPolicy]


class WatchItem(msgspec.Struct, frozen=True):
    """One thing that is wrong, due or worth a look.

    Attributes
    ----------
    kind
        ``cause``, ``held``, ``rehearsal``, ``guarantee``, ``lint``, ``shadow``, ``ending``, ``review`` or ``feed``.
    state
        ``wrong``, ``due`` or ``look``.
    detail
        What changed just before, or what to do.
    mark
        What it is now: who sets it aside sets this aside, and nothing that it may become.
    set_aside, by
        Why it was set aside, and by whom; empty when it was not.
    """

    key: str
    kind: str
    state: str
    says: list[Piece]
    detail: str
    mark: str
    set_aside: str = ""
    by: str = ""


class DayOutcomes(msgspec.Struct, frozen=True):
    """How many sign-ins of a day had which outcome."""

    day: str
    allowed: int = 0
    challenged: int = 0
    blocked: int = 0


class FirstStep(msgspec.Struct, frozen=True):
    """One of the first steps of a company: why it is taken, where in the console, and by which command.

    `skipped_by` is who passed it over; empty when nobody did. It is set aside by the key ``first-step:`` and its name.
    """

    name: str
    title: str
    why: str
    place: str
    command: str
    taken: bool
    skipped_by: str = ""


class Watch(msgspec.Struct, frozen=True):
    """Everything to watch; `well` when nothing is wrong that is not set aside.

    `first_steps` are there until each was taken or passed over.
    """

    sentence: str
    well: bool
    items: list[WatchItem]
    days: list[DayOutcomes]
    first_steps: list[FirstStep] = []


class SetAsideRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Setting a thing aside with a reason; an empty reason takes it up again."""

    key: str
    mark: str
    why: str = ""


def day_counts(counts: Iterable[tuple[int, str, int]]) -> list[DayOutcomes]:
    """Return counts by day (days since 1970) and outcome, a day each."""
    days: dict[int, dict[str, int]] = {}
    for day, outcome, count in counts:
        days.setdefault(day, {})[outcome] = count
    return [DayOutcomes((date(1970, 1, 1) + timedelta(days=day)).isoformat(), **found) for day, found in days.items()]
