"""``first-seen``: no earlier attempt had the same device, country, city, network or client."""

from __future__ import annotations

from collections.abc import Sequence

from caddrel.core.decide.truth import FALSE, truth_of
from caddrel.core.facts.completion import Facts
from caddrel.core.facts.types import fold
from caddrel.core.facts.values import to_json
from caddrel.core.rulebook.model import Signal
from caddrel.core.signals.history import REMEMBERED, Past
from caddrel.core.signals.noticed import Noticed, not_known

_TEXTS = ("network.city", "client.name")
_FIELDS = {fact: Past._fields.index(field) for fact, field in REMEMBERED.items()}


def notice(signal: Signal, facts: Facts, pasts: Sequence[Past]) -> Noticed:
    """Return the truth of the signal: unknown without the fact, false before there are `after` attempts to compare."""
    fact = str(signal.settings["of"])
    value = facts.values.get(fact)
    if value is None:
        return not_known(fact)
    texts = fact in _TEXTS
    wanted, field = fold(str(value)) if texts else value, _FIELDS[fact]
    after = signal.settings.get("after", 1)
    for back, past in enumerate(pasts, 1):
        found = past[field]
        if found is not None and (found == wanted or (texts and fold(str(found)) == wanted)):
            return Noticed(FALSE, {"fact": fact, "value": to_json(value), "seen_in": past.id, "back": back})
    seen = len(pasts)
    enough = isinstance(after, int) and seen >= after
    return Noticed(truth_of(enough), {"fact": fact, "value": to_json(value), "among": seen, "after": after})
