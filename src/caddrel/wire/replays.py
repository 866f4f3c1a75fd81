"""Replays as they travel: what is asked, and what comes of it."""

from __future__ import annotations

import msgspec

from caddrel.wire.decisions import Piece, RuleRef
from caddrel.wire.rulebooks import Side


class ReplayRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Stored sign-ins to be decided again.

    Attributes
    ----------
    under
        The rulebook under which they are decided.
    rulebook
        Another one to hold that against; left out for what was recorded.
    since, until
        Which sign-ins: a moment, a date or a duration back from now, such as ``7d``.
    where
        A filter of the log, in the condition language.
    inventory
        ``then``: facts as recorded; ``now``: people, devices and apps as the inventory has them now.
    """

    under: Side
    rulebook: Side | None = None
    since: str = "7d"
    until: str = ""
    where: str = ""
    inventory: str = "then"


class Flow(msgspec.Struct, frozen=True):
    """How many sign-ins went from one outcome to another, of how many people with how many devices."""

    before: str = msgspec.field(name="from")
    after: str = msgspec.field(name="to")
    count: int = 0
    people: int = 0
    devices: int = 0


class Because(msgspec.Struct, frozen=True):
    """A rule that causes a change of outcome: one of the new side where that is stricter, else of the old."""

    before: str = msgspec.field(name="from")
    after: str = msgspec.field(name="to")
    policy: str = ""
    rule: str = ""
    count: int = 0
    people: int = 0


class Numbers(msgspec.Struct, frozen=True):
    """How many sign-ins, people and devices."""

    count: int
    people: int
    devices: int


class PersonHit(msgspec.Struct, frozen=True):
    """What changes for one person.

    Attributes
    ----------
    flows
        How often from which outcome to which; devices and people of each are not counted here.
    last
        The last sign-in that changes.
    factors
        Those enrolled, None when nobody knows.
    asked, missing
        Of the last of these: what would be asked for, and what cannot be met at the door.
    enrol
        Sets of factors, any of which would have to be enrolled first.
    fixes
        What to do about the device.
    needs
        All of that in words, a line each.
    """

    person: str
    title: str
    flows: list[Flow]
    last: str
    devices: list[str]
    because: list[RuleRef]
    factors: list[str] | None
    asked: list[str]
    missing: list[str]
    enrol: list[list[str]]
    fixes: list[str]
    needs: list[str]


class Share(msgspec.Struct, frozen=True):
    """How many of the sign-ins that change are of one app, group, place, device or day, and of how many people."""

    name: str
    count: int
    people: int


class ReplayResult(msgspec.Struct, frozen=True):
    """What a replay came to.

    Attributes
    ----------
    attempts, people, devices
        How many were replayed.
    same
        How many have the same outcome on both sides.
    meaning
        How many recorded outcomes differ for the change of meaning alone.
    undetermined
        How many are not certain on the new side; `lacking` are facts that they lack, the most frequent first.
    changed
        How many have another outcome.
    hit
        What changes for whom, most often first; at most so many as are told.
    by
        What changes by ``app``, ``group``, ``place``, ``device`` (platform and version) and ``day``.
    titles
        What those are called that have a title: by ``policy``, ``app``, ``group`` and ``place``, and then by id.
    contact
        Whom people may ask, as the rulebook has it.
    under, rulebook
        What was replayed, in words: ``draft tablets-need-may``, ``revision 7``, ``what was recorded``.
    """

    sentence: list[Piece]
    attempts: int
    same: int
    meaning: int
    undetermined: int
    flows: list[Flow]
    because: list[Because]
    people: int
    devices: int
    changed: Numbers
    hit: list[PersonHit]
    lacking: list[str]
    by: dict[str, list[Share]]
    under: str
    rulebook: str
    since: str
    until: str
    contact: str = ""
    draft: str = ""
    version: int = 0
    titles: dict[str, dict[str, str]] = {}


class LettersRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Texts for those whom a replay hits, or for one of them; without a template there is one to begin with."""

    template: str = ""
    person: str = ""


class Letter(msgspec.Struct, frozen=True):
    """What one person is to be told."""

    person: str
    title: str
    text: str


class Letters(msgspec.Struct, frozen=True):
    """Texts, most hit first, and the template that they were made from."""

    items: list[Letter]
    template: str


class Replayed(msgspec.Struct, frozen=True):
    """The last replay of a draft, without a result when there is none; `stale` when the draft has changed since."""

    job: str
    result: ReplayResult | None
    stale: bool
