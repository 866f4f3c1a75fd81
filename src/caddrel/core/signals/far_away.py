"""``far-away``: farther than so many kilometres from every earlier attempt."""

from __future__ import annotations

from collections.abc import Sequence

from caddrel.core.rulebook.model import Signal
from caddrel.core.signals.earth import great_circle_km
from caddrel.core.signals.history import Past
from caddrel.core.signals.result import Compare, Form, Values, both, not_known

KIND = "far-away"


def comparing(signal: Signal) -> Compare:
    """Return what tells whether every earlier attempt came from farther away; one without coordinates may not have."""
    km_limit = signal.settings["km"]
    limit = float(str(km_limit))
    nowhere, from_nowhere = not_known(KIND, "coordinates"), not_known(KIND, "coordinates", ("of",))
    first, _ = both(KIND, (), among=0)
    near, _ = both(KIND, ("km", "from"), limit=km_limit)
    _, far = both(KIND, ("km", "from", "among"), limit=km_limit)

    def compare(attempt: Past, pasts: Sequence[Past], start: int, end: int) -> tuple[Form, Values]:
        here = attempt.coordinates
        if here is None:
            return nowhere, ()
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
                return near, (round(km, 1), past.id)
        if lacking is not None:
            return from_nowhere, (lacking,)
        if nearest is None:
            return first, ()
        return far, (round(nearest[0], 1), nearest[1], end - start)

    return compare
