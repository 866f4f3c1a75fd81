"""Reading the lines of a log in any format: what each says, or why it says nothing. Not here: what facts mean."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime
from itertools import islice
from typing import Annotated, Any

import msgspec

from caddrel.core.diagnostics import Diagnostic, shorten
from caddrel.core.facts.attempts import AttemptRefused
from caddrel.core.logs.mapped_rows import RowReader
from caddrel.core.logs.mapping import LogMapping
from caddrel.service.signins.import_formats import Read, documents
from caddrel.service.signins.line_stream import Lines

LONGEST_ID = 200
LONGEST_RECORDED = 500
# So many rows of a CSV file or OCSF events are read together.
TOGETHER = 500
_LINE_KEYS = {"id", "facts", "recorded"}
_RECORDED_KEYS = {"outcome", "reason"}
_ShortText = Annotated[str, msgspec.Meta(max_length=LONGEST_RECORDED)]

Refuse = Callable[[int, list[Diagnostic]], None]


@dataclass(frozen=True, slots=True)
class Source:
    """What a log is and how it is read.

    Parameters
    ----------
    format
        As in `import_formats.documents`.
    mapping
        How it is read, where it is in columns of another system.
    most
        Bytes that a line may have.
    latest
        A later moment is refused.
    """

    format: str
    mapping: LogMapping | None
    most: int
    latest: datetime


class Recorded(msgspec.Struct, forbid_unknown_fields=True, omit_defaults=True, frozen=True):
    """What the other system recorded."""

    outcome: _ShortText = ""
    reason: _ShortText = ""


class Line(msgspec.Struct, forbid_unknown_fields=True, omit_defaults=True, gc=False):
    """One good line."""

    id: Annotated[str, msgspec.Meta(min_length=1, max_length=LONGEST_ID)]
    facts: dict[str, Any]
    recorded: Recorded | None = None


def digests_of(lines: Sequence[Line]) -> list[bytes]:
    """Return a digest of the content of each line; the order of its facts makes no difference."""
    text = bytearray()
    found = []
    for line in lines:
        _encode_into(line, text)
        found.append(hashlib.sha256(text).digest())
    return found


_encode_into = msgspec.json.Encoder(order="sorted").encode_into
_decode = msgspec.json.Decoder(Line).decode


def read_lines(
    pieces: Iterable[Lines], source: Source, rows: RowReader | None, refuse: Refuse
) -> Iterator[tuple[Sequence[int], list[Line]]]:
    """Yield the good lines of a log with their numbers, many at a time.

    Parameters
    ----------
    rows
        Reads lines by the source's mapping, where there is one.
    refuse
        Is told the number of a line that is not good, and why.
    """
    fitting = (_fitting(piece, source.most, refuse) for piece in pieces)
    if source.format == "ndjson" and rows is None:
        for numbers, lines in fitting:
            yield _read(numbers, lines, refuse)
        return
    each = ((number, line) for numbers, lines in fitting for number, line in zip(numbers, lines, strict=True))
    read = documents(each, source.format, rows)
    while piece := list(islice(read, TOGETHER)):
        yield _good(piece, refuse)


def _fitting(piece: Lines, most: int, refuse: Refuse) -> Lines:
    numbers, lines = piece
    if max(map(len, lines), default=0) <= most:
        return piece
    kept = []
    for number, line in zip(numbers, lines, strict=True):
        if len(line) > most:
            refuse(number, [Diagnostic("line-too-long", f"the line has more than {most} bytes")])
        else:
            kept.append((number, line))
    return [number for number, _ in kept], [line for _, line in kept]


def _read(numbers: Sequence[int], lines: list[bytes], refuse: Refuse) -> tuple[Sequence[int], list[Line]]:
    """Return lines of our own format, read as what they are to be; if any is not, one by one, to tell what is wrong."""
    try:
        found = list(map(_decode, lines))
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError):
        found = []
    if found and "".join([line.id for line in found]).isprintable():
        return numbers, found
    return _good(documents(zip(numbers, lines, strict=True), "ndjson", None), refuse)


def _good(read: Iterable[Read], refuse: Refuse) -> tuple[Sequence[int], list[Line]]:
    numbers, found = [], []
    for number, document in read:
        try:
            found.append(_line(document))
            numbers.append(number)
        except AttemptRefused as refused:
            refuse(number, refused.problems)
    return numbers, found


def _line(document: Any) -> Line:
    """Return what a line says.

    Raises
    ------
    AttemptRefused
        With everything that is wrong with it.
    """
    if isinstance(document, AttemptRefused):
        raise document
    if not isinstance(document, dict) or not isinstance(document.get("facts"), dict):
        hint = 'such as {"id": "s-1", "facts": {"time.at": …}}'
        raise AttemptRefused([Diagnostic("wrong-type", "a line holds one object with `id` and `facts`", hint)])
    id, recorded = document.get("id"), document.get("recorded") or {}
    problems = []
    if not document.keys() <= _LINE_KEYS:
        hint = "it can have: id, facts, recorded"
        unknown = [key for key in document if key not in _LINE_KEYS]
        problems = [Diagnostic("unknown-key", f"a sign-in has no `{shorten(key)}`", hint) for key in unknown]
    if not isinstance(id, str) or not 0 < len(id) <= LONGEST_ID or not id.isprintable():
        problems.append(Diagnostic("bad-id", f"`id` is a text of 1 to {LONGEST_ID} printable characters"))
    if not _is_recorded(recorded):
        problems.append(Diagnostic("bad-recorded", "`recorded` has `outcome` and `reason`, both short texts"))
    if problems:
        raise AttemptRefused(problems)
    return Line(str(id), document["facts"], Recorded(**recorded) if recorded else None)


def _is_recorded(value: Any) -> bool:
    return (
        isinstance(value, dict)
        and value.keys() <= _RECORDED_KEYS
        and all(isinstance(text, str) and len(text) <= LONGEST_RECORDED for text in value.values())
    )
