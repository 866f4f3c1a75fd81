"""Work that takes long: so much of each kind at once, in all and for one caller, so that nobody else waits for it."""

from __future__ import annotations

import threading
from collections import Counter
from collections.abc import Iterable, Iterator
from typing import Any

from caddrel.service.problems import ServiceError

# Of each kind at once: in all, and by one caller.
# Proofs are made one after another: those that wait for the one before have their places too.
MOST = {
    "export": (4, 2), "check": (4, 2), "rehearse": (6, 4), "compare": (6, 4), "replay": (6, 2), "prove": (6, 4),
}  # fmt: skip


class Heavy:
    """Counts what is under way; one for the whole service."""

    def __init__(self) -> None:
        self._held: Counter[tuple[str, str]] = Counter()
        self._lock = threading.Lock()

    def take(self, kind: str, caller: str) -> None:
        """Take a place for work of a kind.

        Raises
        ------
        ServiceError
            When there is none.
        """
        in_all, of_one = MOST[kind]
        with self._lock:
            if self._held[kind, caller] >= of_one:
                raise ServiceError(429, "too-many-at-once", f"you have {of_one} of these under way", "wait for one")
            if self._held[kind, ""] >= in_all:
                raise ServiceError(503, "too-busy", f"{in_all} of these are under way", "try again in a moment")
            self._held[kind, caller] += 1
            self._held[kind, ""] += 1

    def give_back(self, kind: str, caller: str) -> None:
        """Give a place back."""
        with self._lock:
            for key in ((kind, caller), (kind, "")):
                self._held[key] -= 1
                if not self._held[key]:
                    del self._held[key]


class Held:
    """Pieces of an answer that hold a place until they have been sent, or nobody wants them any more."""

    def __init__(self, pieces: Iterable[bytes], heavy: Heavy, kind: str, caller: str) -> None:
        self._pieces = pieces
        self._heavy, self._kind, self._caller = heavy, kind, caller
        self._done = False

    def __iter__(self) -> Iterator[bytes]:
        """Yield the pieces."""
        try:
            yield from self._pieces
        finally:
            self.close()

    def close(self) -> None:
        """Give the place back, once."""
        if not self._done:
            self._done = True
            self._heavy.give_back(self._kind, self._caller)
        close: Any = getattr(self._pieces, "close", None)
        if close is not None:
            close()
