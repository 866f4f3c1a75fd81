"""Counting how long things take and how large they are, for whoever watches the service."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Sequence
from itertools import accumulate

SECONDS = (0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.25, 0.5, 1.0, 2.5, 5.0, 10.0)
SIZES = (1, 2, 4, 8, 16, 32, 64, 128, 256, 512)


class Tally:
    """How often a value was how large; filled by one thread alone.

    Parameters
    ----------
    edges
        The largest value of each class but the last, which has no end.
    """

    def __init__(self, edges: Sequence[float]) -> None:
        self._edges = tuple(edges)
        self._counts = [0] * (len(edges) + 1)
        self.sum = 0.0

    def add(self, value: float) -> None:
        """Count a value."""
        self._counts[bisect_left(self._edges, value)] += 1
        self.sum += value

    def buckets(self) -> list[tuple[str, float]]:
        """Return for each edge, as text, how many were no larger; as OpenMetrics has it."""
        names = [*(f"{float(edge)}" for edge in self._edges), "+Inf"]
        return list(zip(names, map(float, accumulate(self._counts)), strict=True))
