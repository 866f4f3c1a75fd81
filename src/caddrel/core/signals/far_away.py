"""``far-away``: farther than so many kilometres from every earlier attempt."""

from __future__ import annotations

from collections.abc import Sequence

from caddrel.core.decide.truth import FALSE, TRUE, UNKNOWN
from caddrel.core.facts.completion import Facts
from caddrel.core.rulebook.model import Signal
from caddrel.core.signals.earth import great_circle_km
from caddrel.core.signals.history import Past
from caddrel.core.signals.noticed import Noticed, not_known


def notice(signal: Signal, facts: Facts, pasts: Sequence[Past]) -> Noticed:
    """Return whether every earlier attempt came from farther away; one without coordinates may not have."""
    here = facts.coordinates
    if here is None:
        return not_known("coordinates")
    limit = float(str(signal.settings["km"]))
    nearest: tuple[float, str] | None = None
    lacking = None
    among = 0
    for past in pasts:
        among += 1
        if past.coordinates is None:
            lacking = lacking or past.id
            continue
        km = great_circle_km(past.coordinates, here)
        if nearest is None or km < nearest[0]:
            nearest = (km, past.id)
        if km <= limit:
            return Noticed(FALSE, {"km": round(km, 1), "from": past.id, "limit": signal.settings["km"]})
    if not among:
        return Noticed(FALSE, {"among": 0})
    if lacking is not None:
        return Noticed(UNKNOWN, {"missing": "coordinates", "of": lacking})
    found = {"km": round(nearest[0], 1), "from": nearest[1]} if nearest is not None else {}
    return Noticed(TRUE, {**found, "limit": signal.settings["km"], "among": among})
