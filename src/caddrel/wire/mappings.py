"""How the logs of other systems are read, and what came of trying it."""

from __future__ import annotations

from typing import Any, Literal

import msgspec

from caddrel.wire.signins import BrokenAlike, Respelled, StrangeWord

LogFormat = Literal["csv", "ndjson"]


class ColumnRule(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """What a column is.

    Attributes
    ----------
    to
        A fact, ``id``, ``recorded.outcome`` or ``recorded.reason``.
    split
        What stands between the members of a set; a comma when empty.
    words
        What is said there, in any letters' case, and how it is said here; an empty text is not reported.
    """

    to: str
    split: str = ""
    words: dict[str, str] = {}


class LogMapping(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """How a log of another system is read.

    Attributes
    ----------
    columns
        By the column's name; of NDJSON a member's, of nested objects with dots between the names. Without one for
        ``id`` it is made from what the row holds.
    constants
        Facts that every row has, as text, where no column says otherwise.
    zone
        The IANA time zone of stamps that name no offset.
    moment
        How stamps are written, in the directives of ``strptime``, or ``epoch`` or ``epoch-ms``; RFC 3339 when empty.
    skip
        By column the texts, in any letters' case, whose rows are passed over.
    """

    columns: dict[str, ColumnRule]
    constants: dict[str, str] = {}
    zone: str = ""
    moment: str = ""
    skip: dict[str, list[str]] = {}


class MappingList(msgspec.Struct, frozen=True):
    """The mappings that are kept, by name."""

    mappings: dict[str, LogMapping]


class TrialRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """The beginning of a log, to be read without anything being taken in.

    Attributes
    ----------
    text
        Whole lines of it.
    mapping
        How it is read; what names and values suggest when left out.
    """

    text: str
    format: LogFormat = "csv"
    mapping: LogMapping | None = None


class TriedRow(msgspec.Struct, frozen=True):
    """A row as it would be read.

    Attributes
    ----------
    problems
        What is wrong with it; then it has no facts.
    """

    line: int
    id: str
    facts: dict[str, Any]
    recorded: dict[str, str]
    problems: list[str]


class LogColumn(msgspec.Struct, frozen=True):
    """A column of the log: what it is taken for, empty where for nothing, and the first different values in it."""

    name: str
    to: str
    values: list[str]


class UnknownObject(msgspec.Struct, frozen=True):
    """Somebody or something that the inventory does not know: the fact, the id, how many rows, and who may be meant."""

    fact: str
    id: str
    count: int
    hint: str


class MappingTrial(msgspec.Struct, frozen=True):
    """What would come of reading rows by a mapping.

    Attributes
    ----------
    mapping
        By which they were read.
    suggested
        Whether that follows from the names and values of the columns.
    notes
        What is to be known about the suggestion.
    twice
        How many rows say the very same as another before them.
    broken
        Rows that cannot be read, those alike together.
    rows
        The first as they would be read.
    """

    mapping: LogMapping
    suggested: bool
    notes: list[str]
    columns: list[LogColumn]
    read: int
    good: int
    skipped: int
    twice: int
    broken: list[BrokenAlike]
    not_understood: list[StrangeWord]
    respelled: list[Respelled]
    unknown: list[UnknownObject]
    rows: list[TriedRow]
