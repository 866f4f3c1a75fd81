"""What was proven, as it travels: guarantees, rules that do nothing, rulebooks compared by meaning."""

from __future__ import annotations

from typing import Any, Literal

import msgspec

from caddrel.wire.decisions import Piece, RuleRef
from caddrel.wire.rulebooks import Side


class GuaranteeRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Which rulebook's guarantees to prove: all, or the one named; `who` replaces the people it speaks about."""

    side: Side = Side()
    guarantee: str = ""
    who: Literal["", "anyone", "inventory"] = ""


class Example(msgspec.Struct, frozen=True):
    """An attempt that shows something: its facts, outcome and deciding rules, and all of that told as a story."""

    facts: dict[str, Any]
    outcome: str
    deciding: list[RuleRef]
    story: list[Piece] = []


class ProvenRemedy(msgspec.Struct, frozen=True):
    """A policy that mends what failed: its path and text, and whether it is proven to."""

    path: str
    text: str
    mends: bool


class GuaranteeAnswer(msgspec.Struct, frozen=True, omit_defaults=True):
    """Whether a guarantee holds.

    Attributes
    ----------
    empty
        It asks nothing: there is no attempt that it speaks of.
    since
        Since when the answer is this one, of what is in force; empty where it is asked for the first time.
    """

    guarantee: str
    answer: Literal["holds", "fails", "undecided"]
    seconds: float
    title: str = ""
    says: list[Piece] = []
    empty: bool = False
    counterexample: Example | None = None
    remedy: ProvenRemedy | None = None
    since: str = ""


class ProofResult(msgspec.Struct, frozen=True):
    """The answers to the guarantees of a rulebook, in its order."""

    guarantees: list[GuaranteeAnswer]


class IdleChange(msgspec.Struct, frozen=True):
    """What takes out something that does nothing: a policy's path, and its text then, None to take it out as a whole.

    Attributes
    ----------
    same
        Every attempt comes to the same afterwards; else something differs where facts are unknown.
    """

    path: str
    text: str | None
    same: bool


class IdleThing(msgspec.Struct, frozen=True):
    """A rule, condition or policy that does nothing, with the rules that leave it nothing, and what takes it out."""

    kind: Literal["never-fires", "always-true", "always-false", "changes-nothing"]
    policy: str
    rule: str
    because: list[str]
    says: str
    change: IdleChange | None = None


class IdleResult(msgspec.Struct, frozen=True):
    """What does nothing; `whole` is false when time ran out before all was looked at."""

    items: list[IdleThing]
    whole: bool


class MeaningRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Two rulebooks to be compared by what they mean.

    Attributes
    ----------
    only
        One object, or one rule, that alone is changed: ``standards.crew-phone``, ``policies.abroad/r2``.
    """

    before: Side
    after: Side
    only: str = ""


class DecidedBy(msgspec.Struct, frozen=True):
    """The rules that decide on both sides."""

    before: list[RuleRef]
    after: list[RuleRef]


class MeaningWitness(msgspec.Struct, frozen=True):
    """An attempt that shows a change."""

    facts: dict[str, Any]


class MeaningChange(msgspec.Struct, frozen=True):
    """A kind of change: from which outcome to which, what is outstanding on both sides, where it occurs, an attempt."""

    before: str = msgspec.field(name="from")
    after: str = msgspec.field(name="to")
    outstanding: list[list[str]]
    apps: list[str]
    people: list[str]
    because: DecidedBy
    witness: MeaningWitness
    story: list[Piece] = []


class Meaning(msgspec.Struct, frozen=True):
    """What differs between two rulebooks in meaning.

    Attributes
    ----------
    exact
        False when time ran out: there may be other changes.
    definitions
        What is defined otherwise and counts as different though no attempt shows it.
    sentence
        All of it in one sentence.
    """

    same: bool
    exact: bool
    changes: list[MeaningChange]
    definitions: list[str] = []
    sentence: str = ""


class MeaningResult(msgspec.Struct, frozen=True):
    """Two rulebooks compared by what they mean."""

    meaning: Meaning


class CheckUpRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Which rulebook to check up: all safeguards, or the one named; and which labels mean sensitive and such.

    Without labels those are `sensitive`, and `administration`.
    """

    side: Side = Side()
    safeguard: str = ""
    sensitive: list[str] = []
    administration: list[str] = []


class SafeguardAnswer(msgspec.Struct, frozen=True, omit_defaults=True):
    """A safeguard with what came of it.

    Attributes
    ----------
    grade
        1 where it needs no new process in a company, 2 where it needs one.
    says
        Why, where no attempt shows it.
    since
        Since when the verdict is this one, of what is in force; empty where it is asked for the first time.
    """

    safeguard: str
    title: str
    grade: int
    why: str
    costs: str
    verdict: Literal["passes", "fails", "undecided", "not-applicable"]
    says: str = ""
    counterexample: Example | None = None
    remedy: ProvenRemedy | None = None
    since: str = ""


class CheckUp(msgspec.Struct, frozen=True):
    """All safeguards with what came of them."""

    safeguards: list[SafeguardAnswer]


class AboutRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Of which person and which app of the inventory it is asked what policies have to do with them; one is enough."""

    side: Side = Side()
    person: str = ""
    app: str = ""


class PolicyPart(msgspec.Struct, frozen=True):
    """What a policy has to do with a person and an app.

    Attributes
    ----------
    speaks
        Whether its scope can hold.
    decides
        For each outcome for which it is ever among those that decide an attempt that shows it; one in shadow as if it
        were enforced.
    """

    policy: str
    title: str
    mode: Literal["shadow", "enforced"]
    speaks: bool
    decides: list[Example]


class AboutResult(msgspec.Struct, frozen=True):
    """The outcomes that are possible, each with an attempt, and each policy that is not off with its part in them.

    Attributes
    ----------
    whole
        False when time ran out before all was looked at.
    """

    outcomes: list[Example]
    policies: list[PolicyPart]
    whole: bool


class AddsRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Of which policy it is asked what it adds."""

    policy: str
    side: Side = Side()


class ProofQuestion(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A question to be proven as a job: one of the requests, under the name of its endpoint."""

    prove: GuaranteeRequest | None = None
    idle: GuaranteeRequest | None = None
    meaning: MeaningRequest | None = None
    check_up: CheckUpRequest | None = msgspec.field(default=None, name="check-up")
    about: AboutRequest | None = None
    adds: AddsRequest | None = None
