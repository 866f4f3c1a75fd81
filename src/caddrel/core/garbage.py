"""How seldom garbage is looked for: here millions of small objects are made, hardly any of them in circles."""

from __future__ import annotations

import gc
from collections.abc import Iterable, Iterator
from typing import TypeVar

T = TypeVar("T")


def collect_seldom() -> None:
    """Look for garbage less often than Python does by itself: imports make millions of objects without circles."""
    # Each time at few objects, so that no decision waits long for it: those that outlived ten looks are a hundred
    # thousand at most, and are looked through in some milliseconds.
    gc.set_threshold(10_000, 10, 500)


def keep_what_is_there() -> None:
    """Have what is there by now, rulebook and inventory above all, looked at for garbage no more: it stays."""
    gc.collect()
    gc.freeze()


def between(pieces: Iterable[T]) -> Iterator[T]:
    """Yield pieces of long work; garbage is looked for between two of them alone, and only among what is new.

    Nearly all that is made for a piece goes with it, and to look through it meanwhile takes a seventh of the time.
    """
    was = gc.isenabled()
    gc.disable()
    try:
        for piece in pieces:
            yield piece
            gc.collect(1)
    finally:
        if was:
            gc.enable()
