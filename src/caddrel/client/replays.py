"""Replays: stored sign-ins decided again under another rulebook."""

from __future__ import annotations

from collections.abc import Iterator

from caddrel.client.caller import Caller
from caddrel.wire import jobs, replays


class Replays:
    """Replays; each is a job, looked at through `Jobs` while it goes on."""

    def __init__(self, caller: Caller) -> None:
        self._caller = caller

    def start(self, request: replays.ReplayRequest) -> jobs.Job:
        """Begin a replay."""
        return self._caller.post("/api/v1/replays", request, jobs.Job)

    def result(self, job: str) -> replays.ReplayResult:
        """Return what a replay came to, once it has ended."""
        return self._caller.get(f"/api/v1/replays/{job}", replays.ReplayResult)

    def changed(self, job: str) -> Iterator[bytes]:
        """Yield the sign-ins that come out otherwise as NDJSON, in pieces."""
        return self._caller.pieces(f"/api/v1/replays/{job}/changed", {})

    def letters(self, job: str, template: str = "", person: str = "") -> replays.Letters:
        """Return a text for each person whom a replay hits, or for one of them; nothing is sent."""
        body = replays.LettersRequest(template, person)
        return self._caller.post(f"/api/v1/replays/{job}/letters", body, replays.Letters)

    def cancel(self, job: str) -> jobs.Job:
        """Cancel a replay of one's own."""
        return self._caller.delete(f"/api/v1/replays/{job}", jobs.Job)

    def of_draft(self, draft: str) -> replays.Replayed:
        """Return the last replay of a draft."""
        return self._caller.get(f"/api/v1/drafts/{draft}/replay", replays.Replayed)
