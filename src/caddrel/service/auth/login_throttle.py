"""Slowing down those who guess passwords of the console: by name and by address, counted before a try is looked at."""

from __future__ import annotations

import threading
from collections import OrderedDict, deque
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime, timedelta

from caddrel.service.problems import ServiceError

MOST_KEPT = 10_000
# Passwords that are looked at at once, and that wait for it: each takes 19 MB and a good part of a processor.
AT_ONCE = 2
MOST_WAITING = 16
LONGEST_WAIT = 5.0


class Throttle:
    """Counts tries; after so many for a name or from an address, further ones are refused for a while."""

    def __init__(self, most: int = 5, of_address: int = 20, seconds: float = 300) -> None:
        self._most = {"name": most, "address": of_address}
        self._window = timedelta(seconds=seconds)
        self._tries: OrderedDict[tuple[str, str], deque[datetime]] = OrderedDict()
        self._lock = threading.Lock()
        self._looking = threading.BoundedSemaphore(AT_ONCE)
        self._waiting = threading.BoundedSemaphore(MOST_WAITING)

    def count(self, name: str, address: str, now: datetime) -> None:
        """Count a try before it is looked at, so that of many at once no more are than may be.

        Raises
        ------
        ServiceError
            When there were too many of late.
        """
        with self._lock:
            recent = {kind: self._recent(kind, value, now) for kind, value in (("name", name), ("address", address))}
            for kind, tries in recent.items():
                if len(tries) >= self._most[kind]:
                    hint = "wait five minutes, or use a one-time way in from the host"
                    what = "for this name" if kind == "name" else "from this address"
                    raise ServiceError(429, "too-many-tries", f"too many failed sign-ins {what}", hint)
            for tries in recent.values():
                tries.append(now)

    def succeeded(self, name: str, address: str, now: datetime) -> None:
        """Take back a try that was good."""
        with self._lock:
            for kind, value in (("name", name), ("address", address)):
                tries = self._tries.get((kind, value))
                if tries is not None and now in tries:
                    tries.remove(now)

    @contextmanager
    def looking(self) -> Iterator[None]:
        """Hold a place among those whose passwords are looked at.

        Raises
        ------
        ServiceError
            When too many wait.
        """
        if not self._waiting.acquire(blocking=False):
            raise ServiceError(503, "too-busy", "too many passwords wait to be looked at", "try again in a moment")
        try:
            if not self._looking.acquire(timeout=LONGEST_WAIT):
                raise ServiceError(503, "too-busy", "too many passwords wait to be looked at", "try again in a moment")
            try:
                yield
            finally:
                self._looking.release()
        finally:
            self._waiting.release()

    def _recent(self, kind: str, value: str, now: datetime) -> deque[datetime]:
        key = (kind, value)
        recent = self._tries.get(key)
        if recent is None:
            recent = self._tries[key] = deque(maxlen=self._most[kind])
            while len(self._tries) > MOST_KEPT:
                self._tries.popitem(last=False)
        self._tries.move_to_end(key)
        oldest = now - self._window
        while recent and recent[0] < oldest:
            recent.popleft()
        return recent
