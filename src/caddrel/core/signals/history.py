"""A person's earlier attempts, as far as signals look at them.

Not here: what the kinds of signal make of them.
"""

from __future__ import annotations

from bisect import bisect_left, insort
from collections.abc import Iterable, Iterator, Mapping
from datetime import datetime, timedelta
from typing import NamedTuple

from caddrel.core.facts.completion import Facts
from caddrel.core.facts.types import Value
from caddrel.core.rulebook.model import Rulebook, Signal

# The facts that `first-seen` may look at, and where an earlier attempt keeps each.
REMEMBERED: Mapping[str, str] = {
    "device.id": "device",
    "network.country": "country",
    "network.city": "city",
    "network.asn": "asn",
    "client.name": "client",
}


class Past(NamedTuple):
    """One earlier attempt; None stands for a fact that was unknown.

    Attributes
    ----------
    at, id
        When it was, and its id, which settles the order of attempts at one moment.
    let_in
        Whether it was allowed, and its credentials were not wrong.
    coordinates
        Latitude and longitude in degrees.
    """

    at: datetime
    id: str
    let_in: bool
    credentials: str | None = None
    device: str | None = None
    country: str | None = None
    city: str | None = None
    asn: int | None = None
    client: str | None = None
    coordinates: tuple[float, float] | None = None


def past_of(facts: Facts, at: datetime, id: str, outcome: str) -> Past:
    """Return an attempt that has been decided as one that later attempts look back at."""
    get = facts.values.get
    credentials = get("auth.credentials")
    remembered: dict[str, Value | None] = {field: get(fact) for fact, field in REMEMBERED.items()}
    let_in = outcome == "allowed" and credentials != "wrong"
    return Past(at, id, let_in, credentials, coordinates=facts.coordinates, **remembered)  # type: ignore[arg-type]


class History:
    """The earlier attempts of one person, in order of time."""

    __slots__ = ("_pasts", "_trim_at")

    def __init__(self, pasts: Iterable[Past] = ()) -> None:
        self._pasts = sorted(pasts)
        self._trim_at = 64

    def __len__(self) -> int:
        return len(self._pasts)

    def is_late(self, at: datetime, id: str) -> bool:
        """Tell whether there are later attempts than this one."""
        return bool(self._pasts) and self._pasts[-1][:2] > (at, id)

    def add(self, past: Past) -> None:
        """Add an attempt at its place in time."""
        insort(self._pasts, past)

    def before(self, at: datetime, id: str) -> Iterator[Past]:
        """Yield the attempts before one, newest first."""
        pasts = self._pasts
        start = len(pasts)
        if start and pasts[-1][:2] >= (at, id):
            start = bisect_left(pasts, (at, id))
        for i in range(start - 1, -1, -1):
            yield pasts[i]

    def trim(self, needed: int | None) -> None:
        """Forget what no signal looks back at: all before the newest `needed` that count either way; None keeps all."""
        if needed is None or len(self._pasts) < self._trim_at:
            return
        let_in = tried = 0
        start = len(self._pasts)
        while start and (let_in < needed or tried < needed):
            start -= 1
            let_in += self._pasts[start].let_in
            tried += self._pasts[start].credentials is not None
        del self._pasts[:start]
        self._trim_at = max(64, 2 * len(self._pasts))


def needed_history(rulebooks: Iterable[Rulebook]) -> int | None:
    """Return how many attempts any signal of the rulebooks looks back at; None when one has no such limit."""
    most = 0
    for rulebook in rulebooks:
        for signal in rulebook.signals.values():
            limit = signal.settings.get("history")
            if not isinstance(limit, int):
                return None
            most = max(most, limit)
    return most


def looked_at(signal: Signal, at: datetime, pasts: Iterable[Past]) -> Iterator[Past]:
    """Yield the attempts that a signal looks back at, newest first.

    Those let in, for ``failed-attempts`` all whose credentials are known; at most `history`, none older than
    `not_older_than`.
    """
    most = signal.settings.get("history")
    oldest = signal.settings.get("not_older_than")
    since = at - timedelta(seconds=oldest) if isinstance(oldest, int | float) else None
    failed = signal.kind == "failed-attempts"
    left = most if isinstance(most, int) else -1
    for past in pasts:
        if left == 0 or (since is not None and past.at < since):
            return
        if past.credentials is not None if failed else past.let_in:
            left -= 1
            yield past
