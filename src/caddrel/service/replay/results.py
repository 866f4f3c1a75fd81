"""Replays that have ended: their results, and the attempts that change, kept for a while.

Not here: jobs (`state.jobs`).
"""

from __future__ import annotations

import tempfile
import threading
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import IO

from caddrel.service.problems import not_found
from caddrel.wire.replays import ReplayResult

MOST_KEPT = 16
_PIECE = 256 * 1024


@dataclass(slots=True)
class Kept:
    """One result; the attempts that change are in a file without a name, a line of JSON each."""

    by: str
    changed: IO[bytes]
    result: ReplayResult | None = None


class ReplayResults:
    """The results of the newest replays; they end with the service."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._lock = threading.Lock()
        self._kept: dict[str, Kept] = {}

    def begin(self, by: str) -> Kept:
        """Return a place for a result."""
        # In the data folder, where there is room for logs, and where others may not read.
        return Kept(by, tempfile.TemporaryFile(dir=self._folder))

    def keep(self, job: str, kept: Kept) -> None:
        """Keep a result under the id of its job; the oldest give way."""
        with self._lock:
            self._kept[job] = kept
            for old in list(self._kept)[: max(0, len(self._kept) - MOST_KEPT)]:
                self._kept.pop(old).changed.close()

    def result(self, job: str) -> ReplayResult:
        """Return what a replay came to."""
        return self._of(job)[1]

    def of_draft(self, draft: str) -> tuple[str, ReplayResult] | None:
        """Return the last replay of a draft with the id of its job."""
        with self._lock:
            for job, kept in reversed(self._kept.items()):
                if kept.result is not None and kept.result.draft == draft:
                    return job, kept.result
        return None

    def changed(self, job: str) -> Iterator[bytes]:
        """Yield the attempts that change, a line each, in pieces."""
        kept, _ = self._of(job)
        place = 0
        while True:
            with self._lock:
                if kept.changed.closed:
                    return
                kept.changed.seek(place)
                piece = kept.changed.read(_PIECE)
            if not piece:
                return
            place += len(piece)
            yield piece

    def _of(self, job: str) -> tuple[Kept, ReplayResult]:
        with self._lock:
            kept = self._kept.get(job)
        if kept is None or kept.result is None:
            raise not_found(f"result of the replay `{job[:40]}`", "the newest are kept while the service runs")
        return kept, kept.result

    def stop(self) -> None:
        """Let go of everything."""
        with self._lock:
            for kept in self._kept.values():
                kept.changed.close()
            self._kept.clear()
