"""The last look at everything, kept for a moment where it takes long: with millions of sign-ins it takes seconds.

What takes no time is looked at anew each time. What was set aside, and what a newly published revision makes of it all,
is always as it is now.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from dataclasses import dataclass

from caddrel.service.rulebooks.findings import Findings
from caddrel.service.signins.strange_words import StrangeWords
from caddrel.service.state.data_folder import DataFolder
from caddrel.service.watch.look import Looked, look, view
from caddrel.wire import watch as wire

# Seconds: a look that took longer is given again for so long at most, while the next one is under way.
LONG, GOOD_FOR = 1.0, 300.0
# With a log of so many sign-ins everything is looked over once before anybody asks.
MANY = 300_000
# Looks take a tenth of the time at most, however often somebody asks.
REST = 9.0


@dataclass(frozen=True, slots=True)
class _Last:
    looked: Looked
    revision: int
    began: float
    ended: float
    took: float


class Watched:
    """Looks everything over, one look at a time."""

    def __init__(
        self, data: DataFolder, findings: Findings, words: StrangeWords, prove_soon: Callable[[], None]
    ) -> None:
        self._data, self._findings, self._words = data, findings, words
        # Has what stands proven again beside what else is done, where it may be another by now.
        self.prove_soon = prove_soon
        self._last: _Last | None = None
        self._looking = threading.Lock()
        self._thread: threading.Thread | None = None

    def begin(self) -> None:
        """Look everything over beside what else is done, where that will take long."""
        if self._data.signins.newest() > MANY:
            self._look_soon()

    def now(self) -> wire.Watch:
        """Return everything that is wrong, due or worth a look."""
        self.prove_soon()
        last, asked = self._last, time.monotonic()
        if last is None or not self._still_good(last):
            with self._looking:
                # A look that began before this was asked may have missed what was done in between.
                if self._last is None or self._last.began < asked:
                    self._look()
                last = self._last
        else:
            self._look_soon()
        assert last is not None
        return view(self._data, last.looked)

    def _still_good(self, last: _Last) -> bool:
        # What somebody has just published is seen at once, however long it takes.
        same = last.revision == self._data.revisions.current_number()
        return same and last.took > LONG and time.monotonic() - last.ended < GOOD_FOR

    def _look(self) -> None:
        began, revision = time.monotonic(), self._data.revisions.current_number() or 0
        looked = look(self._data, self._findings, self._words)
        ended = time.monotonic()
        self._last = _Last(looked, revision, began, ended, ended - began)

    def _look_soon(self) -> None:
        last = self._last
        if last is not None and time.monotonic() - last.ended < REST * last.took:
            return
        if self._looking.acquire(blocking=False):
            thread = threading.Thread(target=self._look_beside, name="caddrel-watch", daemon=True)
            try:
                thread.start()
            except RuntimeError:
                # No thread is to be had: whoever asks next tries again.
                self._looking.release()
                return
            self._thread = thread

    def _look_beside(self) -> None:
        try:
            self._look()
        finally:
            self._looking.release()

    def stop(self) -> None:
        """Wait for what is under way."""
        if self._thread is not None:
            self._thread.join()
