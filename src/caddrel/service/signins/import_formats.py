"""The formats that logs come in: NDJSON of our own, OCSF Authentication events, and CSV or NDJSON by a mapping."""

from __future__ import annotations

import csv
from collections.abc import Iterable, Iterator
from typing import Any

import msgspec

from caddrel.core.diagnostics import Diagnostic, shorten
from caddrel.core.facts.attempts import AttemptRefused
from caddrel.core.logs.mapped_rows import RowReader
from caddrel.core.logs.ocsf import from_event
from caddrel.service.problems import ServiceError

# A log is seldom packed to less than a thirtieth; what is, was made to be unpacked.
MOST_UNPACKED = 200
UNPACKED_ANYWAY = 64 * 1024
FORMATS = ("ndjson", "csv", "ocsf")


# What was read of a line: the document, or why it cannot be read.
Read = tuple[int, dict[str, Any] | AttemptRefused]


def decode_json(line: bytes) -> Any:
    """Return the JSON of a line.

    Raises
    ------
    AttemptRefused
        When it is none, or not in UTF-8.
    """
    try:
        return msgspec.json.decode(line)
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError) as error:
        message = "the line is not JSON in UTF-8"
        raise AttemptRefused([Diagnostic("not-json", f"{message}: {shorten(str(error), 120)}")]) from None


def documents(lines: Iterable[tuple[int, bytes]], format: str, rows: RowReader | None) -> Iterator[Read]:
    """Yield each line as a document of our own shape, or why it cannot be read.

    Parameters
    ----------
    format
        One of `FORMATS`.
    rows
        Reads what is said in columns of another system; CSV always needs one.
    """
    if format == "csv":
        assert rows is not None
        yield from _table(lines, rows)
        return
    for number, line in lines:
        try:
            document = decode_json(line)
            if rows is not None:
                document = rows.member_row(document)
            if document is not None:
                yield number, from_event(document) if format == "ocsf" else document
        except AttemptRefused as refused:
            yield number, refused


def _table(lines: Iterable[tuple[int, bytes]], rows: RowReader) -> Iterator[Read]:
    at = 0

    def texts() -> Iterator[str]:
        nonlocal at
        for number, line in lines:
            at = number
            # A byte that is no UTF-8 shows as such in a cell, and only the cells that are asked for matter.
            yield line.decode("utf-8", "replace") + "\n"

    reader = csv.reader(texts(), strict=True)
    header: list[str] | None = None
    while True:
        try:
            row = next(reader)
        except StopIteration:
            return
        except csv.Error as error:
            yield at, AttemptRefused([Diagnostic("not-csv", f"the line cannot be read as CSV: {error}")])
            continue
        if header is None:
            header = [cell.strip() for cell in row]
            problems = rows.missing(header)
            if problems:
                raise ServiceError(
                    422, "bad-mapping", "the file does not have the columns of the mapping", "", problems
                )
            continue
        try:
            document = rows.row(header, row)
            if document is not None:
                yield at, document
        except AttemptRefused as refused:
            yield at, refused
