"""All cases of a rehearsal as they travel, and tables of them."""

from __future__ import annotations

from typing import Any

import msgspec

from caddrel.wire.decisions import File, Piece, RuleRef, Tell
from caddrel.wire.numbers import Count


class CaseNode(msgspec.Struct, frozen=True):
    """A node of the tree: a question with one branch for each answer, or a leaf with its outcome.

    Attributes
    ----------
    asks
        The question as written in the language; empty at a leaf. `kind` is ``test`` or ``item`` then.
    yes_words, no_words
        Either answer as a clause.
    possible
        The outcomes below it: one at a leaf, several where a branch is cut.
    facts
        Of a leaf, values of the open facts with which one comes to it, as JSON.
    outstanding, in_the_way
        Of that case: what is asked for, and what stands in the way.
    """

    possible: list[str]
    asks: str = ""
    kind: str = ""
    yes_words: list[Piece] = []
    no_words: list[Piece] = []
    yes: CaseNode | None = None
    no: CaseNode | None = None
    deciding: list[RuleRef] = []
    facts: dict[str, Any] = {}
    outstanding: list[str] = []
    in_the_way: list[str] = []
    tell: list[Tell] = []


class CasesNow(msgspec.Struct, frozen=True):
    """What can come of it at the moment at which it is asked, whatever the other facts are that were left open."""

    at: str
    sentence: list[Piece]
    possible: list[str]
    exact: bool


class OpenCases(msgspec.Struct, frozen=True):
    """What can come of a rehearsal, whatever the facts that were left open are.

    Attributes
    ----------
    sentence
        What can come of it, in one sentence.
    door
        What a door would do if nothing more were reported.
    facts
        The facts that are open and read.
    exact
        False when time ran out: other outcomes than those found are not excluded.
    possible
        The outcomes that some case has, the mildest first.
    matters
        The facts on which it turns, the most telling first.
    witnesses
        By outcome the facts of a complete case, as JSON.
    settled
        Whether all cases come to what the door would decide, by the rules that it would name: it says why then.
    now
        Where no moment was given and the outcome turns on it.
    """

    sentence: list[Piece]
    door: list[Piece]
    facts: list[str]
    exact: bool
    possible: list[str]
    matters: list[str]
    witnesses: dict[str, dict[str, Any]]
    tree: CaseNode
    settled: bool
    now: CasesNow | None = None


class AxisRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A fact, and the values that it is to have, as text."""

    fact: str
    values: list[str] = []


class MatrixRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A rehearsal for every combination of the values of one or two facts.

    Attributes
    ----------
    given
        The other facts as text, as typed by a person.
    across, down
        A fact with its values as text; without values those that the rulebook tells apart, `group:ID` for `person.id`
        the people of a group. `down` may be left out.
    """

    across: AxisRequest
    down: AxisRequest | None = None
    given: dict[str, str] = {}
    draft: str = ""
    files: list[File] | None = None
    revision: Count | None = None


class Cell(msgspec.Struct, frozen=True):
    """What can come of one combination; `refused` says why no attempt can have it."""

    possible: list[str]
    exact: bool = True
    refused: str = ""


class Matrix(msgspec.Struct, frozen=True):
    """The outcomes of every combination: a row for each value of `down`, one row without it."""

    across: str
    across_values: list[str]
    down: str
    down_values: list[str]
    cells: list[list[Cell]]
