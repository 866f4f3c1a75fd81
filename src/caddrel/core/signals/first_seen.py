"""``first-seen``: no earlier attempt had the same device, country, city, network or client."""

from __future__ import annotations

from typing import Any

from caddrel.core.facts.types import fold
from caddrel.core.rulebook.model import Signal
from caddrel.core.signals.history import REMEMBERED, Earlier, Past
from caddrel.core.signals.noticed import Compare, Noticed, not_known

KIND = "first-seen"
_TEXTS = ("network.city", "client.name")
_FIELDS = {fact: Past._fields.index(field) for fact, field in REMEMBERED.items()}


def comparing(signal: Signal) -> Compare:
    """Return what gives the signal: unknown without the fact, false before there are `after` attempts to compare."""
    fact = str(signal.settings["of"])
    texts, field = fact in _TEXTS, _FIELDS[fact]
    after: Any = signal.settings.get("after", 1)

    def compare(attempt: Past, earlier: Earlier) -> Noticed:
        value: Any = attempt[field]
        if value is None:
            return not_known(KIND, fact)
        wanted = fold(value) if texts else value
        back = 0
        for past in earlier:
            back += 1
            found: Any = past[field]
            if found == wanted or (texts and found is not None and fold(found) == wanted):
                return {
                    "truth": "false", "kind": KIND, "fact": fact, "value": value, "seen_in": past.id, "back": back
                }  # fmt: skip
        truth = "true" if back >= after else "false"
        return {"truth": truth, "kind": KIND, "fact": fact, "value": value, "among": back, "after": after}

    return compare
