"""The thread that decides what doors ask: many at a time, so that what is decided together is stored in one commit.

Where many threads decided, they would take the interpreter from one another, and each commit would hold few.
Not here: what is decided (`evaluate`), and how it is stored (`group_commit`).
"""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future
from typing import TypeVar

from caddrel.service.decisions.group_commit import Recorder
from caddrel.service.decisions.tallies import SIZES, Tally
from caddrel.service.decisions.work_queue import Together

T = TypeVar("T")
# So many may wait; so many are decided before the next commit takes them along.
MOST_WAITING, TOGETHER = 1_024, 32
# Seconds between two commits: one of few costs as much as one of many.
APART = 0.004


class Decider:
    """Works off what is to be decided; one for the whole service.

    Parameters
    ----------
    between
        Is called now and then, between decisions.

    Attributes
    ----------
    together
        How much was worked off together.
    """

    def __init__(self, recorder: Recorder, between: Callable[[], None]) -> None:
        self._recorder, self._between = recorder, between
        self._waiting = Together("caddrel-decider", self._work, MOST_WAITING, TOGETHER, APART)
        self.together = Tally(SIZES)

    @property
    def waiting(self) -> int:
        """How much waits to be decided."""
        return self._waiting.waiting

    @property
    def busy(self) -> bool:
        """Whether anything waits to be decided, or is."""
        return self._waiting.busy

    @property
    def refused(self) -> int:
        """How much was refused, because too much waited."""
        return self._waiting.refused

    def put(self, work: Callable[[], None]) -> None:
        """Have something decided; `work` raises nothing.

        Raises
        ------
        ServiceError
            When too much waits (``too-busy``), or the service is stopping: nobody is let in.
        """
        self._waiting.put_or_refuse(work, "too many evaluations wait")

    def ask(self, work: Callable[[], T]) -> T:
        """Return what `work` returns, or raise what it raises, once its turn has come.

        Raises
        ------
        ServiceError
            As in `put`.
        """
        done: Future[T] = Future()

        def tell() -> None:
            try:
                done.set_result(work())
            except BaseException as error:  # noqa: BLE001 - told to whoever asked
                done.set_exception(error)

        self.put(tell)
        return done.result()

    def stop(self) -> None:
        """Decide what waits, and take nothing more."""
        self._waiting.stop()

    def _work(self, several: list[Callable[[], None]]) -> None:
        self.together.add(len(several))
        # Everybody who asked while the commit before was written shares the next one.
        with self._recorder.gathering():
            for work in several:
                work()
        self._between()
