"""Taking sign-in logs in: line by line, each decided under the revision in force at its time."""

from __future__ import annotations

import hashlib
from bisect import bisect_right
from collections.abc import Iterator, Mapping
from datetime import datetime, timedelta
from itertools import islice
from operator import attrgetter
from typing import Any, BinaryIO, NamedTuple

import msgspec

from caddrel.core.decide.decision import Decision
from caddrel.core.diagnostics import Diagnostic, shorten
from caddrel.core.facts.attempts import AttemptRefused
from caddrel.core.facts.bundling import Bundled, Bundler
from caddrel.core.facts.values import show_moment
from caddrel.core.logs.alike import Alike
from caddrel.core.logs.causes import Causes
from caddrel.service.deps import Deps
from caddrel.service.errors import ServiceError
from caddrel.service.formats import Read, Unzipped, documents
from caddrel.service.jobs import Cancelled, Progress
from caddrel.service.noticing import catch_up
from caddrel.service.records import Decisions, Taken, lists_of, recorded_of, signins_of
from caddrel.service.storing import Batch, Storing
from caddrel.wire.signins import BrokenLine, ImportResult

# So many lines are decided at once, and so many stored in one commit.
PIECE = 500
TOGETHER = 8_000
MOST_REMEMBERED = 10_000
# How many times as large as a stream may be, what a compressed one unpacks to.
UNPACKED = 8
LISTED = 100
LONGEST_ID = 200
LONGEST_RECORDED = 500
_LINE_KEYS = {"id", "facts", "recorded"}
_RECORDED_KEYS = {"outcome", "reason"}


class _Line(NamedTuple):
    """One good line: what it says, under the revision in force at its time."""

    number: int
    id: str
    digest: bytes
    at: datetime
    under: _Under
    bundled: Bundled
    recorded: bytes


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
        self._recorded: dict[Any, bytes] = {}
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
        return ImportResult(self._storing.stored, self._known, self._conflicting, self._broken, self._listed)

    def _run(self, stream: Unzipped, format: str, mapping: Mapping[str, str], progress: Progress | None) -> None:
        read = documents(self._lines(stream), format, mapping, self._under[-1].rulebook.catalogue)
        try:
            with self._storing:
                while piece := self._piece(read):
                    self._decide(self._good(piece))
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

    def _decide(self, lines: list[_Line]) -> None:
        """Decide the lines that are not there yet, in order of time; stored when there are enough."""
        fresh = sorted(self._fresh(lines), key=_MOMENT)
        take_in = self._histories.take_in
        with self._deps.log_lock:
            self._miss_nothing()
            decisions = [take_in(line.under.rulebook, line.bundled, line.id, line.under.decide) for line in fresh]
            self._ready.add_late(self._histories.late().items())
        self._ready.signins.extend(signins_of([self._taken(*each) for each in zip(fresh, decisions, strict=True)]))
        if len(self._ready.signins) >= TOGETHER:
            self._store()

    def _miss_nothing(self) -> None:
        """Have what comes worked out again, where it would look back at records that are decided and not stored yet."""
        if self._let_go == self._histories.let_go:
            return
        self._let_go = self._histories.let_go
        waiting = (*self._storing.batch.signins, *self._ready.signins)
        self._ready.add_late((signin.person, signin.at) for signin in waiting if signin.person is not None)

    def _taken(self, line: _Line, decision: Decision) -> Taken:
        _, id, digest, _, under, bundled, recorded = line
        cause = self._causes.of(under.rulebook, bundled, decision) if decision.outcome != "allowed" else None
        return Taken(id, digest, bundled, recorded, self._decisions.of(decision), cause, under.number)

    def _store(self) -> None:
        """Store what is ready in one commit, while what comes next is decided."""
        self._storing.put(self._ready)
        self._ready = Batch()

    def _piece(self, read: Iterator[Read]) -> list[Read]:
        found: list[Read] = []
        try:
            found.extend(islice(read, PIECE))
        except ServiceError as stopped:
            # Told once the lines before it are stored.
            self._stopped = stopped
        return found

    def _good(self, piece: list[Read]) -> list[_Line]:
        """Return the good lines of some; the others are told."""
        try:
            return self._read(piece)
        except AttemptRefused:
            pass
        found = []
        for read in piece:
            try:
                found += self._read([read])
            except AttemptRefused as refused:
                self._refuse(read[0], refused.problems)
        return found

    def _fresh(self, lines: list[_Line]) -> list[_Line]:
        """Return the lines that are neither stored nor about to be."""
        ready, stored = self._ready.ids, self._storing.batch.ids
        present = self._deps.signins.present([line.id for line in lines])
        fresh = []
        for line in lines:
            known = ready.get(line.id) or stored.get(line.id) or present.get(line.id)
            if known is None:
                ready[line.id] = line.digest
                fresh.append(line)
            elif known == line.digest:
                self._known += 1
            else:
                self._conflicting += 1
                message = f"a sign-in `{shorten(line.id)}` with other content is there already"
                hint = "the one that is there was kept"
                self._list(BrokenLine(line.number, "conflicting", message, hint))
        return fresh

    def _list(self, broken: BrokenLine) -> None:
        if len(self._listed) < LISTED:
            self._listed.append(broken)

    def _refuse(self, number: int, problems: list[Diagnostic]) -> None:
        self._broken += 1
        for problem in problems[:5]:
            self._list(BrokenLine(number, problem.code, problem.message, problem.hint))

    def _lines(self, stream: Unzipped) -> Iterator[tuple[int, bytes]]:
        most = self._deps.limits.line
        number = 0
        while line := stream.readline(most + 1):
            number += 1
            if len(line) > most and not line.endswith(b"\n"):
                # The rest of an overlong line is passed over in pieces, never held whole.
                while (rest := stream.readline(most)) and not rest.endswith(b"\n"):
                    pass
                self._refuse(number, [Diagnostic("line-too-long", f"the line has more than {most} bytes")])
                continue
            if number == 1:
                line = line.removeprefix(b"\xef\xbb\xbf")
            if line.strip():
                yield number, line

    def _read(self, piece: list[Read]) -> list[_Line]:
        """Return lines read and completed.

        Step by step: one step for many lines takes much less time than all steps for each, since what a step needs is
        then at hand for the processor.

        Raises
        ------
        AttemptRefused
            For the first line that is wrong.
        """
        recorded = [self._recorded_of(document) for _, document in piece]
        documents = [_checked(document, said) for (_, document), said in zip(piece, recorded, strict=True)]
        facts = [document["facts"] for document in documents]
        under = [self._in_force(some) for some in facts]
        bundled = [each.bundle(some) for each, some in zip(under, facts, strict=True)]
        for attempt in bundled:
            if attempt.at > self._latest:
                message = f"`time.at` is {show_moment(attempt.at)}, more than a day ahead of this service's clock"
                raise AttemptRefused([Diagnostic("in-the-future", message, "set the clock of whoever wrote it")])
        digests = [hashlib.sha256(text).digest() for text in [_encode(document) for document in documents]]
        return [
            _Line(read[0], document["id"], digest, attempt.at, each, attempt, said or b"")
            for read, document, digest, each, attempt, said in zip(
                piece, documents, digests, under, bundled, recorded, strict=True
            )
        ]

    def _recorded_of(self, document: Any) -> bytes | None:
        """Return what the other system recorded as it is stored, None for what it cannot be.

        Hardly ever there is anything that did not come before.
        """
        try:
            recorded = document.get("recorded") or {}
            key = tuple(recorded.items())
            found = self._recorded.get(key)
        except (AttributeError, TypeError):
            return None
        if found is None and recorded.keys() <= _RECORDED_KEYS and all(map(_is_short_text, recorded.values())):
            if len(self._recorded) > MOST_REMEMBERED:
                self._recorded.clear()
            found = self._recorded[key] = recorded_of(recorded)
        return found

    def _in_force(self, facts: dict[str, Any]) -> _Under:
        """Return the revision in force at the time of a record; before the first, the first."""
        if len(self._under) == 1:
            return self._under[0]
        time = facts.get("time")
        text = facts.get("time.at") or (time.get("at") if isinstance(time, dict) else None)
        index = 0
        try:
            at = datetime.fromisoformat(text) if isinstance(text, str) else None
            if at is not None and at.tzinfo is not None:
                index = max(bisect_right(self._since, at) - 1, 0)
        except ValueError:
            index = len(self._since) - 1
        return self._under[index]


_MOMENT = attrgetter("at", "id")
_encode = msgspec.json.Encoder(order="deterministic").encode


def _checked(document: Any, recorded: bytes | None) -> dict[str, Any]:
    if isinstance(document, AttemptRefused):
        raise document
    if not isinstance(document, dict) or not isinstance(document.get("facts"), dict):
        hint = 'such as {"id": "s-1", "facts": {"time.at": …}}'
        raise AttemptRefused([Diagnostic("wrong-type", "a line holds one object with `id` and `facts`", hint)])
    id = document.get("id")
    problems = []
    if not document.keys() <= _LINE_KEYS:
        hint = "it can have: id, facts, recorded"
        unknown = [key for key in document if key not in _LINE_KEYS]
        problems = [Diagnostic("unknown-key", f"a sign-in has no `{shorten(key)}`", hint) for key in unknown]
    if not isinstance(id, str) or not 0 < len(id) <= LONGEST_ID or not id.isprintable():
        problems.append(Diagnostic("bad-id", f"`id` is a text of 1 to {LONGEST_ID} printable characters"))
    if recorded is None:
        problems.append(Diagnostic("bad-recorded", "`recorded` has `outcome` and `reason`, both short texts"))
    if problems:
        raise AttemptRefused(problems)
    return document


def _is_short_text(value: object) -> bool:
    return isinstance(value, str) and len(value) <= LONGEST_RECORDED
