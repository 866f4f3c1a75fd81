"""Rehearsals as they travel: the answer to one, two side by side, and the steps to a first device.

Not here: all cases of one (`wire.cases`).
"""

from __future__ import annotations

from typing import Any

import msgspec

from caddrel.wire.cases import OpenCases
from caddrel.wire.decisions import Decision, File, Piece, RehearseRequest, Remedy, RuleRef, Trace
from caddrel.wire.numbers import Count


class GroupView(msgspec.Struct, frozen=True):
    """A group that a person is in.

    Attributes
    ----------
    through
        The titles of the groups that lead to it, the one with the membership of their own first; empty where that is
        this one.
    until
        When it ends by itself, empty when it lasts.
    """

    id: str
    title: str
    through: list[str]
    until: str


class UsedFact(msgspec.Struct, frozen=True):
    """A fact of a person that some policy reads."""

    fact: str
    label: str
    shown: str
    origin: str


class Enrolling(msgspec.Struct, frozen=True):
    """Factors that would have to be enrolled, in words, and what can come of trying to.

    `needs_code` where only a starter code gets past; it is told with one then.
    """

    factors: list[str]
    sentence: list[Piece]
    possible: list[str]
    exact: bool
    needs_code: bool


class ProofNeeded(msgspec.Struct, frozen=True):
    """A proof that is asked for, and with what the person can give it.

    Attributes
    ----------
    held
        Sets of factors that she has and that are enough, in words.
    enrolling
        Where there is none: sets of factors that would have to be enrolled, in words.
    code
        Where there is none: whether a starter code would do, which an administrator issues.
    """

    item: str
    words: list[Piece]
    held: list[list[str]]
    enrolling: list[list[str]]
    code: bool = False


class PersonView(msgspec.Struct, frozen=True):
    """Who it is, as the policies see them.

    Attributes
    ----------
    factors
        Those enrolled, in words; None when nobody knows.
    used
        What else the policies read of the person.
    enrol
        What can come of enrolling the factors that are named under `needed`.
    """

    id: str
    title: str
    groups: list[GroupView]
    roles: list[str]
    factors: list[str] | None
    used: list[UsedFact]
    needed: list[ProofNeeded]
    enrol: list[Enrolling]


class StagePart(msgspec.Struct, frozen=True):
    """What a rule has to do with an attempt; without a policy it is no policy that says so.

    `perhaps` where it is open if the rule speaks at all; `decides` where it decides on what is known.
    """

    policy: str
    title: str
    rule: str
    mode: str
    says: list[Piece]
    perhaps: bool
    decides: bool


class Stage(msgspec.Struct, frozen=True):
    """A stage of a sign-in with what has a say there: ``credentials``, ``enrolment``, ``app``, ``session``."""

    stage: str
    title: str
    parts: list[StagePart]


class Rehearsal(msgspec.Struct, frozen=True):
    """The answer to a rehearsal: all cases, the decision on what is known with its trace, remarks on what was given.

    `remedies` are there only where it is settled; `person` where one is named whom the inventory knows.
    """

    sentence: list[Piece]
    decision: Decision
    trace: Trace
    remarks: list[str]
    remedies: list[Remedy]
    cases: OpenCases
    stages: list[Stage]
    person: PersonView | None = None


class RehearsalInfo(msgspec.Struct, frozen=True):
    """A rehearsal that is kept in the rulebook: its facts as JSON, and the outcome that it must have."""

    id: str
    title: str
    expect: str
    attempt: dict[str, Any]


class RehearsalList(msgspec.Struct, frozen=True):
    """The rehearsals of a rulebook, in document order."""

    items: list[RehearsalInfo]


class BesideRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Two rehearsals to be shown side by side."""

    left: RehearseRequest
    right: RehearseRequest


class BesideFact(msgspec.Struct, frozen=True):
    """A fact and its value on both sides, as text; a value that is not given is the empty text."""

    fact: str
    label: str
    left: str
    right: str
    differs: bool


class BesidePolicy(msgspec.Struct, frozen=True):
    """What a policy has to say on either side; empty where the rulebook of that side has no such policy."""

    policy: str
    title: str
    left: list[Piece]
    right: list[Piece]
    differs: bool


class Beside(msgspec.Struct, frozen=True):
    """Two rehearsals with what differs between them; facts and policies that differ come first."""

    left: Rehearsal
    right: Rehearsal
    same: bool
    facts: list[BesideFact]
    policies: list[BesidePolicy]


class FirstDeviceRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """How somebody who has nothing yet gets in with a first device.

    Attributes
    ----------
    given
        Facts as text: the person, the app, and what is known of the device, the place, the factor (`enrolling.factor`),
        whose the device is (`enrolling.owner`) and how far it is enrolled (`enrolling.depth`).
    """

    given: dict[str, str] = {}
    draft: str = ""
    files: list[File] | None = None
    revision: Count | None = None


class FirstDeviceStep(msgspec.Struct, frozen=True):
    """One step on the way.

    Attributes
    ----------
    step
        ``register-account``, ``enrol-factor``, ``enrol-device`` or ``sign-in``.
    dead_end
        Whether nobody gets past it, with what there is by then.
    why
        Of a dead end, what stands in the way.
    given
        The facts with which it is rehearsed, as text.
    needs_code
        Whether only a starter code gets past it; the step is told with one then.
    """

    step: str
    title: str
    sentence: list[Piece]
    possible: list[str]
    exact: bool
    dead_end: bool
    why: list[Piece]
    deciding: list[RuleRef]
    given: dict[str, str]
    needs_code: bool


class FirstDevice(msgspec.Struct, frozen=True):
    """The steps, in order; those after a dead end are told as if it were passed."""

    sentence: list[Piece]
    steps: list[FirstDeviceStep]
