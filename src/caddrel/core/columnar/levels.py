"""Truth with three values as columns: 0 is false, 1 unknown, 2 true.

The and of some is the least of them, the or the greatest, and the not two less it (Kleene).
"""

from __future__ import annotations

from collections.abc import Iterable
from functools import reduce

import numpy as np
from numpy.typing import NDArray

Levels = NDArray[np.uint8]
FALSE, UNKNOWN, TRUE = 0, 1, 2


def of_known(holds: NDArray[np.bool_]) -> Levels:
    """Return the truth of something known."""
    return np.where(holds, np.uint8(TRUE), np.uint8(FALSE))


def where_known(holds: NDArray[np.bool_], known: NDArray[np.bool_]) -> Levels:
    """Return the truth of something of which only some is known."""
    return np.where(known, of_known(holds), np.uint8(UNKNOWN))


def constant(level: int, count: int) -> Levels:
    """Return one truth for all."""
    return np.full(count, level, np.uint8)


def all_true(parts: Iterable[Levels], count: int) -> Levels:
    """Return the and; of nothing it is true."""
    return reduce(np.minimum, parts, constant(TRUE, count))


def any_true(parts: Iterable[Levels], count: int) -> Levels:
    """Return the or; of nothing it is false."""
    return reduce(np.maximum, parts, constant(FALSE, count))


def opposite(level: Levels) -> Levels:
    """Return the not."""
    return TRUE - level


def surely(level: Levels) -> Levels:
    """Return what is true for certain, and false otherwise."""
    return of_known(level == TRUE)
