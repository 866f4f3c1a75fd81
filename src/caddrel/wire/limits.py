"""Limits of rulebooks as they travel, and what each choice of one would have come to."""

from __future__ import annotations

import msgspec

from caddrel.wire.decisions import Piece
from caddrel.wire.numbers import Count
from caddrel.wire.replays import Numbers
from caddrel.wire.rulebooks import Side


class Limit(msgspec.Struct, frozen=True):
    """A value of a rulebook by which it is stricter or milder.

    Attributes
    ----------
    address
        Such as ``standards.crew-tablet.patched``.
    path, title
        The object that it is in, and what that is called.
    words
        The test, the requirement or the setting as a whole, such as ``device.os_version is at least 15``.
    value
        As written.
    kind
        ``version``, ``level``, ``number`` or ``duration``.
    """

    address: str
    path: str
    title: str
    words: str
    value: str
    kind: str


class LimitList(msgspec.Struct, frozen=True):
    """The limits of a rulebook, in document order; `changed` are those of objects that a draft changes."""

    items: list[Limit]
    changed: list[str] = []


class TighteningRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A limit whose choices are to be tried on stored sign-ins.

    Attributes
    ----------
    limit
        Its address.
    choices
        Values to try; with none those that make a difference are found.
    since, until, where
        As in a replay.
    fewer_than
        How strict it can be is told for fewer than so many people.
    """

    under: Side
    limit: str
    choices: list[str] = []
    since: str = "7d"
    until: str = ""
    where: str = ""
    fewer_than: Count = 5


class Choice(msgspec.Struct, frozen=True):
    """What one value comes to: whom it would stop who got in, whom it would ask for more, and both together."""

    value: str
    current: bool
    stopped: Numbers
    asked: Numbers
    hit: Numbers


class Tightening(msgspec.Struct, frozen=True):
    """A tightening curve.

    Attributes
    ----------
    counted
        Policies in shadow that are counted as if they were enforced, since the limit is theirs.
    nobody, few
        The strictest choices that hit nobody, and fewer than `fewer_than` people; empty where there is none.
    draft, version
        The draft, and which version of it this is of.
    """

    limit: Limit
    sentence: list[Piece]
    choices: list[Choice]
    attempts: int
    counted: list[str]
    nobody: str
    few: str
    fewer_than: int
    under: str
    since: str
    until: str
    draft: str = ""
    version: int = 0


class MoveLimit(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A limit of a draft, by its address, and what it is to be."""

    limit: str
    value: str
