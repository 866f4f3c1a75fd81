"""Revisions, checks and the readable view of a rulebook."""

from __future__ import annotations

import msgspec

from caddrel.wire.decisions import File, Piece, RuleRef
from caddrel.wire.numbers import Count
from caddrel.wire.problems import Diagnostic, Span


class RevisionInfo(msgspec.Struct, frozen=True):
    """One published state of the rulebook; moments are RFC 3339.

    `override` says why it was published though somebody who must get in could be locked out; `meaning` is the number of
    what decisions meant when it was.
    """

    number: int
    published_at: str
    published_by: str
    why: str
    digest: str
    current: bool
    override: str = ""
    meaning: int = 1


class Revision(msgspec.Struct, frozen=True):
    """A revision with its documents."""

    info: RevisionInfo
    files: list[File]


class RevisionList(msgspec.Struct, frozen=True):
    """Every revision, newest first."""

    items: list[RevisionInfo]


class CheckRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Documents to check, or a draft."""

    files: list[File] = []
    draft: str = ""


class KeptRehearsal(msgspec.Struct, frozen=True):
    """A kept rehearsal: the outcome that it must have, the one that it has, and whether they agree.

    Attributes
    ----------
    decides
        The rules that decide what it must not come to.
    turned_by
        The changed objects, such as ``policies.crew-mfa``, without whose changes it would come out as it must.
    """

    id: str
    title: str
    expect: str
    outcome: str
    ok: bool
    decides: list[RuleRef]
    turned_by: list[str]


class CostView(msgspec.Struct, frozen=True):
    """What a decision costs at most: steps by formula, and milliseconds of processor time of the worst made attempt."""

    steps: int
    milliseconds: float | None
    most_steps: int
    most_milliseconds: int
    fits: bool


class CheckResult(msgspec.Struct, frozen=True):
    """What checking found; `ok` is false when there are errors, `more` tells of findings that are not listed."""

    ok: bool
    diagnostics: list[Diagnostic]
    policies: int
    rehearsals: list[KeptRehearsal] = []
    more: int = 0
    cost: CostView | None = None


class PublishRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Documents to publish.

    Attributes
    ----------
    base
        The revision the publisher started from.
    accept_lockout_risk, accept_failing_rehearsals, accept_failing_guarantees
        Why it is to be published even when somebody who must get in could be locked out, or kept rehearsals do not give
        what they must; recorded.
    """

    files: list[File]
    why: str
    base: Count | None = None
    accept_lockout_risk: str = ""
    accept_failing_rehearsals: str = ""
    accept_failing_guarantees: str = ""


class RestoreRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A revision to publish again as the next one; the others as in publishing."""

    number: Count
    why: str
    base: Count | None = None
    accept_lockout_risk: str = ""
    accept_failing_rehearsals: str = ""
    accept_failing_guarantees: str = ""


class Side(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """One side of a comparison: a revision by number, a draft, documents, or, with none, the current revision."""

    revision: Count | None = None
    files: list[File] | None = None
    draft: str = ""


class CompareRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Two rulebooks to compare, the earlier first."""

    before: Side
    after: Side


class ObjectChange(msgspec.Struct, frozen=True):
    """An object that was added, removed or changed: its text on both sides, of a policy also its sentence."""

    kind: str
    id: str
    title: str
    change: str
    before: str
    after: str
    before_words: list[Piece]
    after_words: list[Piece]


class Comparison(msgspec.Struct, frozen=True):
    """What differs between two rulebooks, in document order; empty when they say the same."""

    before: str
    after: str
    objects: list[ObjectChange]


class PublishResult(msgspec.Struct, frozen=True):
    """The revision made, with warnings and notes; `unchanged` where the current one says the very same already."""

    revision: RevisionInfo
    diagnostics: list[Diagnostic]
    unchanged: bool = False


class RuleView(msgspec.Struct, frozen=True):
    """A rule, as text and in words."""

    id: str
    title: str
    when: str
    then: str
    words: list[Piece]
    tell: str
    link: str
    keep: dict[str, int | bool]


class Use(msgspec.Struct, frozen=True):
    """A place where a part is used."""

    kind: str
    id: str
    title: str


class PolicyView(msgspec.Struct, frozen=True):
    """A policy as a reader wants it: one sentence, its rules, and the parts it is built from."""

    id: str
    title: str
    why: str
    note: str
    owner: str
    mode: str
    labels: list[str]
    contact: str
    people: list[str]
    except_people: list[str]
    apps: list[str]
    except_apps: list[str]
    operations: list[str]
    active: dict[str, str]
    sentence: list[Piece]
    scope: list[Piece]
    rules: list[RuleView]
    parts: list[Use]
    source: str
    span: Span | None = None


class PartView(msgspec.Struct, frozen=True):
    """A named part: its content, line by line, and the places that use it."""

    kind: str
    id: str
    title: str
    note: str
    lines: list[PartLine]
    used_by: list[Use]


class PartLine(msgspec.Struct, frozen=True, omit_defaults=True):
    """One line of a part: a label, a value, and what goes with it (such as a fix)."""

    label: str
    value: str
    note: str = ""


class SettingsView(msgspec.Struct, frozen=True):
    """The settings of a rulebook."""

    stance: str
    contact: str
    keyholders: list[str]
    assume: dict[str, str]
    closed_apps: list[str]


class StartView(msgspec.Struct, frozen=True):
    """A rulebook to start from: for whom it is, and the document."""

    name: str
    title: str
    about: str
    text: str


class StartList(msgspec.Struct, frozen=True):
    """The rulebooks to start from."""

    items: list[StartView]


class RulebookView(msgspec.Struct, frozen=True):
    """A whole rulebook, readable."""

    revision: RevisionInfo | None
    settings: SettingsView
    policies: list[PolicyView]
    parts: list[PartView]
    diagnostics: list[Diagnostic]


class FactChoice(msgspec.Struct, frozen=True):
    """A part of the rulebook that a fact can name; of methods a factor, with what it yields as the id."""

    id: str
    title: str


class FactView(msgspec.Struct, frozen=True):
    """One fact of the catalogue; `label` is what it is called beside a box, `choices` the parts that it can name."""

    name: str
    type: str
    doc: str
    words: list[str]
    label: str
    choices: list[FactChoice]


class PlaceChoice(msgspec.Struct, frozen=True):
    """A place, with facts as text of an attempt that comes from there."""

    id: str
    title: str
    given: dict[str, str]


class FactList(msgspec.Struct, frozen=True):
    """The facts of the current rulebook, its places to choose from, and the zones of its schedules."""

    items: list[FactView]
    places: list[PlaceChoice]
    zones: list[str]
