"""The coverage grid as it travels: audiences by apps, with what their sign-ins can meet."""

from __future__ import annotations

from typing import Any

import msgspec

from caddrel.wire.decisions import File, RuleRef, Tell
from caddrel.wire.numbers import Count


class GridRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """The grid of the current rulebook, of a revision, a draft or documents, in a context.

    Attributes
    ----------
    given
        What every sign-in has, as text typed by a person; a password alone and no risk where nothing is said of them.
    where
        A condition that holds of every sign-in; empty for none.
    against
        A draft whose grid is compared with it: cells that differ are told.
    """

    given: dict[str, str] = {}
    where: str = ""
    draft: str = ""
    files: list[File] | None = None
    revision: Count | None = None
    against: str = ""
    against_files: list[File] | None = None


class GridCell(msgspec.Struct, frozen=True):
    """What sign-ins of an audience to an app can meet.

    Attributes
    ----------
    possible
        The outcomes, the mildest first; empty where nobody is in the audience, or nobody can come so.
    by_stance, by_rules
        The outcomes that the app's stance alone comes to in some case, and those that a rule decides in some.
    instead
        What is possible in the draft that it is compared with, where either end is another; else null.
    """

    possible: list[str]
    by_stance: list[str]
    by_rules: list[str]
    instead: list[str] | None


class GridRow(msgspec.Struct, frozen=True):
    """An audience: how a selector writes it, what it is called, how many people are in it now, and its cells."""

    audience: str
    title: str
    people: int
    cells: list[GridCell]


class GridApp(msgspec.Struct, frozen=True):
    """A column."""

    id: str
    title: str


class CoverageGrid(msgspec.Struct, frozen=True):
    """All cells.

    Attributes
    ----------
    given
        The facts of the context as they counted, as text.
    password_alone
        Whether every sign-in comes with a password alone: where it is allowed, that is enough.
    exact
        False where other outcomes than those told are not excluded.
    changed
        How many cells differ from those of the draft that it is compared with.
    """

    apps: list[GridApp]
    rows: list[GridRow]
    given: dict[str, str]
    where: str
    password_alone: bool
    exact: bool
    changed: int


class CellRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """One cell of a grid, by its audience as a selector writes it and its app."""

    grid: GridRequest
    audience: str
    app: str


class CellOutcome(msgspec.Struct, frozen=True):
    """One outcome of a cell.

    Attributes
    ----------
    deciding
        The rules that decide in some case with this outcome; none where the stance alone does.
    facts
        A case that meets it, as a rehearsal takes it.
    """

    outcome: str
    deciding: list[RuleRef]
    facts: dict[str, Any]
    decided_here: list[RuleRef]
    outstanding: list[str]
    in_the_way: list[str]
    tell: list[Tell]


class CellDetail(msgspec.Struct, frozen=True):
    """What is behind a cell: the policies that speak there, and each outcome with a case."""

    audience: str
    app: str
    policies: list[str]
    outcomes: list[CellOutcome]
    exact: bool
