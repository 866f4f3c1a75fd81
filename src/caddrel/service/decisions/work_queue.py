"""What is put by many threads and worked off by one, several at a time.

Not here: what is worked off (`group_commit`, `shadow_drafts`).
"""

from __future__ import annotations

import queue
import threading
import time
from collections.abc import Callable
from typing import Generic, TypeVar

T = TypeVar("T")


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
    """

    def __init__(
        self, name: str, work: Callable[[list[T]], None], waiting: int, at_once: int, apart: float = 0.0
    ) -> None:
        self._name = name
        self._work = work
        self._at_once = at_once
        self._queue: queue.Queue[T | None] = queue.Queue(waiting)
        # Held by whoever puts several that belong together: none is begun before all are there.
        self.gathering = threading.Lock()
        self._lock = threading.Lock()
        self._thread: threading.Thread | None = None
        self._stopped = False
        self._apart, self._began = apart, 0.0
        # Set while somebody waits for what was put.
        self._hurry = threading.Event()

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
            self._queue.put_nowait(thing)

    def settle(self) -> None:
        """Wait until everything that was put is worked off."""
        self._hurry.set()
        self._queue.join()
        self._hurry.clear()

    def stop(self) -> None:
        """Work off what waits, and take nothing more."""
        self._hurry.set()
        with self._lock:
            already, self._stopped = self._stopped, True
            thread = self._thread
        if thread is not None:
            if not already:
                self._queue.put(None)
            thread.join()

    def _run(self) -> None:
        while True:
            taken = [self._queue.get()]
            left = self._began + self._apart - time.monotonic()
            if left > 0:
                self._hurry.wait(left)
            self._began = time.monotonic()
            with self.gathering:
                pass
            while len(taken) < self._at_once and taken[-1] is not None:
                try:
                    taken.append(self._queue.get_nowait())
                except queue.Empty:
                    break
            try:
                things = [each for each in taken if each is not None]
                if things:
                    self._work(things)
            finally:
                for _ in taken:
                    self._queue.task_done()
            if taken[-1] is None:
                return
