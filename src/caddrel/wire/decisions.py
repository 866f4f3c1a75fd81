"""Decisions, traces and sentences as they travel."""

from __future__ import annotations

from typing import Any

import msgspec

from caddrel.wire.numbers import Count


class Piece(msgspec.Struct, frozen=True, omit_defaults=True):
    """A stretch of a sentence; `kind` and `id` name what it speaks of."""

    text: str
    kind: str = ""
    id: str = ""


class RuleRef(msgspec.Struct, frozen=True):
    """A rule, by its policy and id."""

    policy: str
    rule: str


class Tell(msgspec.Struct, frozen=True):
    """A text for the person."""

    policy: str | None
    rule: str | None
    text: str
    link: str | None = None


class Shadow(msgspec.Struct, frozen=True):
    """What the outcome would be with shadow policies enforced."""

    each: dict[str, str]
    together: str


class Decision(msgspec.Struct, frozen=True):
    """One decision; the same shape offline and from the service."""

    outcome: str
    reason: str | None
    certain: bool
    deciding: list[RuleRef]
    outstanding: list[str]
    in_the_way: list[str]
    unknown: list[str]
    keep: dict[str, int | bool]
    shadow: Shadow
    tell: list[Tell]
    revision: int | None = None
    outstanding_smallest: bool = True


class Tree(msgspec.Struct, frozen=True, omit_defaults=True):
    """A condition with the truth of every part: ``true``, ``false`` or ``unknown``."""

    kind: str
    truth: str
    text: str
    span: tuple[int, int]
    parts: list[Tree] = []
    fact: str = ""
    value: str | None = None
    origin: str = ""
    places: list[str] = []
    standard: str = ""
    schedule: str = ""
    signals: list[str] = []


class SelectorTrace(msgspec.Struct, frozen=True, omit_defaults=True):
    """One selector of a scope with its truth."""

    text: str
    truth: str


class ScopePart(msgspec.Struct, frozen=True):
    """One part of a scope: what it lists, and whether it lets the attempt in."""

    part: str
    truth: str
    selectors: list[SelectorTrace | str]


class ScopeTrace(msgspec.Struct, frozen=True):
    """Whether a policy is about the attempt; `failed` is the first part that says no."""

    truth: str
    failed: str | None
    parts: list[ScopePart]


class RuleTrace(msgspec.Struct, frozen=True):
    """One rule reached."""

    rule: str
    title: str
    truth: str
    when: Tree | None
    effect: str


class PossibleEffect(msgspec.Struct, frozen=True):
    """An effect that a policy may have; `rule` is None for having no opinion by silence."""

    rule: str | None
    effect: str


class PolicyTrace(msgspec.Struct, frozen=True):
    """How one policy was read."""

    policy: str
    title: str
    mode: str
    scope: ScopeTrace
    rules: list[RuleTrace]
    not_reached: list[str]
    effects: list[PossibleEffect]
    summary: list[Piece] = []
    names_app: str = ""


class CheckTrace(msgspec.Struct, frozen=True):
    """One check of a device standard."""

    check: str
    title: str
    truth: str
    fix: str
    must: Tree


class StandardTrace(msgspec.Struct, frozen=True):
    """A device standard with its checks."""

    title: str
    truth: str
    checks: list[CheckTrace]


class PlacePart(msgspec.Struct, frozen=True):
    """One part of a place."""

    part: str
    shown: str
    truth: str


class PlaceTrace(msgspec.Struct, frozen=True):
    """A place with its parts."""

    title: str
    truth: str
    parts: list[PlacePart]
    without: list[PlacePart]


class ScheduleTrace(msgspec.Struct, frozen=True):
    """A schedule with the local time and the windows of that day."""

    title: str
    truth: str
    zone: str
    local: str | None
    windows: list[str]


class SignalTrace(msgspec.Struct, frozen=True):
    """A signal worked out from the person's history: its truth, and what it was compared with."""

    title: str
    truth: str
    why: dict[str, Any]
    summary: list[Piece] = []


class FormulaTrace(msgspec.Struct, frozen=True):
    """A required formula: met now, and attainable during the sign-in."""

    policy: str
    rule: str
    formula: str
    met: bool
    attainable: bool


class ItemTrace(msgspec.Struct, frozen=True):
    """One requirement item."""

    item: str
    kind: str
    name: str
    met: str
    attainable: bool


class RequirementsTrace(msgspec.Struct, frozen=True):
    """Formulas and items of all possible requirements."""

    formulas: list[FormulaTrace]
    items: list[ItemTrace]


class ReadingTrace(msgspec.Struct, frozen=True):
    """The outcome of the strict or the mild reading."""

    outcome: str
    reason: str | None


class CombinedTrace(msgspec.Struct, frozen=True):
    """How the policies were combined."""

    stance: str
    mildest_stance: str
    strict: ReadingTrace
    mild: ReadingTrace
    block: list[RuleRef]
    let_in: list[str]
    before: str | None = None
    own_line: bool = False


class FactTrace(msgspec.Struct, frozen=True):
    """A known fact: value, wording, and where it came from."""

    value: Any
    shown: str
    origin: str


class SaidTrace(msgspec.Struct, frozen=True):
    """What was said of a fact and is on no list, and by whom: the fact is unknown."""

    said: Any
    origin: str


class Trace(msgspec.Struct, frozen=True):
    """Everything that led to one decision."""

    facts: dict[str, FactTrace]
    policies: list[PolicyTrace]
    standards: dict[str, StandardTrace]
    places: dict[str, PlaceTrace]
    schedules: dict[str, ScheduleTrace]
    signals: dict[str, SignalTrace]
    requirements: RequirementsTrace
    combined: CombinedTrace
    not_understood: dict[str, SaidTrace] = {}


class RemedyStep(msgspec.Struct, frozen=True):
    """One change of facts: what to do, who can do it, and the facts as they would be then."""

    says: str
    who: str
    facts: dict[str, Any]


class Remedy(msgspec.Struct, frozen=True):
    """A smallest set of changes that would have led to a better outcome; none of its steps can be left out.

    `instead` are other places that do as well as the one among the steps.
    """

    outcome: str
    outstanding: list[str]
    who: str
    sentence: list[Piece]
    steps: list[RemedyStep]
    instead: list[RemedyStep] = []


class RehearseRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """An attempt to rehearse.

    Attributes
    ----------
    facts
        Facts as JSON, flat or nested.
    given
        Facts as text, as typed by a person; `person`, `app` and `device` stand for their ids.
    files
        Rehearse against these documents instead of a revision.
    revision
        Rehearse against this revision instead of the current one.
    draft
        Rehearse against this draft.
    """

    facts: dict[str, Any] = {}
    given: dict[str, str] = {}
    files: list[File] | None = None
    revision: Count | None = None
    draft: str = ""


class File(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A named document of a rulebook."""

    name: str
    text: str
