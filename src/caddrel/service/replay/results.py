"""Replays that have ended: their results, and the attempts that change, kept with the data until newer ones come.

Of a draft the last one is kept until the draft is replayed again; all others are the newest few.
Not here: jobs (`state.jobs`).
"""

from __future__ import annotations

import contextlib
import os
import threading
import uuid
from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path
from typing import IO

import msgspec

from caddrel.core.facts.values import show_moment
from caddrel.service.problems import not_found
from caddrel.wire.decoding import decode
from caddrel.wire.replays import ReplayResult

# Of drafts, one each; and of all others.
MOST_OF_DRAFTS, MOST_OTHERS = 64, 16
# Of one replay, in bytes: what is beyond is not told one by one.
MOST_CHANGED = 64 * 1024 * 1024
_PIECE = 256 * 1024


class _Ended(msgspec.Struct):
    """What is kept of a replay: the job that it was, and what it came to."""

    job: str
    result: ReplayResult


@dataclass(slots=True)
class Kept:
    """One result; the attempts that change are in a file, a line of JSON each."""

    path: Path
    changed: IO[bytes]
    job: str = ""
    result: ReplayResult | None = None
    lock: threading.Lock = field(default_factory=threading.Lock)


class ReplayResults:
    """The results of the newest replays.

    Parameters
    ----------
    folder
        The data folder: there is room for logs, and others may not read there.
    """

    def __init__(self, folder: Path) -> None:
        self._folder = folder / "replays"
        self._lock = threading.Lock()
        # By job, those that ended last at the end.
        self._kept: dict[str, Kept] = {}
        self._take_up()

    def _take_up(self) -> None:
        """Find what was kept before the service was started; what did not end is taken away."""
        if not self._folder.is_dir():
            return
        found: list[tuple[float, _Ended, Path]] = []
        for path in self._folder.iterdir():
            if path.suffix == ".json":
                with contextlib.suppress(msgspec.DecodeError, OSError):
                    found.append((path.stat().st_mtime, decode(path.read_bytes(), _Ended), path))
        for _, ended, path in sorted(found, key=lambda each: each[0]):
            changed = path.with_suffix(".ndjson")
            if changed.is_file():
                self._kept[ended.job] = Kept(changed, changed.open("rb"), ended.job, ended.result)
        known = {kept.path.stem for kept in self._kept.values()}
        for path in self._folder.iterdir():
            if path.stem not in known:
                path.unlink(missing_ok=True)

    def begin(self) -> Kept:
        """Return a place for a result.

        Raises
        ------
        OSError
            When there is no room.
        """
        self._folder.mkdir(mode=0o700, exist_ok=True)
        path = self._folder / f"{uuid.uuid4().hex}.ndjson"
        handle = os.open(path, os.O_RDWR | os.O_CREAT | os.O_EXCL, 0o600)
        return Kept(path, os.fdopen(handle, "w+b"))

    def add(self, kept: Kept, line: bytes) -> None:
        """Add an attempt that changes."""
        if kept.changed.tell() < MOST_CHANGED:
            kept.changed.write(line + b"\n")

    def name(self, kept: Kept, job: str) -> None:
        """Say which job a result is of; it may have ended already."""
        with self._lock:
            kept.job = job
        self._keep(kept)

    def end(self, kept: Kept, result: ReplayResult) -> None:
        """Take a result in."""
        kept.changed.flush()
        with self._lock:
            kept.result = result
        self._keep(kept)

    def let_go(self, kept: Kept) -> None:
        """Take away what came to nothing."""
        kept.changed.close()
        for path in (kept.path, kept.path.with_suffix(".json")):
            path.unlink(missing_ok=True)

    def _keep(self, kept: Kept) -> None:
        """Keep a result that has ended and whose job is known; the one before of its draft, and the oldest, go."""
        with self._lock:
            if not kept.job or kept.result is None:
                return
            text = msgspec.json.encode(_Ended(kept.job, kept.result))
            part = kept.path.with_suffix(".part")
            handle = os.open(part, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
            with os.fdopen(handle, "wb") as file:
                file.write(text)
            part.replace(kept.path.with_suffix(".json"))
            draft = kept.result.draft
            drafts = {job: each.result.draft for job, each in self._kept.items() if each.result is not None}
            alike = [job for job, of in drafts.items() if bool(of) is bool(draft) and (not draft or of != draft)]
            gone = [job for job, of in drafts.items() if draft and of == draft]
            gone += alike[: max(0, len(alike) + 1 - (MOST_OF_DRAFTS if draft else MOST_OTHERS))]
            self._kept[kept.job] = kept
            for job in gone:
                old = self._kept.pop(job)
                with old.lock:
                    self.let_go(old)

    def forget(self, before: datetime) -> None:
        """Take away what came of sign-ins that are taken out of the log: it names whom they were of."""
        oldest = show_moment(before)
        with self._lock:
            # A replay without a beginning went back as far as the log did.
            old = [job for job, kept in self._kept.items() if kept.result is not None and kept.result.since < oldest]
            for job in old:
                kept = self._kept.pop(job)
                with kept.lock:
                    self.let_go(kept)

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
            with kept.lock:
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
            raise not_found(f"result of the replay `{job[:40]}`", "the newest are kept, and the last of each draft")
        return kept, kept.result

    def stop(self) -> None:
        """Close what is open."""
        with self._lock:
            for kept in self._kept.values():
                with kept.lock:
                    kept.changed.close()
            self._kept.clear()
