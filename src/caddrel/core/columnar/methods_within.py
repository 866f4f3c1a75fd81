"""Which methods of attempts count within a time, or may, as nobody knows their age (section 5).

Not here: what combinations of them are enough (`requirement_items`).
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from caddrel.core.columnar.batch import BIT, Bits, MethodColumns, Rows, Seconds, limits_reached


class MethodsWithin:
    """Methods of a batch of attempts, a bit each; what counts within a time is worked out once."""

    def __init__(self, methods: MethodColumns) -> None:
        self._methods = methods
        self._used: Bits = np.where(methods.known, methods.used, np.uint32(0))
        self._within: dict[int, tuple[Bits, Bits]] = {}
        self._ages: list[tuple[np.uint32, Rows, Seconds]] | None = None

    def counting(self, within: int | None) -> tuple[Bits, Bits]:
        """Return the methods that count within so many seconds; the second with those that may.

        Where each age is known both are the same column.
        """
        if within is None:
            return self._used, self._used
        found = self._within.get(within)
        if found is None:
            fresh, perhaps = np.zeros(len(self._used), np.uint32), np.zeros(len(self._used), np.uint32)
            for bit, there, age in self._aged():
                fresh[there[age <= within]] |= bit
                perhaps[there[np.isnan(age)]] |= bit
            found = self._within[within] = fresh, fresh | perhaps if perhaps.any() else fresh
        return found

    def _aged(self) -> Sequence[tuple[np.uint32, Rows, Seconds]]:
        """Return, for each method in use, its bit, the rows that have it, and its age in them."""
        if self._ages is None:
            methods, self._ages = self._methods, []
            anybody = int(np.bitwise_or.reduce(self._used, initial=0))
            for name, bit in BIT.items():
                if anybody & bit:
                    there = np.flatnonzero(self._used & np.uint32(bit) != 0)
                    age, own = methods.default_age[there], methods.ages.get(name)
                    if own is not None:
                        said = own[there]
                        age = np.where(np.isnan(said), age, said)
                    self._ages.append((np.uint32(bit), there, age))
        return self._ages

    def told_apart(self, limits: Sequence[int]) -> Iterator[tuple[NDArray[Any], int]]:
        """Yield of each method in use a number for each row, and how many such numbers there are.

        Rows with the same numbers have the same methods, and the same of them count within each of these limits, or
        may: a number says whether the method is there, and between which limits its age lies.

        Parameters
        ----------
        limits
            Seconds, in their order.
        """
        # A limit is within itself: what is older than it has reached the next number above it.
        ends = np.nextafter(np.array(limits, np.float64), np.inf)
        # Not there, within the first limit and so on, older than all, of an age that nobody knows.
        unknown = len(limits) + 2
        for _, there, age in self._aged():
            numbers = np.zeros(len(self._used), np.min_scalar_type(unknown))
            places = limits_reached(ends, age) + 1
            places[np.isnan(age)] = unknown
            numbers[there] = places
            yield numbers, unknown + 1
