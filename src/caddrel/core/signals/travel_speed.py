"""``travel-speed``: nobody gets that far in that time."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from caddrel.core.decide.truth import FALSE, UNKNOWN, truth_of
from caddrel.core.facts.completion import Facts
from caddrel.core.rulebook.model import Signal
from caddrel.core.signals.earth import great_circle_km
from caddrel.core.signals.history import Past
from caddrel.core.signals.noticed import Noticed, not_known

IGNORE_KM = 50


def notice(signal: Signal, facts: Facts, pasts: Sequence[Past]) -> Noticed:
    """Return whether the way from the newest attempt to this one is faster than `above_kmh`."""
    at = facts.values["time.at"]
    here = facts.coordinates
    if here is None or not isinstance(at, datetime):
        return not_known("coordinates")
    if not pasts:
        return Noticed(FALSE, {"among": 0})
    past = pasts[0]
    if past.coordinates is None:
        return Noticed(UNKNOWN, {"missing": "coordinates", "of": past.id})
    km = great_circle_km(past.coordinates, here) if past.coordinates != here else 0.0
    seconds = (at - past.at).total_seconds()
    limit, ignore = signal.settings["above_kmh"], signal.settings.get("ignore_km", IGNORE_KM)
    too_fast = km >= float(str(ignore)) and km * 3600 > float(str(limit)) * seconds
    why = {"km": round(km, 1), "seconds": seconds, "from": past.id, "above_kmh": limit}
    return Noticed(truth_of(too_fast), why)
