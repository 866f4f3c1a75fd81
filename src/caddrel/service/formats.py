"""The formats that logs come in and go out in: NDJSON of our own, CSV by a mapping, OCSF Authentication events."""

from __future__ import annotations

import csv
import gzip
import io
import zlib
from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any, BinaryIO, Protocol, cast

import msgspec

from caddrel import __version__
from caddrel.core.diagnostics import Diagnostic, shorten
from caddrel.core.facts.attempts import AttemptRefused
from caddrel.core.facts.catalogue import Catalogue
from caddrel.core.logs.csv_rows import check_header, row_document
from caddrel.core.logs.ocsf import from_event, to_event
from caddrel.service.errors import ServiceError
from caddrel.store.signins import SigninRecord
from caddrel.wire.signins import SigninSummary

# Bytes: so many are read at once, and their lines decided together. With many more, what one step leaves behind is no
# longer at hand for the processor when the next one needs it.
PIECE = 128 * 1024
_BOM = b"\xef\xbb\xbf"
# A log is seldom packed to less than a thirtieth; what is, was made to be unpacked.
MOST_UNPACKED = 200
UNPACKED_ANYWAY = 64 * 1024
FORMATS = ("ndjson", "csv", "ocsf")
MEDIA = {
    "ndjson": "application/x-ndjson",
    "csv": "text/csv; charset=utf-8",
    "ocsf": "application/x-ndjson",
    "parquet": "application/vnd.apache.parquet",
}
# Of a reader of lines: see `LineReader`.
Place = tuple[int, bytes, bool]
# Lines that come together: the number of each, and what it holds, without its end.
Lines = tuple[Sequence[int], list[bytes]]


class Readable(Protocol):
    """What lines are read from."""

    def read(self, size: int, /) -> bytes:
        """Return as many bytes, fewer only at the end."""


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


class Unzipped(io.RawIOBase):
    """A stream that may be compressed with gzip, told by its first two bytes; what comes out is limited.

    Raises
    ------
    ServiceError
        While reading, when it is damaged or larger than `most` bytes.
    """

    def __init__(self, stream: BinaryIO, most: int) -> None:
        first = stream.read(2)
        self._joined = _Joined(first, stream)
        whole = cast("BinaryIO", io.BufferedReader(self._joined, PIECE))
        self._stream: Any = gzip.GzipFile(fileobj=whole) if first == b"\x1f\x8b" else whole
        self._damaged = False
        self._left = most
        self._given = 0

    @property
    def taken(self) -> int:
        """How many bytes have been read of what may be compressed."""
        return self._joined.taken

    def read(self, size: int = -1, /) -> bytes:
        """Return as many bytes, fewer only at the end, or before what is damaged."""
        found = bytearray()
        try:
            while not self._damaged and len(found) < size and (some := self._stream.read1(size - len(found))):
                found += some
        except (EOFError, gzip.BadGzipFile, zlib.error):
            self._damaged = True
        if self._damaged and not found:
            hint = "the lines before the damage were taken in; send it whole, what is there already is passed over"
            raise ServiceError(400, "bad-gzip", "the file is compressed, but damaged or cut short", hint)
        self._left -= len(found)
        self._given += len(found)
        if self._given > MOST_UNPACKED * (self.taken + UNPACKED_ANYWAY):
            hint = "send it in parts, or as it is"
            raise ServiceError(413, "too-large", "the file unpacks to far more than logs do", hint)
        if self._left < 0:
            raise ServiceError(413, "too-large", "the file is too large once it is unpacked")
        return bytes(found)


class _Joined(io.RawIOBase):
    """Bytes that have been read already, and the stream they were read from."""

    def __init__(self, first: bytes, rest: BinaryIO) -> None:
        self._first, self._rest = first, rest
        self.taken = 0

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: Any, /) -> int:
        piece = self._first or self._rest.read(len(buffer))
        self._first = piece[len(buffer) :] if self._first else b""
        piece = piece[: len(buffer)]
        buffer[: len(piece)] = piece
        self.taken += len(piece)
        return len(piece)


class LineReader:
    """Reads the lines of a stream, many at a time; blank ones are passed over.

    Parameters
    ----------
    most
        Bytes. Of a longer line no more than the first are held at any time, and one more than that is told.

    Attributes
    ----------
    place
        Where it is: the number of the next line, what has been read of it, and whether it is the end of a line that was
        told already. Another reader goes on from there.
    """

    def __init__(self, stream: Readable, most: int, place: Place = (1, b"", False)) -> None:
        self._stream = stream
        self._most = most
        self.place = place

    def __iter__(self) -> Iterator[Lines]:
        most = self._most
        while block := self._stream.read(PIECE):
            number, rest, passing = self.place
            if not rest and not passing and block.isspace():
                # Nothing but ends of lines: they are counted, and not taken apart.
                self.place = (number + block.count(b"\n"), b"", False)
                continue
            if passing:
                _, end, block = block.partition(b"\n")
                if not end:
                    continue
            lines = (rest + block).split(b"\n")
            rest = lines.pop()
            if number == 1 and lines:
                lines[0] = lines[0].removeprefix(_BOM)
            if max(map(len, lines), default=0) > most:
                lines = [line[: most + 1] for line in lines]
            passing = len(rest) > most
            if passing:
                lines.append(rest[: most + 1])
                rest = b""
            self.place = (number + len(lines), rest, passing)
            yield _not_blank(number, lines)
        number, rest, _ = self.place
        self.place = (number, b"", False)
        if rest:
            yield _not_blank(number, [rest.removeprefix(_BOM) if number == 1 else rest])


def _not_blank(first: int, lines: list[bytes]) -> Lines:
    numbers = range(first, first + len(lines))
    if all(lines) and not any(map(bytes.isspace, lines)):
        return numbers, lines
    kept = [(number, line) for number, line in zip(numbers, lines, strict=True) if line.strip()]
    return [number for number, _ in kept], [line for _, line in kept]


def documents(
    lines: Iterable[tuple[int, bytes]], format: str, mapping: Mapping[str, str], catalogue: Catalogue
) -> Iterator[Read]:
    """Yield each line as a document of our own shape, or why it cannot be read.

    Parameters
    ----------
    format
        One of `FORMATS`.
    mapping
        Of a CSV file: column to fact.
    """
    if format == "csv":
        yield from _rows(lines, mapping, catalogue)
        return
    for number, line in lines:
        try:
            document = decode_json(line)
            yield number, from_event(document) if format == "ocsf" else document
        except AttemptRefused as refused:
            yield number, refused


def _rows(lines: Iterable[tuple[int, bytes]], mapping: Mapping[str, str], catalogue: Catalogue) -> Iterator[Read]:
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
            problems = check_header(header, mapping)
            if problems:
                raise ServiceError(
                    422, "bad-mapping", "the file does not have the columns of the mapping", "", problems
                )
            continue
        try:
            yield at, row_document(header, row, mapping, catalogue)
        except AttemptRefused as refused:
            yield at, refused


def import_line(record: SigninRecord) -> dict[str, Any]:
    """Return a record as a line that an import reads: what was reported, its moment, and what was recorded."""
    facts = {
        name: value
        for name, (origin, value) in record.facts["values"].items()
        if origin == "reported" or name == "time.at"
    }
    for name, (origin, said) in record.facts.get("not_understood", {}).items():
        if origin == "reported":
            facts[name] = _with_strange(facts.get(name), said) if name == "auth.methods" else said
    recorded = {
        "outcome": record.columns.get("recorded_outcome") or "",
        "reason": record.columns.get("recorded_reason") or "",
    }
    recorded = {name: value for name, value in recorded.items() if value}
    return {"id": record.id, "facts": facts, **({"recorded": recorded} if recorded else {})}


def _with_strange(methods: Any, said: list[str]) -> Any:
    """Return methods as they were reported: those that are none too."""
    if isinstance(methods, Mapping):
        return {**methods, **dict.fromkeys(said)}
    return [*(methods or ()), *said]


def exported(records: Iterable[SigninRecord], format: str, summary: Any) -> Iterator[bytes]:
    """Yield records in a format, a line or row each.

    Parameters
    ----------
    summary
        Gives the row of the log that a record is, for CSV.
    """
    if format == "csv":
        yield csv_row(SigninSummary.__struct_fields__)
        for record in records:
            yield csv_row(["" if value is None else str(value) for value in msgspec.structs.astuple(summary(record))])
        return
    for record in records:
        line: Any = import_line(record)
        if format == "ocsf":
            line = to_event(line, str(record.columns["outcome"]), __version__)
        yield msgspec.json.encode(line) + b"\n"


def csv_row(cells: Iterable[str]) -> bytes:
    """Return a row of CSV; a cell that a spreadsheet would take for a formula is made a text."""
    text = io.StringIO()
    csv.writer(text, lineterminator="\n").writerow(
        f"'{cell}" if cell[:1] in {"=", "+", "-", "@", "\t", "\r"} else cell for cell in cells
    )
    return text.getvalue().encode()
