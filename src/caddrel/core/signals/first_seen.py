"""``first-seen``: no earlier attempt had the same device, country, city, network or client."""

from __future__ import annotations

from collections.abc import Iterable

from caddrel.core.decide.truth import truth_of
from caddrel.core.facts.completion import Facts
from caddrel.core.facts.types import Value, fold
from caddrel.core.facts.values import to_json
from caddrel.core.rulebook.model import Signal
from caddrel.core.signals.history import REMEMBERED, Past
from caddrel.core.signals.noticed import Noticed, not_known

_TEXTS = ("network.city", "client.name")


def notice(signal: Signal, facts: Facts, pasts: Iterable[Past]) -> Noticed:
    """Return the truth of the signal: unknown without the fact, false before there are `after` attempts to compare."""
    fact = str(signal.settings["of"])
    value = facts.values.get(fact)
    if value is None:
        return not_known(fact)
    same = _folded if fact in _TEXTS else _itself
    wanted, field = same(value), REMEMBERED[fact]
    after = signal.settings.get("after", 1)
    seen = 0
    for past in pasts:
        seen += 1
        found = getattr(past, field)
        if found is not None and same(found) == wanted:
            why = {"fact": fact, "value": to_json(value), "seen_in": past.id, "back": seen}
            return Noticed(truth_of(False), why)
    enough = isinstance(after, int) and seen >= after
    return Noticed(truth_of(enough), {"fact": fact, "value": to_json(value), "among": seen, "after": after})


def _folded(value: Value) -> Value:
    return fold(str(value))


def _itself(value: Value) -> Value:
    return value
