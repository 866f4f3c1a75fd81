"""``far-away``: farther than so many kilometres from every earlier attempt."""

from __future__ import annotations

from collections.abc import Sequence

from caddrel.core.rulebook.model import Signal
from caddrel.core.signals.earth import great_circle_km
from caddrel.core.signals.history import Past
from caddrel.core.signals.noticed import Compare, Noticed, not_known

KIND = "far-away"


def comparing(signal: Signal) -> Compare:
    """Return what tells whether every earlier attempt came from farther away; one without coordinates may not have."""
    km_limit = signal.settings["km"]
    limit = float(str(km_limit))

    def compare(attempt: Past, pasts: Sequence[Past], start: int, end: int) -> Noticed:
        here = attempt.coordinates
        if here is None:
            return not_known(KIND, "coordinates")
        nearest: tuple[float, str] | None = None
        lacking = None
        for place in range(end - 1, start - 1, -1):
            past = pasts[place]
            if past.coordinates is None:
                lacking = lacking or past.id
                continue
            km = great_circle_km(past.coordinates, here)
            if nearest is None or km < nearest[0]:
                nearest = (km, past.id)
            if km <= limit:
                return {"truth": "false", "kind": KIND, "km": round(km, 1), "from": past.id, "limit": km_limit}
        if start == end:
            return {"truth": "false", "kind": KIND, "among": 0}
        if lacking is not None:
            return {**not_known(KIND, "coordinates"), "of": lacking}
        found = {"km": round(nearest[0], 1), "from": nearest[1]} if nearest is not None else {}
        return {"truth": "true", "kind": KIND, **found, "limit": km_limit, "among": end - start}

    return compare
