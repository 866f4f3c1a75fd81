"""The mappings of logs of other systems by the client library."""

from __future__ import annotations

from caddrel.client.caller import Caller
from caddrel.wire import mappings


class Mappings:
    """How logs of other systems are read."""

    def __init__(self, caller: Caller) -> None:
        self._caller = caller

    def list(self) -> dict[str, mappings.LogMapping]:
        """Return the mappings that are kept, by name."""
        return self._caller.get("/api/v1/mappings", mappings.MappingList).mappings

    def put(self, name: str, mapping: mappings.LogMapping) -> None:
        """Keep a mapping; replaces the one of that name."""
        self._caller.put(f"/api/v1/mappings/{name}", mapping, mappings.MappingList, {})

    def remove(self, name: str) -> None:
        """Take a mapping out; what was read by it stays."""
        self._caller.delete(f"/api/v1/mappings/{name}", mappings.MappingList)

    def try_(
        self, text: str, format: mappings.LogFormat = "csv", mapping: mappings.LogMapping | None = None
    ) -> mappings.MappingTrial:
        """Read the beginning of a log, by what its columns suggest without a mapping; nothing is taken in.

        Parameters
        ----------
        text
            Whole lines of it.
        format
            ``csv`` or ``ndjson``.
        """
        asked = mappings.TrialRequest(text, format, mapping)
        return self._caller.post("/api/v1/mappings/try", asked, mappings.MappingTrial)
