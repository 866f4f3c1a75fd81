"""Lines of a log that cannot be read: those that are broken alike told once, with the first of them."""

from __future__ import annotations

from collections.abc import Iterable
from operator import attrgetter

from caddrel.core.diagnostics import Diagnostic
from caddrel.wire.signins import BrokenAlike, BrokenLine

# Kinds that are told, and lines of each.
MOST_KINDS, EXAMPLES = 100, 3
# Of one line so many things that are wrong are told.
MOST_OF_A_LINE = 5


class BrokenLines:
    """Gathers what is wrong with lines, in whatever order they are told."""

    def __init__(self) -> None:
        self._kinds: dict[tuple[str, str], tuple[int, list[BrokenLine]]] = {}

    def add(self, number: int, problems: Iterable[Diagnostic]) -> list[BrokenLine]:
        """Take in what is wrong with a line, and return it as it travels."""
        told = [BrokenLine(number, each.code, each.message, each.hint) for each in problems]
        for line, problem in zip(told, problems, strict=True):
            kind = (problem.code, problem.path)
            count, lines = self._kinds.get(kind, (0, []))
            if kind in self._kinds or len(self._kinds) < MOST_KINDS:
                self._kinds[kind] = (count + 1, sorted([*lines, line], key=attrgetter("line"))[:EXAMPLES])
        return told

    def alike(self) -> list[BrokenAlike]:
        """Return the kinds, that of the first line first."""
        found = [BrokenAlike(code, fact, count, lines) for (code, fact), (count, lines) in self._kinds.items()]
        return sorted(found, key=lambda kind: (kind.lines[0].line, kind.code, kind.fact))
