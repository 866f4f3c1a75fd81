"""The types that facts have, and the value classes that plain Python lacks.

Not here: reading values from text or JSON (`values`), which fact has which type (`catalogue`).
"""

from __future__ import annotations

import enum
import ipaddress
import unicodedata
from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any, Self

Address = ipaddress.IPv4Address | ipaddress.IPv6Address
Network = ipaddress.IPv4Network | ipaddress.IPv6Network

LEVELS = ("none", "low", "medium", "high")


class FactType(enum.StrEnum):
    """How the values of a fact are read and compared."""

    FLAG = "flag"
    WORD = "word"
    LEVEL = "level"
    NAME = "name"
    NAMES = "names"
    TEXT = "text"
    PATH = "path"
    VERSION = "version"
    ADDRESS = "address"
    NUMBER = "number"
    MOMENT = "moment"
    DURATION = "duration"
    METHODS = "methods"


@dataclass(frozen=True, slots=True, order=True)
class Version:
    """Dot-separated whole numbers, compared number by number; missing numbers are 0."""

    key: tuple[int, ...]
    text: str = field(compare=False)

    def __str__(self) -> str:
        return self.text


# A method name with the age of the method in seconds, None where no age was reported.
Methods = dict[str, float | None]


class PartlyKnown(frozenset[str]):
    """A set of ids of which some may not be known: each is held, not held or unknown by itself.

    Two are equal when they hold the same and leave the same open; one that leaves nothing open equals a plain set.

    Attributes
    ----------
    open
        The ids of which it is not known whether they are held.
    """

    open: frozenset[str]

    def __new__(cls, held: Iterable[str] = (), open: Iterable[str] = ()) -> Self:
        """Make the set; `open` are the ids that are unknown."""
        made = super().__new__(cls, held)
        made.open = frozenset(open)
        return made

    def __eq__(self, other: object) -> bool:
        return frozenset.__eq__(self, other) is True and self.open == getattr(other, "open", frozenset())

    def __ne__(self, other: object) -> bool:
        return not self == other

    def __hash__(self) -> int:
        return hash((frozenset(self), self.open)) if self.open else frozenset.__hash__(self)

    def __reduce__(self) -> tuple[Any, ...]:
        return type(self), (tuple(self), tuple(self.open))

    @property
    def possible(self) -> frozenset[str]:
        """The ids that are held or may be."""
        return frozenset(self) | self.open


class Signals(PartlyKnown):
    """The ids of the signals that fired; `open` are those of which it is not known."""


class PartlyRead(dict[str, float | None]):
    """Methods with their ages, beside which others were reported that are no methods: it may have any other."""

    def __eq__(self, other: object) -> bool:
        return isinstance(other, PartlyRead) and dict.__eq__(self, other) is True

    def __ne__(self, other: object) -> bool:
        return not self == other

    __hash__ = None  # as of every dictionary


Value = bool | str | frozenset[str] | Version | Address | float | int | datetime | dict[str, float | None]


def fold(text: str) -> str:
    """Return the form in which texts are compared: Unicode casefold after NFC."""
    return unicodedata.normalize("NFC", text).casefold()


def is_under(path: str, ancestor: str) -> bool:
    """Tell whether `path` is `ancestor` or lies below it."""
    return path == ancestor or path.startswith("/" if ancestor == "/" else ancestor + "/")
