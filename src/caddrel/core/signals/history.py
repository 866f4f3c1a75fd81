"""A person's earlier attempts, as far as signals look at them.

Not here: what the kinds of signal make of them.
"""

from __future__ import annotations

from bisect import bisect_left, insort
from collections.abc import Callable, Iterable, Iterator, Mapping
from datetime import datetime, timedelta
from typing import Any, NamedTuple

from caddrel.core.facts.bundling import Bundled
from caddrel.core.facts.completion import Facts
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
    get: Callable[[str], Any] = facts.values.get
    credentials = get("auth.credentials")
    let_in = outcome == "allowed" and credentials != "wrong"
    return Past(
        at, id, let_in, credentials, get("device.id"), get("network.country"), get("network.city"),
        get("network.asn"), get("client.name"), facts.coordinates,
    )  # fmt: skip


def past_of_bundled(attempt: Bundled, id: str) -> Past:
    """Return an attempt of a log as one that is compared with earlier ones, let in unless its credentials are wrong."""
    _, _, device, network, said, _ = attempt.bundles
    credentials, client = said.told
    country, city, asn = network.told
    return Past(
        attempt.at, id, credentials != "wrong", credentials, device.told[0], country, city, asn, client,
        network.facts.coordinates,
    )  # fmt: skip


class LooksBack(NamedTuple):
    """How a signal looks back: at how many attempts, whether at all that were tried, at those how many seconds old."""

    most: int | None
    tried: bool
    oldest: float | None


class Earlier:
    """Some of a person's attempts, newest first; one is read only when it is come to, for most are not needed."""

    __slots__ = ("_end", "_pasts", "_start")

    def __init__(self, pasts: list[Past], start: int, end: int) -> None:
        self._pasts, self._start, self._end = pasts, start, end

    def __len__(self) -> int:
        return self._end - self._start

    def __iter__(self) -> Iterator[Past]:
        return map(self._pasts.__getitem__, range(self._end - 1, self._start - 1, -1))

    def newest(self) -> Past | None:
        """Return the newest, None when there are none."""
        return self._pasts[self._end - 1] if self._end > self._start else None


class History:
    """The earlier attempts of one person that any signal looks back at, in order of time."""

    __slots__ = ("_let_in", "_newest", "_tried")

    def __init__(self, pasts: Iterable[Past] = ()) -> None:
        self._let_in: list[Past] = []
        self._tried: list[Past] = []
        self._newest: tuple[datetime, str] | None = None
        for past in sorted(pasts):
            self.add(past)

    def __len__(self) -> int:
        return max(len(self._let_in), len(self._tried))

    def is_late(self, at: datetime, id: str) -> bool:
        """Tell whether there are later attempts than this one."""
        return self._newest is not None and self._newest > (at, id)

    def add(self, past: Past) -> None:
        """Add an attempt at its place in time."""
        moment = past[:2]
        newest = self._newest is None or self._newest <= moment
        if newest:
            self._newest = moment
        for counts, pasts in ((past.let_in, self._let_in), (past.credentials is not None, self._tried)):
            if counts and newest:
                pasts.append(past)
            elif counts:
                insort(pasts, past)

    def before(self, at: datetime, id: str, look: LooksBack) -> Earlier:
        """Return the attempts before one that a signal looks back at."""
        pasts = self._tried if look.tried else self._let_in
        end = len(pasts)
        if end:
            last = pasts[-1]
            if last.at >= at and last[:2] >= (at, id):
                end = bisect_left(pasts, (at, id))
        start = 0 if look.most is None or look.most > end else end - look.most
        if look.oldest is not None:
            start = max(start, bisect_left(pasts, (at - timedelta(seconds=look.oldest),), hi=end))
        return Earlier(pasts, start, end)

    def trim(self, needed: int | None) -> None:
        """Forget what no signal looks back at: all but the newest `needed` of either sort; None keeps all."""
        if needed is None:
            return
        for pasts in (self._let_in, self._tried):
            if len(pasts) > needed + 16:
                del pasts[: len(pasts) - needed]


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


def looks_back(signal: Signal) -> LooksBack:
    """Return how a signal looks back."""
    most, oldest = signal.settings.get("history"), signal.settings.get("not_older_than")
    return LooksBack(
        most if isinstance(most, int) else None,
        signal.kind == "failed-attempts",
        oldest if isinstance(oldest, int | float) else None,
    )
