"""Doing what is due for each of several, again and again: each in a thread of its own, later and later where it fails.

One that does not answer holds up no other. Not here: what is done (`poller`, `fetcher`).
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import Generic, TypeVar

import structlog

# Seconds between looks at what is due.
EVERY = 1.0
T = TypeVar("T")
_log = structlog.get_logger("caddrel.rounds")


@dataclass(slots=True)
class Rounds(Generic[T]):
    """Goes round.

    Attributes
    ----------
    name
        Of the thread.
    each
        Gives those that there are now.
    key, every
        Give what one is known by, and the seconds between two times.
    do
        Does it for one; tells whether that went well.
    longest
        Seconds between two times at most, however often it has failed.
    """

    name: str
    each: Callable[[], Iterable[T]]
    key: Callable[[T], str]
    every: Callable[[T], float]
    do: Callable[[T], bool]
    longest: float
    _due: dict[str, float] = field(default_factory=dict)
    _failures: dict[str, int] = field(default_factory=dict)
    _busy: set[str] = field(default_factory=set)
    _stopped: threading.Event = field(default_factory=threading.Event)
    _thread: threading.Thread | None = None

    def begin(self) -> None:
        """Begin to go round."""
        self._thread = threading.Thread(target=self._run, name=self.name, daemon=True)
        self._thread.start()

    def stop(self) -> None:
        """Begin nothing more."""
        self._stopped.set()
        if self._thread is not None:
            self._thread.join(1.0)

    @property
    def stopped(self) -> bool:
        """Whether nothing more is begun: what is under way is to come to an end."""
        return self._stopped.is_set()

    def soon(self, key: str) -> None:
        """Have one be due: it may be another one now."""
        self._due.pop(key, None)
        self._failures.pop(key, None)

    def _run(self) -> None:
        while not self._stopped.wait(EVERY):
            try:
                for one in self.each():
                    key = self.key(one)
                    if key not in self._busy and time.monotonic() >= self._due.get(key, 0.0):
                        self._busy.add(key)
                        self._next(one, key)
                        threading.Thread(target=self._once, args=(one, key), daemon=True).start()
            except Exception as error:  # noqa: BLE001 - a full disk now is no reason not to look again
                _log.error("rounds.failed", rounds=self.name, exc_info=error)

    def _next(self, one: T, key: str) -> None:
        pause = self.every(one) * 2.0 ** min(self._failures.get(key, 0), 12)
        self._due[key] = time.monotonic() + min(self.longest, pause)

    def _once(self, one: T, key: str) -> None:
        well = False
        try:
            well = self.do(one)
        except Exception as error:  # noqa: BLE001 - what could not be kept is done again
            _log.error("rounds.failed", rounds=self.name, one=key, exc_info=error)
        finally:
            if well:
                self._failures.pop(key, None)
            elif key in self._due:
                # One that was to be done soon, meanwhile, is another one, and has not failed.
                self._failures[key] = self._failures.get(key, 0) + 1
                self._next(one, key)
            self._busy.discard(key)
