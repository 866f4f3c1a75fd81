"""``first-seen``: no earlier attempt had the same device, country, city, network or client."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from caddrel.core.facts.types import fold
from caddrel.core.rulebook.model import Signal
from caddrel.core.signals.history import REMEMBERED, Past
from caddrel.core.signals.result import Compare, Form, Values, both, not_known

KIND = "first-seen"
_TEXTS = ("network.city", "client.name")
_FIELDS = {fact: Past._fields.index(field) for fact, field in REMEMBERED.items()}


def comparing(signal: Signal) -> Compare:
    """Return what gives the signal: unknown without the fact, false before there are `after` attempts to compare."""
    fact = str(signal.settings["of"])
    texts, field = fact in _TEXTS, _FIELDS[fact]
    after: Any = signal.settings.get("after", 1)
    missing, (seen, _) = not_known(KIND, fact), both(KIND, ("value", "seen_in", "back"), fact=fact)
    too_early, never = both(KIND, ("value", "among"), fact=fact, after=after)

    def compare(attempt: Past, pasts: Sequence[Past], start: int, end: int) -> tuple[Form, Values]:
        value: Any = attempt[field]
        if value is None:
            return missing, ()
        wanted = fold(value) if texts else value
        for place in range(end - 1, start - 1, -1):
            past = pasts[place]
            found: Any = past[field]
            if found == wanted or (texts and found is not None and fold(found) == wanted):
                return seen, (value, past.id, end - place)
        among = end - start
        return never if among >= after else too_early, (value, among)

    return compare
