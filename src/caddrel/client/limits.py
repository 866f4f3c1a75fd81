"""Limits of rulebooks, and what each choice of one would have come to."""

from __future__ import annotations

from caddrel.client.caller import Caller
from caddrel.wire import jobs
from caddrel.wire import limits as wire
from caddrel.wire.drafts import ObjectSaved
from caddrel.wire.rulebooks import Side


class Tightenings:
    """Limits; trying their choices is a job, looked at through `Jobs` while it goes on."""

    def __init__(self, caller: Caller) -> None:
        self._caller = caller

    def limits(self, of: Side) -> wire.LimitList:
        """Return the limits of a rulebook."""
        return self._caller.post("/api/v1/limits", of, wire.LimitList)

    def start(self, request: wire.TighteningRequest) -> jobs.Job:
        """Begin to try the choices of a limit."""
        return self._caller.post("/api/v1/tightenings", request, jobs.Job)

    def result(self, job: str) -> wire.Tightening:
        """Return a tightening curve, once its job has ended."""
        return self._caller.get(f"/api/v1/tightenings/{job}", wire.Tightening)

    def cancel(self, job: str) -> jobs.Job:
        """Cancel one's own."""
        return self._caller.delete(f"/api/v1/tightenings/{job}", jobs.Job)

    def move(self, draft: str, version: int, limit: str, value: str) -> ObjectSaved:
        """Move a limit of a draft, of which this version was seen."""
        body = wire.MoveLimit(limit, value)
        return self._caller.post(
            f"/api/v1/drafts/{draft}/limits", body, ObjectSaved, headers={"If-Match": f'"{version}"'}
        )
