"""What an editor of rulebooks needs, as it travels: objects as values, the language as trees, whom a scope covers."""

from __future__ import annotations

from typing import Any

import msgspec

from caddrel.wire.decisions import Piece
from caddrel.wire.numbers import Count
from caddrel.wire.problems import Diagnostic
from caddrel.wire.rulebooks import FactView, Use


class Named(msgspec.Struct, frozen=True):
    """A person, app or device by id and title; `note` is what there is to say of it here."""

    id: str
    title: str
    note: str = ""


class Covered(msgspec.Struct, frozen=True):
    """How many people and apps of the inventory a scope covers."""

    people: int
    apps: int


class CoveredPage(msgspec.Struct, frozen=True):
    """Whom or what a scope covers, in order of id; `following` is where the next page begins."""

    count: int
    items: list[Named]
    following: str | None


class ToldText(msgspec.Struct, frozen=True):
    """What the door shows when a rule decides; placeholders are filled as for one who is stopped at `app`."""

    rule: str
    outcome: str
    text: str
    link: str | None


class Standing(msgspec.Struct, frozen=True):
    """How a part stands now, a line each; of a standard also the devices that do not pass it."""

    lines: list[str]
    devices: list[Named] = []


class ObjectView(msgspec.Struct, frozen=True):
    """One object of a draft with all that an editor shows beside it.

    Attributes
    ----------
    text, value
        As it stands in its document, and as plain values; None where the text cannot be read.
    before
        The text in the revision that the draft was begun on; empty where it is not there.
    words, rules
        Of a policy: its plain sentence, and each of its rules in words; empty while something is wrong.
    problems
        What is wrong with this object, by path.
    told
        What the door shows, rule by rule.
    used_by
        What names this part, so what changing it touches.
    covers
        How many people and apps a policy or guarantee is about.
    standing
        How a part stands now, where that can be told.
    """

    path: str
    text: str
    value: Any
    before: str
    changed: bool
    version: int
    words: list[Piece]
    rules: list[list[Piece]]
    problems: list[Diagnostic]
    told: list[ToldText]
    used_by: list[Use]
    covers: Covered | None
    standing: Standing | None


class LanguageRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A condition or an effect, as text or as a tree, to be understood as in a draft.

    Attributes
    ----------
    kind
        ``condition`` or ``effect``.
    text, tree
        One of the two.
    draft
        Whose parts and facts there are; the current revision's when empty.
    only
        The beginning that every fact must have, for the conditions of selectors: ``person.`` or ``app.``.
    """

    kind: str
    text: str | None = None
    tree: Any = None
    draft: str = ""
    only: str = ""


class Understood(msgspec.Struct, frozen=True):
    """What a text says: the canonical text and the tree, None where it cannot be read; positions are of one line."""

    text: str
    tree: Any
    problems: list[Diagnostic]
    words: list[Piece]


class OperatorView(msgspec.Struct, frozen=True):
    """A comparison: its spelling, the types of fact that it fits, and how many values it takes."""

    op: str
    types: list[str]
    values: str
    doc: str


class PartTestView(msgspec.Struct, frozen=True):
    """A test of a part: how it starts, what it is in words, and the section of the part."""

    starts: str
    says: str
    section: str


class LanguageView(msgspec.Struct, frozen=True):
    """What can be written: comparisons, what can be required, tests of parts, and words to choose from.

    Attributes
    ----------
    named
        Items with the name of a part, with its section.
    tests
        By the kind of the test: `from`, `passes`, `during`.
    part_facts
        Facts whose members are parts, with their section.
    choices
        Words by what they are for: `operations`, `modes`, `stances` …
    sections
        Of a rulebook, in order.
    record
        The facts that a record of the log has beside those of its attempt: filters may test them.
    """

    operators: list[OperatorView]
    items: list[str]
    named: dict[str, str]
    timed: list[str]
    tests: dict[str, PartTestView]
    part_facts: dict[str, str]
    choices: dict[str, list[str]]
    sections: list[str]
    record: list[FactView]


class SelectorView(msgspec.Struct, frozen=True):
    """A selector that could be written, with how many of the inventory it covers."""

    selector: str
    title: str
    count: int


class SelectorList(msgspec.Struct, frozen=True):
    """Selectors that fit a search."""

    items: list[SelectorView]


class Edit(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A change of one object: one of its fields set to a value, or with None taken out."""

    path: str
    field: str
    value: Any = None


class EditRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Changes of the current revision to be published as one; the others as in publishing."""

    edits: list[Edit]
    why: str
    base: Count | None = None
    accept_lockout_risk: str = ""
    accept_failing_rehearsals: str = ""
    accept_failing_guarantees: str = ""
