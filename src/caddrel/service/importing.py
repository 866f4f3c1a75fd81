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
from caddrel.service.records import Decisions, bundled_signin, lists_of, recorded_of
from caddrel.service.storing import Batch, Storing
from caddrel.store.signins import NewSignin
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
                while piece := self._good(islice(read, PIECE)):
                    self._decide([line for line in piece if line is not None])
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
        fresh = self._fresh(lines)
        with self._deps.log_lock:
            self._ready.signins.extend([self._record(line) for line in sorted(fresh, key=_MOMENT)])
            self._ready.add_late(self._histories.late())
        if len(self._ready.signins) >= TOGETHER:
            self._store()

    def _store(self) -> None:
        """Store what is ready in one commit, while what comes next is decided."""
        self._storing.put(self._ready)
        self._ready = Batch()

    def _good(self, read: Iterator[Read]) -> list[_Line | None]:
        """Return lines as they were read, None for a broken one."""
        found: list[_Line | None] = []
        try:
            for number, document in read:
                try:
                    if isinstance(document, AttemptRefused):
                        raise document
                    found.append(self._read(number, document))
                except AttemptRefused as refused:
                    self._refuse(number, refused.problems)
                    found.append(None)
        except ServiceError as stopped:
            # Told once the lines before it are stored.
            self._stopped = stopped
        return found

    def _fresh(self, lines: list[_Line]) -> list[_Line]:
        """Return the lines that are neither stored nor about to be."""
        ready, stored = self._ready.ids, self._storing.ids
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

    def _read(self, number: int, document: Any) -> _Line:
        recorded = self._recorded_of(document)
        _check_document(document, recorded is not None)
        assert recorded is not None
        facts = document["facts"]
        under = self._in_force(facts)
        bundled = under.bundle(facts)
        at = bundled.at
        if at > self._latest:
            message = f"`time.at` is {show_moment(at)}, more than a day ahead of this service's clock"
            raise AttemptRefused([Diagnostic("in-the-future", message, "set the clock of whoever wrote it")])
        digest = hashlib.sha256(_encode(document)).digest()
        return _Line(number, document["id"], digest, at, under, bundled, recorded)

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

    def _record(self, line: _Line) -> NewSignin:
        _, id, digest, _, under, bundled, recorded = line
        rulebook = under.rulebook
        decision = self._histories.take_in(rulebook, bundled, id, under.decide)
        cause = self._causes.of(rulebook, bundled, decision) if decision.outcome != "allowed" else None
        decided = self._decisions.of(decision)
        return bundled_signin(id, digest, bundled, recorded, decided, cause, under.number)

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


def _check_document(document: Any, good_recorded: bool) -> None:
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
    if not good_recorded:
        problems.append(Diagnostic("bad-recorded", "`recorded` has `outcome` and `reason`, both short texts"))
    if problems:
        raise AttemptRefused(problems)


def _is_short_text(value: object) -> bool:
    return isinstance(value, str) and len(value) <= LONGEST_RECORDED
