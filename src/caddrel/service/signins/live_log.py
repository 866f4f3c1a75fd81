"""The log while records are added to it: what everybody who adds to it shares.

Not here: what is stored (`store.signins`).
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterable

from caddrel.service.auth.lockouts import LockOuts
from caddrel.service.signins.signal_history import Histories
from caddrel.service.state.caches import Caches
from caddrel.store.signins import SigninStore

# Seconds that an import waits at a time for those who wait at a door: doors go first, and an import ends all the same.
SHORTEST_GIVEN, LONGEST_GIVEN = 0.001, 0.03


class LiveLog:
    """What those who add records share; one for the whole service.

    Attributes
    ----------
    deciding
        Held from looking back at a person's records until the new one is looked back at in its turn: each record's
        signals hang on those before it. Nothing is stored, compiled or completed under it; a person's history that is
        not at hand is read under it, since what is decided meanwhile must not be missed.
    importing
        Held by an import from its first record to its last, and by whoever works records out again: imports come one
        after another, since each has records decided that are not stored yet.
    histories
        What signals look back at; used under `deciding`.
    lockouts
        Who is locked out.
    settle
        Waits until what is decided is stored; set by whoever stores it.
    asked
        Tells whether a door waits for a decision, or for its being stored; set by whoever does that.
    """

    def __init__(self, signins: SigninStore, lockouts: LockOuts, caches: Caches) -> None:
        self.deciding = threading.Lock()
        self.importing = threading.Lock()
        self.histories = Histories(signins, caches)
        self.lockouts = lockouts
        self.settle: Callable[[], None] = lambda: None
        self.asked: Callable[[], bool] = lambda: False

    def give_way(self) -> None:
        """Let doors have their decisions first, for a moment at most: called between turns, without any lock.

        Who lets go of a lock and takes it again at once is mostly there before whoever waits for it; the same goes for
        writing to a file of SQLite's. So this is called before each.
        """
        until = time.monotonic() + LONGEST_GIVEN
        while self.asked():
            time.sleep(SHORTEST_GIVEN)
            if time.monotonic() > until:
                return

    def lost(self, ids: Iterable[str]) -> None:
        """Take note that records are decided and will never be stored: they are not to be looked back at."""
        with self.deciding:
            self.histories.stored(ids)
            self.histories.clear()
