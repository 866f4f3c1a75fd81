"""What a long look at the log says as it goes on, in lines of JSON: how far it is, and what it has come to."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator, Mapping
from typing import Any, TypeVar

import msgspec

from caddrel.service.problems import ServiceError


def step(name: str, value: Any) -> bytes:
    """Return one step as a line."""
    return msgspec.json.encode({name: value}) + b"\n"


def far(done: list[int]) -> Iterator[bytes]:
    """Yield how far it is, and an empty piece, which has that told at once; nothing of it is left in the list."""
    while done:
        yield step("done", done.pop(0))
        yield b""


T = TypeVar("T")


def need_result(result: T | None) -> T:
    """Return what it came to, which is there unless the process that looked has ended.

    Raises
    ------
    ServiceError
        When it has.
    """
    if result is None:
        raise ServiceError(503, "worker-ended", "the process that replayed ended", "try again")
    return result


def read_steps(pieces: Iterable[bytes]) -> Iterator[Mapping[str, Any]]:
    """Yield the steps that pieces of any length hold."""
    rest = b""
    for piece in pieces:
        *lines, rest = (rest + piece).split(b"\n")
        yield from map(json.loads, lines)
