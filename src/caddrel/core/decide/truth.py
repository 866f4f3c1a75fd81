"""Truth with three values, as Kleene has it."""

from __future__ import annotations

import enum
from collections.abc import Iterable


class Truth(enum.Enum):
    """True, false, or unknown; unknown is a value of its own and never counts as false.

    Attributes
    ----------
    word
        As it is written.
    level
        1 for false, 2 for unknown, 3 for true: the and of some is the least of them, the or the greatest, the not four
        less it. Never 0, which stands for what has not been asked yet.
    """

    TRUE = "true"
    FALSE = "false"
    UNKNOWN = "unknown"

    def __init__(self, word: str) -> None:
        # A plain attribute: traces ask for it thousands of times, and `value` is slow.
        self.word = word
        self.level = ("false", "unknown", "true").index(word) + 1


TRUE, FALSE, UNKNOWN = Truth.TRUE, Truth.FALSE, Truth.UNKNOWN


def truth_of(known: bool) -> Truth:
    """Return the truth of something known."""
    return TRUE if known else FALSE


def all_true(parts: Iterable[Truth]) -> Truth:
    """Return the Kleene and; of nothing it is true."""
    result = TRUE
    for part in parts:
        if part is FALSE:
            return FALSE
        if part is UNKNOWN:
            result = UNKNOWN
    return result


def any_true(parts: Iterable[Truth]) -> Truth:
    """Return the Kleene or; of nothing it is false."""
    result = FALSE
    for part in parts:
        if part is TRUE:
            return TRUE
        if part is UNKNOWN:
            result = UNKNOWN
    return result


def opposite(truth: Truth) -> Truth:
    """Return the Kleene not."""
    if truth is UNKNOWN:
        return UNKNOWN
    return FALSE if truth is TRUE else TRUE
