"""Who is locked out: wrong passwords of each person, over all doors, and tries that are reserved.

A try is reserved before a password is looked at, so that of many at once no more are looked at than a standard allows.
Not here: when wrong passwords lock somebody out (`core.passwords.lockout`).
"""

from __future__ import annotations

import threading
from collections import Counter, OrderedDict
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from caddrel.core.passwords.lockout import LockOut, lock_out
from caddrel.core.rulebook.model import PasswordStandard
from caddrel.service.auth.secrets import new_id
from caddrel.service.state.caches import Cache, Caches
from caddrel.store.signins import SigninStore
from caddrel.store.unlocks import UnlockStore

MOST_PEOPLE = 20_000
MOST_RESERVED = 20_000
# A try that nobody tells the end of counts as wrong for so long, and then not at all: its door may have died.
RESERVED_FOR = timedelta(minutes=2)


@dataclass(slots=True)
class _Kept:
    """The wrong passwords of a person since a moment, as of one turn of the log."""

    turn: int
    since: datetime
    wrong: list[datetime]


@dataclass(frozen=True, slots=True)
class _Reserved:
    person: str
    at: datetime


class LockOuts:
    """Tells who is locked out; one for the whole service."""

    def __init__(self, signins: SigninStore, unlocks: UnlockStore, caches: Caches) -> None:
        self._signins = signins
        self._unlocks = unlocks
        self._lock = threading.Lock()
        self._kept: Cache[str, _Kept] = caches.make("lock-outs", MOST_PEOPLE)
        self._reserved: OrderedDict[str, _Reserved] = OrderedDict()
        self._turn = 0

    def state(self, person: str, standards: Sequence[PasswordStandard], now: datetime) -> LockOut | None:
        """Return the lock-out of a person that holds now, by the strictest standard; None when there is none."""
        locking = [standard for standard in standards if standard.lock]
        if not locking:
            return None
        with self._lock:
            return self._state(person, locking, now)

    def reserve(
        self, person: str, standards: Sequence[PasswordStandard], clock: Callable[[], datetime]
    ) -> tuple[LockOut | None, str]:
        """Return the lock-out of a person, or the id of a try that is reserved: it counts as wrong until it is told.

        Parameters
        ----------
        clock
            Asked when it is this try's turn: one that had its moment before, and its turn after others, would not see
            theirs.
        """
        locking = [standard for standard in standards if standard.lock]
        with self._lock:
            now = clock()
            found = self._state(person, locking, now) if locking else None
            if found is not None:
                return found, ""
            id = f"t-{new_id(20)}"
            self._reserved[id] = _Reserved(person, now)
            while len(self._reserved) > MOST_RESERVED:
                self._reserved.popitem(last=False)
            return None, id

    def settle(self, id: str, person: str) -> None:
        """Let a reserved try go, as its door tells what came of it: that counts from now on."""
        with self._lock:
            held = self._reserved.get(id)
            if held is not None and held.person == person:
                del self._reserved[id]

    def failed(self, person: str, at: datetime) -> None:
        """Count a wrong password that has just been decided on."""
        with self._lock:
            kept = self._kept.get(person)
            if kept is not None:
                kept.wrong.append(at)

    def read_again(self) -> None:
        """Have everything read again from the log, to which others have added."""
        with self._lock:
            self._turn += 1

    def _state(self, person: str, locking: Sequence[PasswordStandard], now: datetime) -> LockOut | None:
        spans = (int(str(s.lock["within"])) + int(str(s.lock["for"])) for s in locking if s.lock)
        wrong = self._wrong(person, now - timedelta(seconds=max(spans)), now)
        lifted = self._unlocks.since(person)
        open_ = [each.at for each in self._reserved.values() if each.person == person and now - each.at < RESERVED_FOR]
        counting = [at for at in (*wrong, *open_) if lifted is None or at > lifted]
        return lock_out(locking, counting, now)

    def _wrong(self, person: str, since: datetime, now: datetime) -> list[datetime]:
        kept = self._kept.get(person)
        if kept is None or kept.turn != self._turn or kept.since > since:
            # What was decided and is not stored yet is known here alone: the greater count of each moment stands.
            told = Counter(kept.wrong) if kept is not None else Counter()
            read = Counter(self._signins.wrong(person, since, now))
            kept = self._kept[person] = _Kept(self._turn, since, sorted((told | read).elements()))
        if kept.wrong and kept.wrong[0] < since:
            kept.wrong = [at for at in kept.wrong if at >= since]
        return kept.wrong
