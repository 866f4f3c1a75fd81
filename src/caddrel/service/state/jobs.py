"""Jobs: long work off the threads that answer requests, one after another, with progress and a way to stop it."""

from __future__ import annotations

import threading
import uuid
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from datetime import datetime
from typing import Any

import msgspec
import structlog

from caddrel.core.facts.values import show_moment
from caddrel.service.problems import ServiceError, not_found, problem_for
from caddrel.wire.jobs import Job

MOST_KEPT = 100
MOST_WAITING = 20
# Each watcher holds a thread; who is turned away asks now and then instead.
MOST_WATCHERS = 4
_HEARTBEAT = 10.0
_log = structlog.get_logger("caddrel.jobs")

Progress = Callable[[int], None]
Work = Callable[[Progress], Any]


class Cancelled(Exception):
    """Raised inside a job's work when it is to stop; `result` is what it came to until then."""

    def __init__(self, result: Any = None) -> None:
        super().__init__("cancelled")
        self.result = result


class Jobs:
    """The jobs of one service; they end with it."""

    def __init__(self, clock: Callable[[], datetime], most_waiting: int = MOST_WAITING) -> None:
        self._clock = clock
        self._most_waiting = most_waiting
        self._jobs: dict[str, Job] = {}
        self._stop: dict[str, threading.Event] = {}
        self._halts: dict[str, Callable[[], None]] = {}
        self._changed = threading.Condition(threading.RLock())
        self._watchers = threading.BoundedSemaphore(MOST_WATCHERS)
        self._worker = ThreadPoolExecutor(1, "caddrel-jobs")

    def start(
        self,
        kind: str,
        by: str,
        total: int,
        unit: str,
        work: Work,
        after: Callable[[], None] = lambda: None,
        halt: Callable[[], None] = lambda: None,
    ) -> Job:
        """Start a job as soon as those before it have ended.

        Parameters
        ----------
        work
            Is handed a function to tell how far it is, which raises `Cancelled` when the work is to stop.
        after
            Is called whatever becomes of it.
        halt
            Is called when it is cancelled: ends work that cannot ask whether it is to stop.

        Raises
        ------
        ServiceError
            When too many are waiting.
        """
        with self._changed:
            if sum(not job.ended for job in self._jobs.values()) >= self._most_waiting:
                after()
                raise ServiceError(
                    503, "too-many-jobs", f"{self._most_waiting} jobs are waiting", "see caddrel jobs list"
                )
            job = Job(uuid.uuid4().hex[:12], kind, "waiting", 0, total, unit, by, show_moment(self._clock()))
            self._jobs[job.id] = job
            self._stop[job.id], self._halts[job.id] = threading.Event(), halt
            for id in [j.id for j in self._jobs.values() if j.ended][: max(0, len(self._jobs) - MOST_KEPT)]:
                del self._jobs[id], self._stop[id], self._halts[id]
        self._worker.submit(self._run, job.id, work, after)
        return job

    def soon(self, work: Callable[[], None]) -> None:
        """Do something small between jobs, that nobody is told of."""
        self._worker.submit(work)

    def all(self) -> list[Job]:
        """Return the jobs, newest first."""
        with self._changed:
            return list(reversed(self._jobs.values()))

    def get(self, id: str) -> Job:
        """Return a job."""
        with self._changed:
            if id not in self._jobs:
                raise not_found(f"job `{id[:40]}`", "jobs end with the service; see caddrel jobs list")
            return self._jobs[id]

    def cancel(self, id: str) -> Job:
        """Tell a job to stop; what it has done stays done."""
        with self._changed:
            job = self.get(id)
            self._stop[id].set()
            if job.state == "waiting":
                self._set(id, state="cancelled")
                job = self._jobs[id]
            halt = self._halts[id]
        if not job.ended:
            halt()
        return job

    def watch(self, id: str) -> Iterator[Job | None]:
        """Yield a job each time it has changed until it has ended; None now and then while nothing happens.

        Raises
        ------
        ServiceError
            At once, when too many are watching already.
        """
        job = self.get(id)
        if not self._watchers.acquire(blocking=False):
            raise ServiceError(
                503, "too-many-watchers", "too many are watching", "ask for the job now and then instead"
            )
        return self._watched(job)

    def _watched(self, job: Job) -> Iterator[Job | None]:
        try:
            yield job
            while not job.ended:
                with self._changed:
                    if self._jobs.get(job.id) is job:
                        self._changed.wait(_HEARTBEAT)
                    found = self._jobs.get(job.id, job)
                yield None if found is job else found
                job = found
        finally:
            self._watchers.release()

    def stop(self) -> None:
        """Cancel everything and wait until it has ended."""
        for job in self.all():
            if not job.ended:
                self.cancel(job.id)
        self._worker.shutdown(wait=True)

    def _run(self, id: str, work: Work, after: Callable[[], None]) -> None:
        stop = self._stop.get(id)
        if stop is None:
            # Cancelled while it waited, and since then so many others came that it is not kept any more.
            after()
            return

        def progress(done: int) -> None:
            if stop.is_set():
                raise Cancelled
            self._set(id, done=done)

        try:
            progress(0)
            self._set(id, state="running")
            result = work(progress)
            self._set(id, state="done", result=msgspec.to_builtins(result), done=self.get(id).total)
        except Cancelled as cancelled:
            self._set(id, state="cancelled", result=msgspec.to_builtins(cancelled.result))
        except Exception as error:  # noqa: BLE001 - told to whoever looks at the job
            problem = problem_for(error, id)
            if problem.status >= 500:
                _log.error("job.failed", job=id, exc_info=error)
            self._set(id, state="failed", problem=problem)
        finally:
            after()

    def _set(self, id: str, **changed: Any) -> None:
        with self._changed:
            self._jobs[id] = msgspec.structs.replace(self._jobs[id], **changed)
            self._changed.notify_all()
