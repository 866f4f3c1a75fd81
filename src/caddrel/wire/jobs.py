"""Jobs: long work that goes on by itself, tells how far it is, and can be cancelled."""

from __future__ import annotations

from typing import Any

import msgspec

from caddrel.wire.problems import Problem


class Job(msgspec.Struct, frozen=True):
    """One job.

    Attributes
    ----------
    kind
        ``import`` or ``forget``.
    state
        ``waiting``, ``running``, ``done``, ``failed`` or ``cancelled``.
    done, total
        How far it is, in `unit`.
    result
        What it came to; of a cancelled import what was taken in.
    problem
        Why it failed.
    """

    id: str
    kind: str
    state: str
    done: int
    total: int
    unit: str
    by: str
    began: str
    result: Any = None
    problem: Problem | None = None

    @property
    def ended(self) -> bool:
        """Whether nothing more will come of it."""
        return self.state in {"done", "failed", "cancelled"}


class JobList(msgspec.Struct, frozen=True):
    """The jobs since the service started, newest first."""

    items: list[Job]
