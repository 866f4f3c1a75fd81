"""Taking sign-in logs in: each sign-in decided under the revision in force at its time, and stored.

Step by step, and column by column: one step for many lines takes much less time than all steps for each, since what a
step needs is then at hand for the processor.
"""

from __future__ import annotations

import time
from collections import Counter
from collections.abc import Generator, Iterable, Iterator, Mapping, Sequence
from contextlib import closing
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import partial
from itertools import groupby, islice
from operator import attrgetter, itemgetter
from typing import BinaryIO, TypeVar

from caddrel.core.columnar.attempt import Bundled
from caddrel.core.columnar.evaluator import Alike
from caddrel.core.columnar.fact_groups import GROUPS
from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.decide.decision import Decision
from caddrel.core.diagnostics import Diagnostic, shorten
from caddrel.core.logs.causes import Causes
from caddrel.core.logs.mapping import LogMapping
from caddrel.core.rulebook.model import Rulebook
from caddrel.service.problems import ServiceError
from caddrel.service.signins.batch_writer import Batch, Storing
from caddrel.service.signins.broken_lines import MOST_OF_A_LINE, BrokenLines
from caddrel.service.signins.completer import Completed, Completing, Terms
from caddrel.service.signins.line_reader import Source
from caddrel.service.signins.line_stream import LineReader, Unzipped
from caddrel.service.signins.live_log import LiveLog
from caddrel.service.signins.reader_process import Apart
from caddrel.service.signins.recompute import catch_up
from caddrel.service.signins.record_encoding import Decisions, columns_of
from caddrel.service.signins.strange_words import strange_words
from caddrel.service.state.data_folder import DataFolder
from caddrel.service.state.jobs import Cancelled, Progress
from caddrel.wire.signins import BrokenLine, ImportResult, Respelled, StrangeWord

# So many lines are stored in one commit; where doors wait for theirs meanwhile, so many.
TOGETHER, BESIDE_DOORS = 8_000, 300
# Seconds for which lines are decided at a time, before doors have their turn; and so many lines at least.
LONGEST_TURN, LEAST_TURN = 0.005, 16
# How many times as large as a stream may be, what a compressed one unpacks to.
UNPACKED = 8
LISTED = 100
# Telling what is wrong with a line takes longer than reading a good one.
MOST_BROKEN = 100_000
T = TypeVar("T")
# A sign-in that is to be decided: its moment, id, reference, digest, what was recorded, the place of its revision, and
# the attempt. They are in order of time, those of one moment by their ids. A plain tuple, since there are so many.
_Ready = tuple[datetime, str, int, bytes, bytes, int, Bundled]
_MOMENT, _REVISION = attrgetter("at"), itemgetter(5)
_PERSON = GROUPS.index("person")


@dataclass(frozen=True, slots=True)
class Called:
    """What an import is called, by which mapping it is read, and who asked; `goes_on` is one that it goes on with."""

    name: str = ""
    mapping: str = ""
    by: str = ""
    goes_on: int | None = None


class _Under:
    """A revision made ready for deciding many records."""

    def __init__(self, data: DataFolder, number: int) -> None:
        published = data.rulebooks.get(number)
        self.rulebook = published.rulebook
        self.decide = Alike(published.compiled).decide


class Importer:
    """One import: holds the revisions, the inventory and the clock as they are when it begins to run.

    Parameters
    ----------
    called
        What the list of imports says of it.
    """

    def __init__(self, data: DataFolder, log: LiveLog, called: Called | None = None) -> None:
        self._data = data
        self._log = log
        self._called = called or Called()
        self._number = 0
        # Told at once, though everything is read when it runs: it may have to wait for others.
        data.rulebooks.need_current()

    def _begin(self) -> None:
        data = self._data
        # Read when the first record of their time comes: there may be hundreds, and most logs are of the last few.
        self._in_force = data.revisions.in_force()
        self._under: dict[int, _Under] = {}
        self._terms = [
            Terms(since, partial(self._read, number), partial(self._files, number)) for since, number in self._in_force
        ]
        self._inventory = data.inventories.current()
        self._histories = self._log.histories
        with self._log.deciding:
            self._let_go = self._histories.let_go
        # What is decided and not stored yet.
        self._ready = Batch()
        self._turn = LEAST_TURN
        self._storing = Storing(data.signins, self._number)
        self._causes = Causes()
        self._decisions = Decisions()
        # A clock that runs ahead would make its sign-in the newest of all for signals; a day is no error yet.
        self._latest = data.clock() + timedelta(days=1)
        self._listed: list[BrokenLine] = []
        self._alike = BrokenLines()
        self._here: Completing | None = None
        self._stopped: ServiceError | None = None
        self._broken = self._known = self._conflicting = 0
        self._strange: Counter[tuple[str, str]] = Counter()

    def _read(self, number: int) -> tuple[Rulebook, CompiledRulebook]:
        published = self._data.rulebooks.get(number)
        return published.rulebook, published.compiled

    def _files(self, number: int) -> Sequence[tuple[str, str]]:
        revision = self._data.revisions.get(number)
        assert revision is not None
        return revision.files

    def _revision(self, place: int) -> _Under:
        """Return a revision made ready for deciding."""
        found = self._under.get(place)
        if found is None:
            found = self._under[place] = _Under(self._data, self._in_force[place][1])
        return found

    def run(
        self,
        stream: BinaryIO,
        format: str = "ndjson",
        mapping: LogMapping | None = None,
        progress: Progress | None = None,
    ) -> ImportResult:
        """Take in a log; good lines are kept whatever the others are.

        Parameters
        ----------
        stream
            May be compressed with gzip.
        mapping
            How it is read, where it is in columns of another system.
        progress
            Is told how many bytes of the stream have been read; may raise `Cancelled`.
        """
        unzipped = Unzipped(stream, UNPACKED * self._data.limits.stream)
        with self._log.importing:
            self._number = self._listed_as(format)
            self._begin()
            source = Source(format, mapping, self._data.limits.line, self._latest)
            try:
                self._run(unzipped, source, progress)
            except Cancelled as cancelled:
                raise Cancelled(self._result()) from cancelled
            finally:
                self._data.imports.end(self._number, self._data.clock(), self._known, self._conflicting, self._broken)
        return self._result()

    def _listed_as(self, format: str) -> int:
        """Return the number under which the import is listed."""
        data, called = self._data, self._called
        if called.goes_on is not None:
            found = data.imports.get(called.goes_on)
            if found is None or found.taken_back is not None:
                hint = "leave `goes_on` out: it begins one of its own"
                raise ServiceError(409, "no-such-import", f"import {called.goes_on} cannot be gone on with", hint)
            return found.number
        return data.imports.begin(called.name, format, called.mapping, called.by, data.clock())

    def _result(self) -> ImportResult:
        listed = sorted(self._listed, key=attrgetter("line"))
        strange = [StrangeWord(fact, word, count) for (fact, word), count in self._strange.most_common(LISTED)]
        rows = self._here.rows if self._here is not None else None
        respelled = [] if rows is None else rows.respelled.most_common(LISTED)
        return ImportResult(
            self._storing.stored, self._known, self._conflicting, self._broken, listed, strange,
            0 if rows is None else rows.skipped,
            [Respelled(fact, said, taken, count) for (fact, said, taken), count in respelled],
            self._alike.alike(), self._number,
        )  # fmt: skip

    def _run(self, stream: Unzipped, source: Source, progress: Progress | None) -> None:
        try:
            with self._storing, closing(self._pieces(stream, source)) as pieces:
                for piece in pieces:
                    for number, problems in piece.refused:
                        self._refuse(number, problems)
                    self._decide(self._fresh(piece))
                    if progress is not None:
                        progress(stream.taken)
                self._store()
            if self._stopped is not None:
                raise self._stopped
        except BaseException:
            # What was decided and not stored is not to be looked back at.
            with self._log.deciding:
                self._histories.clear()
            raise
        finally:
            self._log.lockouts.read_again()
            catch_up(self._data, self._log)

    def _pieces(self, stream: Unzipped, source: Source) -> Generator[Completed]:
        """Yield what there is to decide; of a long log, a process of its own reads the most."""
        lines = LineReader(stream, source.most)
        here = self._here = Completing(source, self._terms, self._inventory, self._data.addresses)
        with Apart(source, self._terms, self._inventory, self._data.addresses) as apart:
            for piece in here.pieces(self._until_stopped(lines)):
                yield piece
                # A CSV file means what its first line says, and what became of mapped rows is told: in one place.
                if source.mapping is None and stream.taken > self._data.limits.apart and apart.is_ready():
                    break
            else:
                return
            yield from self._until_stopped(apart.pieces(stream, lines))

    def _until_stopped(self, pieces: Iterable[T]) -> Iterator[T]:
        """Yield what can be read; what stops the reading is told once the lines before it are stored."""
        try:
            yield from pieces
        except ServiceError as stopped:
            self._stopped = stopped

    def _decide(self, fresh: list[_Ready]) -> None:
        """Decide sign-ins that are not there yet, in order of time; stored when there are enough."""
        if not fresh:
            return
        fresh.sort()
        take_in = self._histories.take_in
        # Nothing is read under the lock.
        under_of = {place: self._revision(place) for place in set(map(_REVISION, fresh))}
        rulebooks = [under.rulebook for under in under_of.values()]
        decisions: list[Decision] = []
        while len(decisions) < len(fresh):
            # In turns: whoever waits at a door waits for one of them at most.
            turn = fresh[len(decisions) : len(decisions) + self._turn]
            self._log.give_way()
            with self._log.deciding:
                began = time.perf_counter()
                self._histories.look_back(rulebooks)
                self._miss_nothing(islice(fresh, len(decisions)))
                for revision, some in groupby(turn, key=_REVISION):
                    under = under_of[revision]
                    decisions += take_in(under.rulebook, [(id, attempt) for _, id, *_, attempt in some], under.decide)
                self._ready.add_late(self._histories.late().items())
                each = (time.perf_counter() - began) / len(turn)
            self._turn = max(min(int(LONGEST_TURN / max(each, 1e-9)), TOGETHER), LEAST_TURN)
        _, ids, references, digests, recorded, revisions, attempts = zip(*fresh, strict=True)
        causes = [
            None if decision.outcome == "allowed" else self._causes.of(under_of[place].rulebook, attempt, decision)
            for decision, attempt, place in zip(decisions, attempts, revisions, strict=True)
        ]
        for attempt in attempts:
            for bundle in attempt.bundles:
                if bundle.facts.not_understood:
                    self._strange.update(strange_words(bundle.facts.not_understood))
        numbers = [self._in_force[place][1] for place in revisions]
        decided = self._decisions.of_many(decisions)
        columns = columns_of(ids, references, digests, attempts, recorded, decided, causes, numbers)
        self._ready.signins.extend(columns)
        if len(self._ready.signins) >= (BESIDE_DOORS if self._log.asked() else TOGETHER):
            self._store()

    def _miss_nothing(self, decided: Iterable[_Ready]) -> None:
        """Have what comes worked out again, where it would look back at records that are decided and not stored yet.

        Parameters
        ----------
        decided
            Those of them that are not ready to be stored either.
        """
        if self._let_go == self._histories.let_go:
            return
        self._let_go = self._histories.let_go
        for waiting in (self._storing.batch.signins, self._ready.signins):
            there = zip(waiting["person"], waiting["at"], strict=True)
            self._ready.add_late((person, at) for person, at in there if person is not None)
        of_people = ((attempt.bundles[_PERSON].told[0], at) for at, *_, attempt in decided)
        self._ready.add_late((person, at) for person, at in of_people if isinstance(person, str))

    def _store(self) -> None:
        """Store what is ready in one commit, while what comes next is decided."""
        self._log.give_way()
        self._storing.put(self._ready)
        self._ready = Batch()

    def _fresh(self, piece: Completed) -> list[_Ready]:
        """Return the sign-ins that are neither stored nor about to be; others are told."""
        ready, stored = self._ready.ids, self._storing.batch.ids
        present = self._data.signins.present(piece.ids)
        each = list(zip(map(_MOMENT, piece.attempts), *piece[1:-1], strict=True))
        ids = set(piece.ids)
        if not present and len(ids) == len(each) and all(some.keys().isdisjoint(ids) for some in (ready, stored)):
            ready.update(zip(piece.ids, piece.digests, strict=True))
            return each
        return list(self._apart_from(present, piece.numbers, each))

    def _apart_from(
        self, present: Mapping[str, bytes], numbers: Sequence[int], signins: list[_Ready]
    ) -> Iterator[_Ready]:
        """Yield those that are not there yet, neither in the log nor among those before them."""
        ready, stored = self._ready.ids, self._storing.batch.ids
        for number, signin in zip(numbers, signins, strict=True):
            _, id, _, digest, *_ = signin
            known = ready.get(id) or stored.get(id) or present.get(id)
            if known is None:
                ready[id] = digest
                yield signin
            elif known == digest:
                self._known += 1
            else:
                self._conflicting += 1
                message = f"a sign-in `{shorten(id)}` with other content is there already"
                self._list(BrokenLine(number, "conflicting", message, "the one that is there was kept"))

    def _list(self, broken: BrokenLine) -> None:
        if len(self._listed) < LISTED:
            self._listed.append(broken)

    def _refuse(self, number: int, problems: list[Diagnostic]) -> None:
        self._broken += 1
        if self._broken > MOST_BROKEN:
            hint = "the good lines before were taken in; is it in the format that was asked for?"
            raise ServiceError(422, "too-many-broken", f"more than {MOST_BROKEN:,} lines cannot be read", hint)
        for line in self._alike.add(number, problems[:MOST_OF_A_LINE]):
            self._list(line)
