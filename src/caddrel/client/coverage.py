"""The coverage grid by the client library."""

from __future__ import annotations

from caddrel.client.caller import Caller
from caddrel.wire import coverage


class Coverage:
    """What sign-ins of each audience to each app can meet."""

    def __init__(self, caller: Caller) -> None:
        self._caller = caller

    def grid(self, request: coverage.GridRequest) -> coverage.CoverageGrid:
        """Return all cells."""
        return self._caller.post("/api/v1/rulebook/grid", request, coverage.CoverageGrid)

    def cell(self, request: coverage.GridRequest, audience: str, app: str) -> coverage.CellDetail:
        """Return what is behind one cell."""
        asked = coverage.CellRequest(request, audience, app)
        return self._caller.post("/api/v1/rulebook/grid/cell", asked, coverage.CellDetail)
