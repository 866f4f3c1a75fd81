"""Slowing down those who guess passwords of the console."""

from __future__ import annotations

import threading
from collections import deque
from datetime import datetime, timedelta

from caddrel.service.errors import ServiceError


class Throttle:
    """Slows down guessing: after so many failures for a name, further tries are refused for a while."""

    def __init__(self, most: int = 5, seconds: float = 300) -> None:
        self._most = most
        self._window = timedelta(seconds=seconds)
        self._failures: dict[str, deque[datetime]] = {}
        self._lock = threading.Lock()

    def check(self, name: str, now: datetime) -> None:
        """Refuse when the name has failed too often of late."""
        with self._lock:
            recent = self._recent(name, now)
            if len(recent) >= self._most:
                hint = "wait five minutes, or use a one-time way in from the host"
                raise ServiceError(429, "too-many-tries", "too many failed sign-ins for this name", hint)

    def failed(self, name: str, now: datetime) -> None:
        """Count a failure."""
        with self._lock:
            if len(self._failures) > 10_000:
                self._failures.clear()
            self._recent(name, now).append(now)

    def _recent(self, name: str, now: datetime) -> deque[datetime]:
        recent = self._failures.setdefault(name, deque(maxlen=self._most))
        oldest = now - self._window
        while recent and recent[0] < oldest:
            recent.popleft()
        return recent
