"""Trying how a log would be read: its beginning, row by row, and what of it the rulebook and the inventory do not know.

Nothing is taken in, and nothing is decided.
"""

from __future__ import annotations

import csv
from collections import Counter
from collections.abc import Iterator, Mapping
from typing import Any

import msgspec

from caddrel.core.diagnostics import Diagnostic, did_you_mean, shorten
from caddrel.core.facts.attempts import AttemptRefused, read_told_facts
from caddrel.core.facts.catalogue import Catalogue
from caddrel.core.inventory.index import Inventory
from caddrel.core.logs.mapped_rows import RowReader, members
from caddrel.core.logs.mapping import SPELLED, LogMapping
from caddrel.core.logs.suggested_mapping import suggested
from caddrel.service.problems import ServiceError
from caddrel.service.signins.broken_lines import MOST_OF_A_LINE, BrokenLines
from caddrel.service.signins.import_formats import decode_json, documents
from caddrel.service.signins.log_mappings import fitting
from caddrel.service.state.data_folder import DataFolder
from caddrel.wire import mappings as wire
from caddrel.wire.decoding import convert
from caddrel.wire.signins import Respelled, StrangeWord

FORMATS = ("csv", "ndjson")
# Rows that are shown as they would be read, values of each column, and of everything else that is listed.
FIRST, VALUES, LISTED = 20, 5, 50
MOST_COLUMNS = 300
# Different values of a column that are looked at.
DIFFERENT = 300


def trial(data: DataFolder, asked: wire.TrialRequest) -> wire.MappingTrial:
    """Return what would come of reading the beginning of a log.

    Raises
    ------
    ServiceError
        When the mapping is wrong, does not fit the columns, or there is nothing to read.
    """
    catalogue = data.rulebooks.in_force().catalogue
    inventory = data.inventories.current()
    text = asked.text.removeprefix("\ufeff").encode()
    lines = [(number, line) for number, line in enumerate(text.split(b"\n"), 1) if line.strip()]
    columns = _columns(lines, asked.format)
    if not columns:
        hint = "the first line of CSV names the columns; a line of NDJSON is one object"
        raise ServiceError(422, "bad-mapping", "no column is to be found in it", hint)
    notes: tuple[str, ...] = ()
    if asked.mapping is not None:
        shown, mapping = asked.mapping, fitting(asked.mapping, catalogue)
    else:
        found = suggested(columns, catalogue, inventory)
        mapping, notes = found.mapping, found.notes
        shown = convert(msgspec.to_builtins(mapping), wire.LogMapping)
    return _Trial(catalogue, inventory, mapping).answer(lines, asked, shown, notes, columns)


def _columns(lines: list[tuple[int, bytes]], format: str) -> dict[str, list[str]]:
    """Return the columns of a log with the first different values in each."""
    found: dict[str, dict[str, None]] = {}
    for name, value in _cells(lines, format):
        if name in found or len(found) < MOST_COLUMNS:
            values = found.setdefault(name, {})
            if value and len(values) < DIFFERENT:
                values[value] = None
    return {name: list(values) for name, values in found.items()}


def _cells(lines: list[tuple[int, bytes]], format: str) -> Iterator[tuple[str, str]]:
    if format == "csv":
        rows = csv.reader(line.decode("utf-8", "replace") + "\n" for _, line in lines)
        header: list[str] = []
        try:
            for row in rows:
                if not header:
                    header = [cell.strip() for cell in row]
                    yield from ((name, "") for name in header)
                elif len(row) == len(header):
                    yield from zip(header, (cell.strip() for cell in row), strict=True)
        except csv.Error:
            return
        return
    for _, line in lines:
        try:
            document = decode_json(line)
        except AttemptRefused:
            continue
        if isinstance(document, dict):
            for name, value in members(document):
                said = value if isinstance(value, list) else [value]
                yield name, ",".join(str(each).strip() for each in said if each is not None)


class _Trial:
    def __init__(self, catalogue: Catalogue, inventory: Inventory, mapping: LogMapping) -> None:
        self._catalogue, self._inventory, self._mapping = catalogue, inventory, mapping
        self._rows = RowReader(mapping, catalogue, inventory)
        self._first: list[wire.TriedRow] = []
        self._broken = BrokenLines()
        self._strange: Counter[tuple[str, str]] = Counter()
        self._unknown: Counter[tuple[str, str]] = Counter()
        self._ids: Counter[str] = Counter()
        self._good = self._read = 0

    def answer(
        self,
        lines: list[tuple[int, bytes]],
        asked: wire.TrialRequest,
        shown: wire.LogMapping,
        notes: tuple[str, ...],
        columns: Mapping[str, list[str]],
    ) -> wire.MappingTrial:
        """Return what comes of all lines."""
        for number, document in documents(iter(lines), asked.format, self._rows):
            self._read += 1
            try:
                self._take(number, document)
            except AttemptRefused as refused:
                self._refuse(number, refused.problems)
        targets = {column: rule.to for column, rule in self._mapping.columns.items()}
        return wire.MappingTrial(
            shown, asked.mapping is None, list(notes),
            [wire.LogColumn(name, targets.get(name, ""), values[:VALUES]) for name, values in columns.items()],
            self._read, self._good, self._rows.skipped, sum(count - 1 for count in self._ids.values()),
            self._broken.alike(),
            [StrangeWord(fact, word, count) for (fact, word), count in self._strange.most_common(LISTED)],
            [Respelled(*said, count) for said, count in self._rows.respelled.most_common(LISTED)],
            [
                wire.UnknownObject(fact, id, count, self._meant(fact, id))
                for (fact, id), count in self._unknown.most_common(LISTED)
            ],
            self._first,
        )  # fmt: skip

    def _take(self, number: int, document: dict[str, Any] | AttemptRefused) -> None:
        if isinstance(document, AttemptRefused):
            raise document
        facts = document["facts"]
        _, strange = read_told_facts(facts, self._catalogue)
        if "time.at" not in facts:
            raise AttemptRefused([Diagnostic("missing-key", "the row has no moment", path="time.at")])
        id = document.get("id", "")
        if not id:
            raise AttemptRefused([Diagnostic("bad-id", "the row has no id", path="id")])
        self._good += 1
        self._ids[id] += 1
        for fact, said in strange.items():
            for word in said if isinstance(said, list | tuple | set | frozenset) else [said]:
                self._strange[fact, shorten(str(word))] += 1
        for fact, noun in SPELLED.items():
            if fact in facts and facts[fact] not in getattr(self._inventory, noun):
                self._unknown[fact, shorten(facts[fact])] += 1
        if len(self._first) < FIRST:
            self._first.append(wire.TriedRow(number, id, dict(facts), document.get("recorded", {}), []))

    def _refuse(self, number: int, problems: list[Diagnostic]) -> None:
        self._broken.add(number, problems[:MOST_OF_A_LINE])
        if len(self._first) < FIRST:
            self._first.append(
                wire.TriedRow(number, "", {}, {}, [problem.message for problem in problems[:MOST_OF_A_LINE]])
            )

    def _meant(self, fact: str, id: str) -> str:
        return did_you_mean(id, getattr(self._inventory, SPELLED[fact]))
