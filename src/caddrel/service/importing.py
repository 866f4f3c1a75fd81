"""Taking sign-in logs in: line by line, each decided under the revision in force at its time."""

from __future__ import annotations

import hashlib
from bisect import bisect_right
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any, BinaryIO

import msgspec

from caddrel.core.decide.decision import decision_json
from caddrel.core.diagnostics import Diagnostic, shorten
from caddrel.core.facts.attempts import AttemptRefused, read_facts
from caddrel.core.facts.completion import Setting, complete
from caddrel.core.facts.inventory import Inventory
from caddrel.core.facts.record import facts_json
from caddrel.core.facts.types import Value
from caddrel.core.facts.values import show_moment
from caddrel.core.logs.causes import cause_of
from caddrel.core.rulebook.model import Rulebook
from caddrel.service.deps import Deps, Published
from caddrel.service.formats import Unzipped, documents
from caddrel.service.noticing import Histories, catch_up
from caddrel.service.records import columns_of, lists_of, reference_for
from caddrel.store.signins import SigninRecord
from caddrel.wire.signins import BrokenLine, ImportResult

BATCH = 500
# How many times as large as a stream may be, what a compressed one unpacks to.
UNPACKED = 8
LISTED = 100
LONGEST_ID = 200
_LINE_KEYS = {"id", "facts", "recorded"}


@dataclass(frozen=True, slots=True)
class _Line:
    """One good line: what it says, and the revision in force at its time."""

    number: int
    id: str
    digest: str
    at: datetime
    published: Published
    reported: dict[str, Value]
    recorded: dict[str, Any]


class Importer:
    """One import: holds the revisions and the inventory as they were when it began."""

    def __init__(self, deps: Deps) -> None:
        self._deps = deps
        deps.rulebooks.need_current()
        self._in_force = deps.revisions.in_force()
        self._inventory: Inventory = deps.inventories.current()
        rulebooks = {number: self._rulebook(number) for _, number in self._in_force}
        self._lists = {number: lists_of(rulebook) for number, rulebook in rulebooks.items()}
        self._histories = Histories(deps.signins, rulebooks.values())
        # A clock that runs ahead would make its sign-in the newest of all for signals; a day is no error yet.
        self._latest = deps.clock() + timedelta(days=1)
        self._listed: list[BrokenLine] = []
        self._broken = self._added = self._known = self._conflicting = 0

    def _rulebook(self, number: int) -> Rulebook:
        return self._deps.rulebooks.get(number).rulebook

    def run(self, stream: BinaryIO, format: str = "ndjson", mapping: Mapping[str, str] | None = None) -> ImportResult:
        """Take in a log; good lines are kept whatever the others are.

        Parameters
        ----------
        stream
            May be compressed with gzip.
        mapping
            Of a CSV file: column to fact.
        """
        batch: list[_Line] = []
        catalogue = self._rulebook(self._in_force[-1][1]).catalogue
        lines = self._lines(Unzipped(stream, UNPACKED * self._deps.limits.stream))
        for number, document in documents(lines, format, mapping or {}, catalogue):
            try:
                if isinstance(document, AttemptRefused):
                    raise document
                read = self._read(number, document)
            except AttemptRefused as refused:
                self._refuse(number, refused.problems)
                continue
            batch.append(read)
            if len(batch) >= BATCH:
                self._take(batch)
                batch = []
        self._take(batch)
        catch_up(self._deps)
        return ImportResult(self._added, self._known, self._conflicting, self._broken, self._listed)

    def _take(self, batch: list[_Line]) -> None:
        """Decide and store the lines that are not there yet, in order of time."""
        with self._deps.log_lock:
            present = self._deps.signins.present([line.id for line in batch])
            fresh: list[_Line] = []
            for line in batch:
                known = present.get(line.id)
                if known is None:
                    present[line.id] = line.digest
                    fresh.append(line)
                elif known == line.digest:
                    self._known += 1
                else:
                    self._conflicting += 1
                    message = f"a sign-in `{shorten(line.id)}` with other content is there already"
                    hint = "the one that is there was kept"
                    self._list(BrokenLine(line.number, "conflicting", message, hint))
            records = [self._record(line) for line in sorted(fresh, key=lambda line: (line.at, line.id))]
            self._deps.signins.add(records, self._histories.late())
            self._added += len(records)

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
        _check_document(document)
        published = self._published(document)
        reported = read_facts(document["facts"], published.rulebook.catalogue)
        digest = hashlib.sha256(msgspec.json.encode(document, order="deterministic")).hexdigest()
        recorded = document.get("recorded") or {}
        at = _moment(reported)
        if at > self._latest:
            message = f"`time.at` is {show_moment(at)}, more than a day ahead of this service's clock"
            raise AttemptRefused([Diagnostic("in-the-future", message, "set the clock of whoever wrote it")])
        return _Line(number, document["id"], digest, at, published, reported, recorded)

    def _record(self, line: _Line) -> SigninRecord:
        rulebook = line.published.rulebook
        facts = complete(
            line.reported,
            rulebook.catalogue,
            rulebook.settings.assume,
            self._inventory,
            Setting.LOG,
            address_data=self._deps.addresses,
        )
        facts.reference = reference_for(line.id)
        self._histories.notice(rulebook, facts, line.id)
        number = line.published.revision.number
        decision = line.published.compiled.decide(facts)
        self._histories.add(facts, line.at, line.id, decision.outcome)
        cause = cause_of(rulebook, facts, decision)
        columns = {
            **columns_of(facts, decision, number, cause),
            "recorded_outcome": line.recorded.get("outcome") or None,
            "recorded_reason": line.recorded.get("reason") or None,
        }
        kept = facts_json(facts, self._lists[number])
        decided = decision_json(decision)
        return SigninRecord(line.id, facts.reference, line.at, columns, line.digest, kept, decided, cause=cause)

    def _published(self, document: dict[str, Any]) -> Published:
        """Return the revision in force at the time of a record; before the first, the first."""
        facts = document["facts"]
        time = facts.get("time")
        text = facts.get("time.at") or (time.get("at") if isinstance(time, dict) else None)
        moments = [since for since, _ in self._in_force]
        index = 0
        try:
            at = datetime.fromisoformat(text) if isinstance(text, str) else None
            if at is not None and at.tzinfo is not None:
                index = max(bisect_right(moments, at) - 1, 0)
        except ValueError:
            index = len(moments) - 1
        return self._deps.rulebooks.get(self._in_force[index][1])


def _check_document(document: Any) -> None:
    if not isinstance(document, dict) or not isinstance(document.get("facts"), dict):
        hint = 'such as {"id": "s-1", "facts": {"time.at": …}}'
        raise AttemptRefused([Diagnostic("wrong-type", "a line holds one object with `id` and `facts`", hint)])
    problems = [
        Diagnostic("unknown-key", f"a sign-in has no `{shorten(key)}`", "it can have: id, facts, recorded")
        for key in document
        if key not in _LINE_KEYS
    ]
    id = document.get("id")
    if not isinstance(id, str) or not 0 < len(id) <= LONGEST_ID or not id.isprintable():
        problems.append(Diagnostic("bad-id", f"`id` is a text of 1 to {LONGEST_ID} printable characters"))
    recorded = document.get("recorded") or {}
    texts = isinstance(recorded, dict) and all(isinstance(v, str) and len(v) <= 500 for v in recorded.values())
    if not texts or not set(recorded) <= {"outcome", "reason"}:
        problems.append(Diagnostic("bad-recorded", "`recorded` has `outcome` and `reason`, both short texts"))
    if problems:
        raise AttemptRefused(problems)


def _moment(reported: dict[str, Value]) -> datetime:
    at = reported.get("time.at")
    if not isinstance(at, datetime):
        raise AttemptRefused([Diagnostic("missing-key", "a sign-in needs the fact `time.at`", path="time.at")])
    return at.astimezone(UTC)
