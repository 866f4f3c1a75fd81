"""Recording live decisions: many in one commit, each answered only when it is stored for good."""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping
from concurrent.futures import Future
from contextlib import AbstractContextManager
from datetime import datetime
from typing import Any, NamedTuple

from caddrel.service.decisions.tallies import SECONDS, SIZES, Tally
from caddrel.service.decisions.work_queue import HINT, Together
from caddrel.service.problems import ServiceError
from caddrel.store.door_sessions import DoorSession
from caddrel.store.engine import NoRoom
from caddrel.store.new_signins import NewSignin, NewSignins
from caddrel.store.signins import SigninStore

MOST_WAITING = 2_000
TOGETHER = 500


class _Entry(NamedTuple):
    signin: NewSignin
    session: DoorSession | None
    late: Mapping[str, datetime]
    stored: Future[None]


class Recorder:
    """Writes sign-ins in a thread of its own; whoever waits is woken when the commit is on the disk.

    Parameters
    ----------
    stored
        Is called after a commit, with the ids that it held, before those who wait are told.
    failed
        Is called so when it failed.
    late
        Is called after a commit with which signals of others became due.
    """

    def __init__(
        self,
        signins: SigninStore,
        stored: Callable[[list[str]], None],
        failed: Callable[[list[str]], None],
        late: Callable[[], None],
    ) -> None:
        self._signins = signins
        self._stored = stored
        self._failed = failed
        self._late = late
        self._waiting = Together("caddrel-recorder", self._store, MOST_WAITING, TOGETHER)
        self._last: Future[None] | None = None
        # Whether the last commit failed.
        self.failing = False
        # How long commits took, and how many records were in each.
        self.seconds, self.together = Tally(SECONDS), Tally(SIZES)

    @property
    def waiting(self) -> int:
        """How many wait to be stored."""
        return self._waiting.waiting

    @property
    def busy(self) -> bool:
        """Whether anything waits to be stored, or is."""
        return self._waiting.busy

    @property
    def refused(self) -> int:
        """How many were refused, because too many waited."""
        return self._waiting.refused

    def put(self, signin: NewSignin, session: DoorSession | None, late: Mapping[str, datetime]) -> Future[None]:
        """Return what is done when the sign-in is stored.

        Raises
        ------
        ServiceError
            When too many wait, or the service is stopping: nobody is let in unrecorded.
        """
        stored: Future[None] = Future()
        self._waiting.put_or_refuse(_Entry(signin, session, late, stored), "too many decisions wait to be recorded")
        self._last = stored
        return stored

    def gathering(self) -> AbstractContextManager[Any]:
        """Return what to put several within, so that they are stored in one commit.

        Nothing is waited for within it: nobody's decision is stored meanwhile.
        """
        return self._waiting.gathering

    def settle(self) -> None:
        """Wait until what waits now is stored, or refused."""
        last = self._last
        if last is not None:
            last.exception()

    def stop(self) -> None:
        """Store what waits, and take nothing more."""
        self._waiting.stop()

    def _store(self, entries: list[_Entry]) -> None:
        began = time.perf_counter()
        self.together.add(len(entries))
        try:
            self._commit(entries)
        finally:
            self.seconds.add(time.perf_counter() - began)

    def _commit(self, entries: list[_Entry]) -> None:
        late: dict[str, datetime] = {}
        ids = [entry.signin.id for entry in entries]
        for entry in entries:
            for person, since in entry.late.items():
                late[person] = min(since, late.get(person, since))
        try:
            sessions = [entry.session for entry in entries if entry.session is not None]
            self._signins.add(NewSignins(entry.signin for entry in entries), late, sessions)
        except BaseException as error:  # noqa: BLE001 - told to everybody who waits
            self.failing = True
            self._failed(ids)
            refused: BaseException = error
            if isinstance(error, NoRoom):
                refused = ServiceError(503, "cannot-record", "the decision cannot be recorded: no room", HINT)
            for entry in entries:
                entry.stored.set_exception(refused)
            return
        self.failing = False
        self._stored(ids)
        for entry in entries:
            entry.stored.set_result(None)
        if late:
            self._late()
