"""Values through the pipes between this process and those that work for it.

Both ends are this program: what comes is read as it was written.
"""

from __future__ import annotations

import os
import pickle
import struct
from typing import Any, BinaryIO

_LENGTH = struct.Struct("<Q")


# How much lower in the queue for the processor these are: low enough that a decision comes first, and not so low that
# another busy program on the machine leaves them nothing.
NICER_BY = 5


def give_way() -> None:
    """Put this process behind the one that it works for."""
    os.nice(NICER_BY)


def put(end: BinaryIO, text: bytes) -> None:
    """Put bytes in; they may wait to be flushed."""
    end.write(_LENGTH.pack(len(text)) + text)


def get(end: BinaryIO) -> bytes | None:
    """Return what was put in at the other end, None when that is closed."""
    length = _read(end, _LENGTH.size)
    if length is None:
        return None
    return _read(end, *_LENGTH.unpack(length))


def _read(end: BinaryIO, size: int) -> bytes | None:
    """Return so many bytes, also from an end that gives fewer at a time."""
    parts: list[bytes] = []
    while size:
        part = end.read(size)
        if not part:
            return None
        parts.append(part)
        size -= len(part)
    return parts[0] if len(parts) == 1 else b"".join(parts)


def pickled(value: Any) -> bytes:
    """Return a value as bytes."""
    return pickle.dumps(value, protocol=pickle.HIGHEST_PROTOCOL)


def unpickled(text: bytes) -> Any:
    """Return the value that bytes are."""
    return pickle.loads(text)  # noqa: S301 - from this program's own pipe


def got(end: BinaryIO) -> Any:
    """Return the value that was put in at the other end.

    Raises
    ------
    EOFError
        When that is closed.
    """
    text = get(end)
    if text is None:
        raise EOFError
    return unpickled(text)
