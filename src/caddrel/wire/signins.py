"""Sign-ins: import, lists, and one with its trace."""

from __future__ import annotations

from typing import Any

import msgspec

from caddrel.wire.decisions import Decision, File, Piece, Remedy, Trace
from caddrel.wire.problems import Change
from caddrel.wire.rulebooks import RevisionInfo


class Recorded(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """What the other system recorded about a sign-in."""

    outcome: str = ""
    reason: str = ""


class SigninSummary(msgspec.Struct, frozen=True):
    """One row of the log."""

    id: str
    reference: str
    at: str
    person: str | None
    app: str | None
    device: str | None
    operation: str | None
    flow: str | None
    address: str | None
    country: str | None
    anonymiser: str | None
    owner: str | None
    platform: str | None
    client: str | None
    credentials: str | None
    recorded_outcome: str | None
    recorded_reason: str | None
    outcome: str
    reason: str | None
    certain: bool
    policy: str | None
    rule: str | None
    shadow_together: str
    revision: int


class Day(msgspec.Struct, frozen=True):
    """How many sign-ins of one day had which outcome."""

    day: str
    allowed: int
    challenged: int
    blocked: int


class SigninPage(msgspec.Struct, frozen=True):
    """One page of the log, newest first; `counts` and `days` speak of everything that matches."""

    items: list[SigninSummary]
    next: str | None
    counts: dict[str, int]
    days: list[Day]


class SigninDetail(msgspec.Struct, frozen=True):
    """A sign-in with its whole decision."""

    summary: SigninSummary
    decision: Decision


class CauseView(msgspec.Struct, frozen=True):
    """Blocks or challenges that have the same deciding policy, rule and facts.

    Attributes
    ----------
    key
        Filter the log with ``cause=KEY`` to see them.
    because
        The facts that decided, in words.
    days
        How many on each day of the window.
    new
        Whether the first of all was in the window; `since` is the revision that was in force then, and `changed` the
        objects that it changed, the deciding policy first.
    help
        What would help all of them at once.
    change
        A change of the rulebook that would, where there is one.
    """

    key: str
    outcome: str
    reason: str | None
    policy: str | None
    policy_title: str
    rule: str | None
    because: list[Piece]
    count: int
    people: int
    devices: int
    apps: int
    first: str
    last: str
    first_ever: str
    new: bool
    since: RevisionInfo
    changed: list[Piece]
    days: list[DayCount]
    sample: list[SigninSummary]
    help: list[list[Piece]]
    change: Change | None


class DayCount(msgspec.Struct, frozen=True):
    """How many on one day."""

    day: str
    count: int


class CauseList(msgspec.Struct, frozen=True):
    """The causes of a window, the most frequent first, and how many sign-ins and people they are about."""

    causes: list[CauseView]
    count: int
    people: int


class Forgotten(msgspec.Struct, frozen=True):
    """How many sign-ins are older than a moment, and whether they were taken out."""

    before: str
    count: int
    done: bool


class BrokenLine(msgspec.Struct, frozen=True):
    """A line that could not be taken in."""

    line: int
    code: str
    message: str
    hint: str = ""


class StrangeWord(msgspec.Struct, frozen=True):
    """A word that is on no list of its fact, and how many sign-ins said it: the fact is unknown there."""

    fact: str
    word: str
    count: int


class BrokenAlike(msgspec.Struct, frozen=True):
    """Lines that are broken alike: by code and fact, how many, and the first of them."""

    code: str
    fact: str
    count: int
    lines: list[BrokenLine]


class Respelled(msgspec.Struct, frozen=True):
    """An id that was taken for one of the inventory, as letters' case alone differs."""

    fact: str
    said: str
    taken: str
    count: int


class ImportResult(msgspec.Struct, frozen=True):
    """What an import did; of broken lines the first are listed, all are counted, and so are words on no list.

    Attributes
    ----------
    skipped
        Rows that the mapping passes over.
    respelled
        Ids whose spelling became the inventory's.
    broken_alike
        The broken lines by what is wrong with them.
    number
        Under which the import is listed.
    """

    added: int
    already_there: int
    conflicting: int
    broken: int
    listed: list[BrokenLine]
    not_understood: list[StrangeWord] = []
    skipped: int = 0
    respelled: list[Respelled] = []
    broken_alike: list[BrokenAlike] = []
    number: int = 0


class SessionSince(msgspec.Struct, frozen=True):
    """What became of the session that a sign-in opened, or went on with.

    Attributes
    ----------
    id, started, seen
        The session, since when somebody is in by it, and when it was decided last at a door.
    ended, by
        When nobody was in by it any more, and who or what ended it; empty while somebody is.
    asks
        What will be asked for at its next request.
    because
        Why it was ended, or why more is asked for.
    held
        The number of the held change that would end it; None where there is none.
    """

    id: str
    started: str
    seen: str
    ended: str = ""
    by: str = ""
    asks: list[str] = []
    because: str = ""
    held: int | None = None


class SigninTrace(msgspec.Struct, frozen=True):
    """Why one sign-in came out as it did.

    Attributes
    ----------
    sentence
        The answer in one sentence.
    facts
        The completed facts as recorded, from which the decision is recomputed.
    same
        Whether recomputing gave the recorded outcome.
    now
        The decision on the same facts under the current revision, and the sentence on it.
    remedies
        What would have led to a better outcome, the easiest first; empty when nothing within three changes would.
    since
        Facts that the inventory and address data would give otherwise today.
    around
        The person's sign-ins before and after it, in order of time, itself among them.
    not_believed
        Facts that the door claimed and may not report: they counted for nothing.
    drafts
        What drafts that were in shadow would have made of it, by name.
    meaning, present
        The number of the meaning that it was decided under; and where that is not the present one, what the same facts
        come to under the present meaning. `decision` is then as it was recorded, and `trace` is of the present one.
    session
        What became of its session; None where it opened none, or that is forgotten.
    """

    summary: SigninSummary
    sentence: list[Piece]
    decision: Decision
    trace: Trace
    revision: RevisionInfo
    person_title: str
    app_title: str
    device_title: str
    fixes: list[Fix]
    same: bool
    now: Now | None
    remedies: list[Remedy]
    since: list[FactChange]
    around: list[SigninSummary]
    not_believed: dict[str, Any] = {}
    drafts: dict[str, str] = {}
    meaning: int = 1
    present: Decision | None = None
    session: SessionSince | None = None


class Fix(msgspec.Struct, frozen=True):
    """A failed check of a device standard, with what to do about it."""

    standard: str
    check: str
    title: str
    fix: str
    truth: str


class FactChange(msgspec.Struct, frozen=True):
    """A fact as it was recorded and as it would be now; None when unknown."""

    fact: str
    then: str | None
    now: str | None


class Now(msgspec.Struct, frozen=True):
    """The same facts under the current revision.

    `changed` are the objects of the rulebook that are not what they were, those first that decided.
    """

    revision: int
    decision: Decision
    sentence: list[Piece]
    changed: list[Piece]


class WholeRecord(msgspec.Struct, frozen=True):
    """Everything a decision came from: recomputing needs no service.

    Attributes
    ----------
    facts
        The completed facts with their origins, as they were recorded.
    files
        The documents of the revision it was decided under.
    meaning
        The number of the meaning that it was decided under; decisions of another may come out otherwise now.
    """

    id: str
    revision: int
    facts: dict[str, Any]
    decision: Decision
    files: list[File]
    meaning: int = 1
