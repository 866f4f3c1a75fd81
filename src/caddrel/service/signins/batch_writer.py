"""Storing what an import has decided: in a thread of its own, while what comes next is decided."""

from __future__ import annotations

from collections.abc import Iterable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from datetime import datetime
from types import TracebackType
from typing import Self

from caddrel.store.new_signins import NewSignins
from caddrel.store.signins import SigninStore


@dataclass(slots=True)
class Batch:
    """What goes in one commit.

    Attributes
    ----------
    ids
        Of its sign-ins, each with the digest of its content.
    late
        People whose signals are to be worked out again, from a moment on.
    """

    signins: NewSignins = field(default_factory=NewSignins)
    ids: dict[str, bytes] = field(default_factory=dict)
    late: dict[str, datetime] = field(default_factory=dict)

    def add_late(self, found: Iterable[tuple[str, datetime]]) -> None:
        """Add people whose signals became due."""
        for person, since in found:
            self.late[person] = min(since, self.late.get(person, since))


class Storing:
    """Stores batches one after another, at most one at a time.

    As a context it waits at its end for what is being stored. What goes wrong is raised where the next batch is put, or
    at the end.

    Parameters
    ----------
    of_import
        The number of the import that they come with.

    Attributes
    ----------
    stored
        How many sign-ins have been stored.
    batch
        The one that was put last: it may not be stored yet.
    """

    def __init__(self, signins: SigninStore, of_import: int) -> None:
        self._signins = signins
        self._of_import = of_import
        self._worker: ThreadPoolExecutor | None = None
        self._under_way: Future[None] | None = None
        self.stored = 0
        self.batch = Batch()

    def __enter__(self) -> Self:
        """Begin."""
        self._worker = ThreadPoolExecutor(1, "caddrel-import")
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        """Wait for what is being stored; what else went wrong before comes first."""
        assert self._worker is not None
        self._worker.shutdown()
        try:
            self._settle()
        except Exception:
            if error is None:
                raise

    def put(self, batch: Batch) -> None:
        """Store a batch as soon as the one before is stored, which is waited for."""
        assert self._worker is not None
        self._settle()
        self.batch = batch
        self._under_way = self._worker.submit(self._signins.add, batch.signins, batch.late, (), self._of_import)

    def _settle(self) -> None:
        under_way, self._under_way = self._under_way, None
        if under_way is not None:
            under_way.result()
            self.stored += len(self.batch.signins)
