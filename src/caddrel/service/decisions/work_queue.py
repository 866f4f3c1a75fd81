"""What is put by many threads and worked off by one, several at a time.

Not here: what is worked off (`group_commit`, `shadow_drafts`).
"""

from __future__ import annotations

import queue
import threading
import time
from collections.abc import Callable
from typing import Generic, TypeVar

from caddrel.service.problems import ServiceError

T = TypeVar("T")


HINT = "ask again; nobody was let in"


class Stopped(Exception):
    """Nothing more is taken."""


class Together(Generic[T]):
    """Has things worked off in the order in which they were put, in a thread that begins with the first.

    Parameters
    ----------
    name
        Of the thread.
    work
        Is called with several things at a time; what it raises ends the thread, so it raises nothing.
    waiting, at_once
        So many may wait, and so many are handed over at a time.
    apart
        Seconds between the beginnings of two batches: when much is put, it becomes few and large ones. What comes when
        there is little to do waits for nothing.

    Attributes
    ----------
    refused
        How many were refused by `put_or_refuse`, because too many waited.
    """

    def __init__(
        self, name: str, work: Callable[[list[T]], None], waiting: int, at_once: int, apart: float = 0.0
    ) -> None:
        self._name = name
        self._work = work
        self._at_once = at_once
        # Written in C: a decision goes through two of these.
        self._queue: queue.SimpleQueue[T | threading.Event | None] = queue.SimpleQueue()
        self._most = waiting
        # Held by whoever puts several that belong together: none is begun before all are there.
        self.gathering = threading.Lock()
        self._lock = threading.Lock()
        self._thread: threading.Thread | None = None
        self._stopped = False
        self._apart, self._began = apart, 0.0
        # Set while somebody waits for what was put.
        self._hurry = threading.Event()
        self._at_work = False
        self.refused = 0

    @property
    def busy(self) -> bool:
        """Whether anything waits, or is being worked off."""
        return self._at_work or self._queue.qsize() > 0

    @property
    def waiting(self) -> int:
        """How many wait."""
        return self._queue.qsize()

    def put(self, thing: T) -> None:
        """Have a thing worked off.

        Raises
        ------
        Stopped
            When nothing more is taken.
        queue.Full
            When too many wait.
        """
        # Within the lock: nothing comes behind the mark that ends the thread.
        with self._lock:
            if self._stopped:
                raise Stopped
            if self._thread is None:
                self._thread = threading.Thread(target=self._run, name=self._name, daemon=True)
                self._thread.start()
            if self._queue.qsize() >= self._most:
                raise queue.Full
            self._queue.put(thing)

    def put_or_refuse(self, thing: T, too_many: str) -> None:
        """Have a thing worked off for somebody who waits at a door.

        Parameters
        ----------
        too_many
            What there is too much of, when there is: ``too many evaluations wait``.

        Raises
        ------
        ServiceError
            When too many wait (``too-busy``), or nothing more is taken (``service-stopping``).
        """
        try:
            self.put(thing)
        except queue.Full:
            self.refused += 1
            raise ServiceError(503, "too-busy", too_many, HINT) from None
        except Stopped:
            raise ServiceError(503, "service-stopping", "the service is stopping", HINT) from None

    def settle(self) -> None:
        """Wait until everything that was put is worked off."""
        done = threading.Event()
        with self._lock:
            thread = self._thread
            if thread is None:
                return
            if not self._stopped:
                self._queue.put(done)
        self._hurry.set()
        if self._stopped:
            thread.join()
        else:
            done.wait()
            self._hurry.clear()

    def stop(self) -> None:
        """Work off what waits, and take nothing more."""
        self._hurry.set()
        with self._lock:
            already, self._stopped = self._stopped, True
            thread = self._thread
            if thread is not None and not already:
                self._queue.put(None)
        if thread is not None:
            thread.join()

    def _run(self) -> None:
        while True:
            first = self._queue.get()
            self._at_work = True
            left = self._began + self._apart - time.monotonic()
            if left > 0:
                self._hurry.wait(left)
            self._began = time.monotonic()
            with self.gathering:
                pass
            things, mark = self._taken(first)
            try:
                if things:
                    self._work(things)
            finally:
                self._at_work = False
            if isinstance(mark, threading.Event):
                mark.set()
            elif mark is not None:
                return

    def _taken(self, first: T | threading.Event | None) -> tuple[list[T], threading.Event | bool | None]:
        """Return what is worked off together, and what comes behind it: who waits for it, or True at the end."""
        things: list[T] = []
        taken = first
        while True:
            if taken is None:
                return things, True
            if isinstance(taken, threading.Event):
                return things, taken
            things.append(taken)
            if len(things) >= self._at_once:
                return things, None
            try:
                taken = self._queue.get_nowait()
            except queue.Empty:
                return things, None
