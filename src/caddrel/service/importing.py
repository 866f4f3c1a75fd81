"""Taking sign-in logs in: line by line, each decided under the revision in force at its time."""

from __future__ import annotations

import hashlib
from bisect import bisect_right
from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Any, BinaryIO

import msgspec

from caddrel.core.decide.decision import decision_json
from caddrel.core.diagnostics import Diagnostic, shorten
from caddrel.core.facts.attempts import AttemptRefused, read_facts
from caddrel.core.facts.completion import Setting, complete
from caddrel.core.facts.inventory import Inventory
from caddrel.core.facts.record import facts_json
from caddrel.core.facts.types import Value
from caddrel.core.facts.values import to_json
from caddrel.core.rulebook.model import Rulebook
from caddrel.service.deps import Deps, Published
from caddrel.store.signins import SigninRecord
from caddrel.wire.signins import BrokenLine, ImportResult

BATCH = 500
LISTED = 100
LONGEST_ID = 200
_ALPHABET = "0123456789ABCDEFGHJKMNPQRSTVWXYZ"
_LINE_KEYS = {"id", "facts", "recorded"}
_COLUMNS = {
    "person": "person.id",
    "app": "app.id",
    "device": "device.id",
    "operation": "operation",
    "flow": "flow",
    "address": "network.ip",
    "country": "network.country",
    "anonymiser": "network.anonymiser",
    "owner": "device.owner",
    "platform": "device.platform",
    "client": "client.kind",
    "credentials": "auth.credentials",
}


def reference_for(id: str) -> str:
    """Return what a blocked person can quote: ten letters and digits that are not mistaken for one another."""
    number = int.from_bytes(hashlib.sha256(f"reference:{id}".encode()).digest()[:8], "big")
    letters = "".join(_ALPHABET[(number >> (5 * i)) & 31] for i in range(10))
    return f"{letters[:5]}-{letters[5:]}"


class Importer:
    """One import: holds the revisions and the inventory as they were when it began."""

    def __init__(self, deps: Deps) -> None:
        self._deps = deps
        deps.rulebooks.need_current()
        self._in_force = deps.revisions.in_force()
        self._inventory: Inventory = deps.inventories.current()
        self._lists = {
            number: sorted(
                {name for p in self._rulebook(number).places.values() for name in (*p.parts.lists, *p.without.lists)}
            )
            for _, number in self._in_force
        }
        self._listed: list[BrokenLine] = []
        self._broken = self._added = self._known = self._conflicting = 0

    def _rulebook(self, number: int) -> Rulebook:
        return self._deps.rulebooks.get(number).rulebook

    def run(self, stream: BinaryIO) -> ImportResult:
        """Take in an NDJSON stream; good lines are kept whatever the others are."""
        batch: list[tuple[int, SigninRecord]] = []
        for number, line in self._lines(stream):
            try:
                record = self._record(line)
            except AttemptRefused as refused:
                self._refuse(number, refused.problems)
                continue
            batch.append((number, record))
            if len(batch) >= BATCH:
                self._store(batch)
                batch = []
        self._store(batch)
        return ImportResult(self._added, self._known, self._conflicting, self._broken, self._listed)

    def _store(self, batch: list[tuple[int, SigninRecord]]) -> None:
        added, known, conflicting = self._deps.signins.add([record for _, record in batch])
        self._added += added
        self._known += known
        self._conflicting += len(conflicting)
        numbers = {record.id: number for number, record in batch}
        for id in conflicting:
            message = f"a sign-in `{shorten(id)}` with other content is there already"
            self._list(BrokenLine(numbers[id], "conflicting", message, "the one that is there was kept"))

    def _list(self, broken: BrokenLine) -> None:
        if len(self._listed) < LISTED:
            self._listed.append(broken)

    def _refuse(self, number: int, problems: list[Diagnostic]) -> None:
        self._broken += 1
        for problem in problems[:5]:
            self._list(BrokenLine(number, problem.code, problem.message, problem.hint))

    def _lines(self, stream: BinaryIO) -> Iterator[tuple[int, bytes]]:
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

    def _record(self, line: bytes) -> SigninRecord:
        document = _document(line)
        published = self._published(document)
        rulebook = published.rulebook
        reported = read_facts(document["facts"], rulebook.catalogue)
        at = _moment(reported)
        id = document["id"]
        recorded = document.get("recorded") or {}
        facts = complete(
            reported,
            rulebook.catalogue,
            rulebook.settings.assume,
            self._inventory,
            Setting.LOG,
            address_data=self._deps.addresses,
        )
        facts.reference = reference_for(id)
        number = published.revision.number
        decision = published.compiled.decide(facts)
        deciding = decision.deciding[0] if decision.deciding else None
        columns: dict[str, Any] = {name: _column(facts.values.get(fact)) for name, fact in _COLUMNS.items()}
        columns |= {
            "recorded_outcome": recorded.get("outcome") or None,
            "recorded_reason": recorded.get("reason") or None,
            "outcome": decision.outcome,
            "reason": decision.reason,
            "certain": decision.certain,
            "policy": deciding.policy if deciding else None,
            "rule": deciding.rule if deciding else None,
            "shadow_together": decision.shadow.together,
            "revision": number,
        }
        digest = hashlib.sha256(msgspec.json.encode(document, order="deterministic")).hexdigest()
        kept = facts_json(facts, self._lists[number])
        return SigninRecord(id, facts.reference, at, columns, digest, kept, decision_json(decision))

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


def _document(line: bytes) -> dict[str, Any]:
    try:
        document = msgspec.json.decode(line)
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError) as error:
        message = "the line is not JSON in UTF-8"
        raise AttemptRefused([Diagnostic("not-json", f"{message}: {shorten(str(error), 120)}")]) from None
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
    return document


def _moment(reported: dict[str, Value]) -> datetime:
    at = reported.get("time.at")
    if not isinstance(at, datetime):
        raise AttemptRefused([Diagnostic("missing-key", "a sign-in needs the fact `time.at`", path="time.at")])
    return at.astimezone(UTC)


def _column(value: Value | None) -> str | None:
    return None if value is None else str(to_json(value))
