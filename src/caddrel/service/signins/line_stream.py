"""The lines of a stream, however it is cut into pieces and whether or not it is compressed."""

from __future__ import annotations

import gzip
import io
import zlib
from collections.abc import Iterator, Sequence
from typing import Any, BinaryIO, Protocol, cast

from caddrel.service.problems import ServiceError
from caddrel.service.signins.import_formats import MOST_UNPACKED, UNPACKED_ANYWAY

# Bytes: so many are read at once, and their lines decided together. With many more, what one step leaves behind is no
# longer at hand for the processor when the next one needs it.
PIECE = 128 * 1024


_BOM = b"\xef\xbb\xbf"


# Of a reader of lines: see `LineReader`.
Place = tuple[int, bytes, bool]


# Lines that come together: the number of each, and what it holds, without its end.
Lines = tuple[Sequence[int], list[bytes]]


class Readable(Protocol):
    """What lines are read from."""

    def read(self, size: int, /) -> bytes:
        """Return as many bytes, fewer only at the end."""


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
