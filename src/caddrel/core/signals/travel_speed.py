"""``travel-speed``: nobody gets that far in that time."""

from __future__ import annotations

from collections.abc import Sequence

from caddrel.core.rulebook.model import Signal
from caddrel.core.signals.earth import great_circle_km
from caddrel.core.signals.history import Past
from caddrel.core.signals.result import Compare, Form, Values, both, not_known

KIND = "travel-speed"
IGNORE_KM = 50


def comparing(signal: Signal) -> Compare:
    """Return what tells whether the way from the newest attempt to this one is faster than `above_kmh`."""
    limit, ignore = signal.settings["above_kmh"], signal.settings.get("ignore_km", IGNORE_KM)
    fastest, nearest = float(str(limit)), float(str(ignore))
    nowhere, from_nowhere = not_known(KIND, "coordinates"), not_known(KIND, "coordinates", ("of",))
    first, _ = both(KIND, (), among=0)
    slow, fast = both(KIND, ("km", "seconds", "from"), above_kmh=limit)

    def compare(attempt: Past, pasts: Sequence[Past], start: int, end: int) -> tuple[Form, Values]:
        here = attempt.coordinates
        if here is None:
            return nowhere, ()
        if start == end:
            return first, ()
        past = pasts[end - 1]
        there = past.coordinates
        if there is None:
            return from_nowhere, (past.id,)
        seconds = (attempt.at - past.at).total_seconds()
        if there == here:
            return slow, (0.0, seconds, past.id)
        km = great_circle_km(there, here)
        form = fast if km >= nearest and km * 3600 > fastest * seconds else slow
        return form, (round(km, 1), seconds, past.id)

    return compare
