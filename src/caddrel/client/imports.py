"""Imports of the log, through the client library."""

from __future__ import annotations

from caddrel.client.caller import Caller
from caddrel.wire import imports, jobs


class Imports:
    """What was taken into the log, import by import."""

    def __init__(self, caller: Caller) -> None:
        self._caller = caller

    def list(self, before: int | None = None, limit: int = 50) -> imports.ImportList:
        """Return imports, the newest first; of those before the one numbered `before`."""
        params = {"limit": str(limit), **({} if before is None else {"before": str(before)})}
        return self._caller.get("/api/v1/imports", imports.ImportList, params)

    def get(self, number: int) -> imports.LogImport:
        """Return one import, with how many of its sign-ins are there still."""
        return self._caller.get(f"/api/v1/imports/{number}", imports.LogImport)

    def take_back(self, number: int) -> jobs.Job:
        """Start taking the sign-ins of an import out of the log again, for good."""
        return self._caller.stream("/api/v1/jobs/take-back", (), jobs.Job, {"import": str(number)})
