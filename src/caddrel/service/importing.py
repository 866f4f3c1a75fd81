"""Taking sign-in logs in: line by line, each decided under the revision in force at its time.

Step by step, and column by column: one step for many lines takes much less time than all steps for each, since what a
step needs is then at hand for the processor.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterable, Iterator, Mapping, Sequence
from datetime import datetime, timedelta
from itertools import groupby, repeat
from operator import attrgetter
from typing import Any, BinaryIO, NamedTuple

from caddrel.core.diagnostics import Diagnostic, shorten
from caddrel.core.facts.attempts import AttemptRefused
from caddrel.core.facts.bundling import Bundled, Bundler
from caddrel.core.facts.values import show_moment
from caddrel.core.logs.alike import Alike
from caddrel.core.logs.causes import Causes
from caddrel.service.deps import Deps
from caddrel.service.errors import ServiceError
from caddrel.service.formats import Lines, Unzipped, lines_of
from caddrel.service.jobs import Cancelled, Progress
from caddrel.service.noticing import catch_up
from caddrel.service.reading import Line, Recorded, read_lines
from caddrel.service.records import Decisions, columns_of, lists_of, recorded_of
from caddrel.service.storing import Batch, Storing
from caddrel.wire.signins import BrokenLine, ImportResult

# So many lines are stored in one commit.
TOGETHER = 8_000
MOST_REMEMBERED = 10_000
# How many times as large as a stream may be, what a compressed one unpacks to.
UNPACKED = 8
LISTED = 100


class _Ready(NamedTuple):
    """A good line that is to be decided: in order of time, those of one moment by their ids."""

    at: datetime
    id: str
    digest: bytes
    recorded: Recorded | None
    attempt: Bundled
    under: _Under


class _Under:
    """A revision made ready for deciding many records."""

    def __init__(self, deps: Deps, number: int) -> None:
        published = deps.rulebooks.get(number)
        self.number = number
        self.rulebook = rulebook = published.rulebook
        self.decide = Alike(published.compiled).decide
        inventory = deps.inventories.current()
        lists = lists_of(rulebook)
        self.bundle = Bundler(rulebook.catalogue, rulebook.settings.assume, inventory, lists, deps.addresses).bundle


class Importer:
    """One import: holds the revisions and the inventory as they were when it began."""

    def __init__(self, deps: Deps) -> None:
        self._deps = deps
        deps.rulebooks.need_current()
        in_force = deps.revisions.in_force()
        self._since = [since for since, _ in in_force]
        self._under = [_Under(deps, number) for _, number in in_force]
        self._histories = deps.histories
        with deps.log_lock:
            self._histories.look_back([under.rulebook for under in self._under])
            self._let_go = self._histories.let_go
        # What is decided and not stored yet.
        self._ready = Batch()
        self._storing = Storing(deps.signins)
        self._recorded: dict[Recorded | None, bytes] = {}
        self._causes = Causes()
        self._decisions = Decisions()
        # A clock that runs ahead would make its sign-in the newest of all for signals; a day is no error yet.
        self._latest = deps.clock() + timedelta(days=1)
        self._listed: list[BrokenLine] = []
        self._stopped: ServiceError | None = None
        self._broken = self._known = self._conflicting = 0

    def run(
        self,
        stream: BinaryIO,
        format: str = "ndjson",
        mapping: Mapping[str, str] | None = None,
        progress: Progress | None = None,
    ) -> ImportResult:
        """Take in a log; good lines are kept whatever the others are.

        Parameters
        ----------
        stream
            May be compressed with gzip.
        mapping
            Of a CSV file: column to fact.
        progress
            Is told how many bytes of the stream have been read; may raise `Cancelled`.
        """
        unzipped = Unzipped(stream, UNPACKED * self._deps.limits.stream)
        with self._deps.import_lock:
            try:
                self._run(unzipped, format, mapping or {}, progress)
            except Cancelled as cancelled:
                raise Cancelled(self._result()) from cancelled
        return self._result()

    def _result(self) -> ImportResult:
        listed = sorted(self._listed, key=attrgetter("line"))
        return ImportResult(self._storing.stored, self._known, self._conflicting, self._broken, listed)

    def _run(self, stream: Unzipped, format: str, mapping: Mapping[str, str], progress: Progress | None) -> None:
        most = self._deps.limits.line
        catalogue = self._under[-1].rulebook.catalogue
        read = read_lines(self._until_stopped(lines_of(stream, most)), format, mapping, catalogue, most, self._refuse)
        try:
            with self._storing:
                for numbers, lines in read:
                    self._decide(self._fresh(numbers, lines))
                    if progress is not None:
                        progress(stream.taken)
                self._store()
            if self._stopped is not None:
                raise self._stopped
        except BaseException:
            # What was decided and not stored is not to be looked back at.
            with self._deps.log_lock:
                self._histories.clear()
            raise
        finally:
            catch_up(self._deps)

    def _until_stopped(self, pieces: Iterator[Lines]) -> Iterator[Lines]:
        """Yield what can be read; what stops the reading is told once the lines before it are stored."""
        try:
            yield from pieces
        except ServiceError as stopped:
            self._stopped = stopped

    def _decide(self, fresh: list[_Ready]) -> None:
        """Decide lines that are not there yet, in order of time; stored when there are enough."""
        if not fresh:
            return
        fresh.sort()
        take_in = self._histories.take_in
        decisions = []
        with self._deps.log_lock:
            self._miss_nothing()
            for under, some in groupby(fresh, key=_UNDER):
                decisions += take_in(under.rulebook, ((line.id, line.attempt) for line in some), under.decide)
            self._ready.add_late(self._histories.late().items())
        _, ids, digests, recorded, attempts, unders = zip(*fresh, strict=True)
        causes = [
            None if decision.outcome == "allowed" else self._causes.of(under.rulebook, attempt, decision)
            for decision, attempt, under in zip(decisions, attempts, unders, strict=True)
        ]
        said = [self._recorded.get(each) or self._recorded_of(each) for each in recorded]
        revisions = [under.number for under in unders]
        decided = self._decisions.of_many(decisions)
        self._ready.signins.extend(columns_of(ids, digests, attempts, said, decided, causes, revisions))
        if len(self._ready.signins) >= TOGETHER:
            self._store()

    def _miss_nothing(self) -> None:
        """Have what comes worked out again, where it would look back at records that are decided and not stored yet."""
        if self._let_go == self._histories.let_go:
            return
        self._let_go = self._histories.let_go
        for waiting in (self._storing.batch.signins, self._ready.signins):
            there = zip(waiting["person"], waiting["at"], strict=True)
            self._ready.add_late((person, at) for person, at in there if person is not None)

    def _store(self) -> None:
        """Store what is ready in one commit, while what comes next is decided."""
        self._storing.put(self._ready)
        self._ready = Batch()

    def _fresh(self, numbers: Sequence[int], lines: list[Line]) -> list[_Ready]:
        """Return the lines that are neither stored nor about to be, with their facts completed; others are told."""
        attempts = self._attempts(lines)
        ready, stored = self._ready.ids, self._storing.batch.ids
        present = self._deps.signins.present([line.id for line in lines])
        fresh = []
        for number, line, (under, attempt) in zip(numbers, lines, attempts, strict=True):
            if isinstance(attempt, AttemptRefused):
                self._refuse(number, attempt.problems)
                continue
            id = line.id
            known = ready.get(id) or stored.get(id) or present.get(id)
            if known is None:
                ready[id] = digest = line.digest()
                fresh.append(_Ready(attempt.at, id, digest, line.recorded, attempt, under))
            elif line.has_digest(known):
                self._known += 1
            else:
                self._conflicting += 1
                message = f"a sign-in `{shorten(id)}` with other content is there already"
                self._list(BrokenLine(number, "conflicting", message, "the one that is there was kept"))
        return fresh

    def _list(self, broken: BrokenLine) -> None:
        if len(self._listed) < LISTED:
            self._listed.append(broken)

    def _refuse(self, number: int, problems: list[Diagnostic]) -> None:
        self._broken += 1
        for problem in problems[:5]:
            self._list(BrokenLine(number, problem.code, problem.message, problem.hint))

    def _attempts(self, lines: list[Line]) -> Iterable[tuple[_Under, Bundled | AttemptRefused]]:
        """Return the attempts of lines, each under the revision in force at its time; or why it is none."""
        try:
            return self._completed([line.facts for line in lines])
        except AttemptRefused:
            return [self._completed_alone(line.facts) for line in lines]

    def _completed_alone(self, facts: dict[str, Any]) -> tuple[_Under, Bundled | AttemptRefused]:
        try:
            (found,) = self._completed([facts])
        except AttemptRefused as refused:
            return self._under[-1], refused
        return found

    def _completed(self, facts: list[dict[str, Any]]) -> Iterable[tuple[_Under, Bundled]]:
        """Return attempts completed.

        Raises
        ------
        AttemptRefused
            For the first that is wrong.
        """
        if not facts:
            return []
        # A log is in order of time, more or less: mostly one revision was in force for many lines.
        first, last = (self._in_force(facts[place]) for place in (0, -1))
        if first == last:
            attempts = self._under[first].bundle(facts)
            moments = [attempt.at for attempt in attempts]
            if first == self._place(min(moments)) == self._place(max(moments)):
                self._not_ahead(max(moments))
                return zip(repeat(self._under[first]), attempts)
        found: list[tuple[_Under, Bundled]] = []
        for place, some in groupby(facts, key=self._in_force):
            under = self._under[place]
            found += [(under, attempt) for attempt in under.bundle(list(some))]
        self._not_ahead(max(attempt.at for _, attempt in found))
        return found

    def _not_ahead(self, at: datetime) -> None:
        if at > self._latest:
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
        if len(self._under) == 1:
            return 0
        time = facts.get("time")
        text = facts.get("time.at") or (time.get("at") if isinstance(time, dict) else None)
        try:
            at = datetime.fromisoformat(text) if isinstance(text, str) else None
        except ValueError:
            return len(self._under) - 1
        return 0 if at is None or at.tzinfo is None else self._place(at)


_UNDER = attrgetter("under")
