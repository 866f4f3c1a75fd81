"""From the lines of a log to attempts: each completed under the revision in force at its time, many at once."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Iterable, Iterator, Sequence
from datetime import datetime
from functools import cached_property
from itertools import groupby
from typing import Any, NamedTuple

from caddrel.core.columnar.attempt import Bundled
from caddrel.core.columnar.completion import Bundler
from caddrel.core.columnar.equivalence import Likeness
from caddrel.core.columnar.evaluator import Kinds
from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.decide.compiled.named_parts import Parts
from caddrel.core.diagnostics import Diagnostic
from caddrel.core.facts.attempts import AttemptRefused
from caddrel.core.facts.facts import AddressData
from caddrel.core.facts.values import read_moment, show_moment
from caddrel.core.inventory.index import Inventory
from caddrel.core.logs.mapped_rows import RowReader
from caddrel.core.logs.references import number_for
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source as RulebookSource
from caddrel.service.signins.line_reader import Line, Recorded, Source, digests_of, read_lines
from caddrel.service.signins.line_stream import Lines
from caddrel.service.signins.record_encoding import lists_of, recorded_of

MOST_REMEMBERED = 10_000


class Terms:
    """A revision as completing asks for it.

    Attributes
    ----------
    since
        The moment from which it is in force.

    Parameters
    ----------
    read
        Returns its rulebook, also compiled where that is at hand.
    files
        Returns its documents, by name: another process reads them for itself, and only those that it needs.
    """

    def __init__(
        self,
        since: datetime,
        read: Callable[[], tuple[Rulebook, CompiledRulebook | None]],
        files: Callable[[], Sequence[tuple[str, str]]],
    ) -> None:
        self.since = since
        self._reading, self._files = read, files

    @cached_property
    def _read(self) -> tuple[Rulebook, CompiledRulebook | None]:
        return self._reading()

    @property
    def rulebook(self) -> Rulebook:
        """Its rulebook, read when it is first asked for: a company has many revisions, and a log is of few."""
        return self._read[0]

    @cached_property
    def likeness(self) -> Likeness:
        """What its rulebook sees of attempts."""
        rulebook, compiled = self._read
        return Likeness(rulebook, compiled.parts if compiled else Parts(rulebook))

    def __reduce__(self) -> tuple[Any, ...]:
        return _read_there, (self.since, tuple(self._files()))


def _read_there(since: datetime, files: tuple[tuple[str, str], ...]) -> Terms:
    def read() -> tuple[Rulebook, None]:
        return read_rulebook([RulebookSource(name, text) for name, text in files]).or_raise(), None

    return Terms(since, read, lambda: files)


class Completed(NamedTuple):
    """Attempts that come together, column by column, and why other lines are none.

    Attributes
    ----------
    numbers
        Of their lines.
    references
        Of their sign-ins, as the log keeps them.
    recorded
        What the other system recorded, as the log keeps it.
    revisions
        The place of each one's revision among `Terms`.
    """

    numbers: Sequence[int]
    ids: Sequence[str]
    references: Sequence[int]
    digests: Sequence[bytes]
    recorded: Sequence[bytes]
    revisions: Sequence[int]
    attempts: Sequence[Bundled]
    refused: list[tuple[int, list[Diagnostic]]]


class Completing:
    """Completes the attempts of one log.

    Parameters
    ----------
    terms
        In order of time.
    first
        The first number of a kind of attempts, as in `Kinds`.

    Attributes
    ----------
    rows
        What reads the rows of a mapped log, and remembers what it did to them; None for any other.
    """

    def __init__(
        self,
        source: Source,
        terms: Sequence[Terms],
        inventory: Inventory,
        addresses: AddressData | None,
        first: int = 1,
    ) -> None:
        self._source = source
        self._terms = terms
        self._since = [each.since for each in terms]
        self._inventory = inventory
        self._addresses = addresses
        self._first = first
        self._under: dict[int, Callable[[list[dict[str, Any]]], list[Bundled]]] = {}
        self._recorded: dict[Recorded | None, bytes] = {}
        mapping = source.mapping
        self.rows = RowReader(mapping, terms[-1].rulebook.catalogue, inventory) if mapping is not None else None

    def pieces(self, lines: Iterable[Lines]) -> Iterator[Completed]:
        """Yield the attempts of lines, many at a time."""
        refused: list[tuple[int, list[Diagnostic]]] = []
        read = read_lines(
            lines, self._source, self.rows, lambda number, problems: refused.append((number, problems))
        )  # fmt: skip
        for numbers, good in read:
            yield self._piece(numbers, good, refused.copy())
            refused.clear()
        if refused:
            yield self._piece([], [], refused)

    def _piece(
        self, numbers: Sequence[int], lines: list[Line], refused: list[tuple[int, list[Diagnostic]]]
    ) -> Completed:
        try:
            revisions, attempts = self._completed([line.facts for line in lines])
        except AttemptRefused:
            numbers, lines, revisions, attempts = self._one_by_one(numbers, lines, refused)
        ids = [line.id for line in lines]
        said = [line.recorded for line in lines]
        recorded = [self._recorded.get(each) or self._recorded_of(each) for each in said]
        digests = digests_of(lines)
        return Completed(
            numbers, ids, list(map(number_for, ids)), digests, recorded, revisions, attempts, refused
        )  # fmt: skip

    def _one_by_one(
        self, numbers: Sequence[int], lines: list[Line], refused: list[tuple[int, list[Diagnostic]]]
    ) -> tuple[list[int], list[Line], list[int], list[Bundled]]:
        """Complete attempts each alone, to tell which are wrong."""
        kept: list[int] = []
        good: list[Line] = []
        revisions: list[int] = []
        attempts: list[Bundled] = []
        for number, line in zip(numbers, lines, strict=True):
            try:
                places, found = self._completed([line.facts])
            except AttemptRefused as wrong:
                refused.append((number, wrong.problems))
                continue
            kept.append(number)
            good.append(line)
            revisions += places
            attempts += found
        return kept, good, revisions, attempts

    def _completed(self, facts: list[dict[str, Any]]) -> tuple[list[int], list[Bundled]]:
        """Return attempts with the places of their revisions.

        Raises
        ------
        AttemptRefused
            For the first that is wrong.
        """
        if not facts:
            return [], []
        # A log is in order of time, more or less: mostly one revision was in force for many lines.
        first, last = (self._in_force(facts[place]) for place in (0, -1))
        if first == last:
            attempts = self._complete(first)(facts)
            moments = [attempt.at for attempt in attempts]
            if first == self._place(min(moments)) == self._place(max(moments)):
                self._not_ahead(max(moments))
                return [first] * len(facts), attempts
        places: list[int] = []
        attempts = []
        for place, some in groupby(facts, key=self._in_force):
            found = self._complete(place)(list(some))
            attempts += found
            places += [place] * len(found)
        self._not_ahead(max(attempt.at for attempt in attempts))
        return places, attempts

    def _complete(self, place: int) -> Callable[[list[dict[str, Any]]], list[Bundled]]:
        """Return what completes attempts under a revision; most logs are of few."""
        found = self._under.get(place)
        if found is None:
            rulebook = self._terms[place].rulebook
            assume, lists = rulebook.settings.assume, lists_of(rulebook)
            bundler = Bundler(rulebook.catalogue, assume, self._inventory, lists, self._addresses)
            kinds = Kinds(self._terms[place].likeness, self._first)

            def found(facts: list[dict[str, Any]]) -> list[Bundled]:
                attempts = bundler.bundle(facts)
                kinds.number(attempts)
                return attempts

            self._under[place] = found
        return found

    def _not_ahead(self, at: datetime) -> None:
        if at > self._source.latest:
            message = f"`time.at` is {show_moment(at)}, more than a day ahead of this service's clock"
            raise AttemptRefused([Diagnostic("in-the-future", message, "set the clock of whoever wrote it")])

    def _recorded_of(self, recorded: Recorded | None) -> bytes:
        if len(self._recorded) > MOST_REMEMBERED:
            self._recorded.clear()
        said = {} if recorded is None else {"outcome": recorded.outcome, "reason": recorded.reason}
        found = self._recorded[recorded] = recorded_of(said)
        return found

    def _place(self, at: datetime) -> int:
        """Return the place of the revision in force at a moment; before the first, the first."""
        return max(bisect_right(self._since, at) - 1, 0)

    def _in_force(self, facts: dict[str, Any]) -> int:
        """Return the place of the revision in force at the time of a record, whatever else is wrong with it."""
        if len(self._since) == 1:
            return 0
        time = facts.get("time")
        text = facts.get("time.at") or (time.get("at") if isinstance(time, dict) else None)
        try:
            return self._place(read_moment(text)) if isinstance(text, str) else 0
        except ValueError:
            return len(self._since) - 1
