"""``travel-speed``: nobody gets that far in that time."""

from __future__ import annotations

from collections.abc import Sequence

from caddrel.core.rulebook.model import Signal
from caddrel.core.signals.earth import great_circle_km
from caddrel.core.signals.history import Past
from caddrel.core.signals.noticed import Compare, Noticed, not_known

KIND = "travel-speed"
IGNORE_KM = 50


def comparing(signal: Signal) -> Compare:
    """Return what tells whether the way from the newest attempt to this one is faster than `above_kmh`."""
    limit, ignore = signal.settings["above_kmh"], signal.settings.get("ignore_km", IGNORE_KM)
    fastest, nearest = float(str(limit)), float(str(ignore))

    def compare(attempt: Past, pasts: Sequence[Past], start: int, end: int) -> Noticed:
        here = attempt.coordinates
        if here is None:
            return not_known(KIND, "coordinates")
        if start == end:
            return {"truth": "false", "kind": KIND, "among": 0}
        past = pasts[end - 1]
        there = past.coordinates
        if there is None:
            return {**not_known(KIND, "coordinates"), "of": past.id}
        km = great_circle_km(there, here) if there != here else 0.0
        seconds = (attempt.at - past.at).total_seconds()
        truth = "true" if km >= nearest and km * 3600 > fastest * seconds else "false"
        return {
            "truth": truth, "kind": KIND, "km": round(km, 1), "seconds": seconds, "from": past.id, "above_kmh": limit
        }  # fmt: skip

    return compare
