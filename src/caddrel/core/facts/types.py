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
from typing import Self

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


class Signals(frozenset[str]):
    """The ids of the signals that fired, where some may not be known: each is true, false or unknown by itself.

    Attributes
    ----------
    open
        The ids whose truth is unknown.
    """

    open: frozenset[str]

    def __new__(cls, fired: Iterable[str] = (), open: Iterable[str] = ()) -> Self:
        """Make the set; `open` are the ids that are unknown."""
        made = super().__new__(cls, fired)
        made.open = frozenset(open)
        return made

    @property
    def possible(self) -> frozenset[str]:
        """The ids that fired or may have."""
        return self | self.open


Value = bool | str | frozenset[str] | Version | Address | float | int | datetime | dict[str, float | None]


def fold(text: str) -> str:
    """Return the form in which texts are compared: Unicode casefold after NFC."""
    return unicodedata.normalize("NFC", text).casefold()


def is_under(path: str, ancestor: str) -> bool:
    """Tell whether `path` is `ancestor` or lies below it."""
    return path == ancestor or path.startswith("/" if ancestor == "/" else ancestor + "/")
