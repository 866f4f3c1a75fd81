"""A person's earlier attempts, as far as signals look at them.

Not here: what the kinds of signal make of them.
"""

from __future__ import annotations

from bisect import bisect_left, insort
from collections.abc import Callable, Iterable, Mapping, Sequence
from datetime import datetime, timedelta
from typing import Any, NamedTuple

from caddrel.core.columnar.attempt import Bundled
from caddrel.core.facts.facts import Facts
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
        Whether it was allowed, as it was decided then.
    coordinates
        Latitude and longitude in degrees.
    """

    at: datetime
    id: str
    let_in: bool
    credentials: str | None = None
    client: str | None = None
    device: str | None = None
    country: str | None = None
    city: str | None = None
    asn: int | None = None
    coordinates: tuple[float, float] | None = None


def past_of(facts: Facts, at: datetime, id: str, outcome: str) -> Past:
    """Return an attempt that has been decided as one that later attempts look back at."""
    get: Callable[[str], Any] = facts.values.get
    return Past(
        at, id, outcome == "allowed", get("auth.credentials"), get("client.name"), get("device.id"),
        get("network.country"), get("network.city"), get("network.asn"), facts.coordinates,
    )  # fmt: skip


_made: Callable[..., Past] = tuple.__new__


def past_of_bundled(attempt: Bundled, id: str) -> Past:
    """Return an attempt of a log as one that is compared with earlier ones, let in unless its credentials are wrong."""
    _, _, device, network, said, _ = attempt.bundles
    # As its fields follow one another; put together whole, since every attempt of a log is.
    return _made(Past, (attempt.at, id, said.told[0] != "wrong", *said.told, *device.told, *network.told))


class LooksBack(NamedTuple):
    """How a signal looks back: at how many attempts, whether at all that were tried, at those how many seconds old."""

    most: int | None
    tried: bool
    oldest: float | None


class History:
    """The earlier attempts of one person that any signal looks back at, in order of time."""

    __slots__ = ("_let_in", "_newest", "_tried")

    def __init__(self, pasts: Iterable[Past] = ()) -> None:
        self._let_in: list[Past] = []
        self._tried: list[Past] = []
        self._newest: Past | None = None
        for past in sorted(pasts):
            self.add(past, None)

    def __len__(self) -> int:
        return max(len(self._let_in), len(self._tried))

    def add(self, past: Past, needed: int | None) -> bool:
        """Add an attempt at its place in time; returns whether it is late: there are later ones.

        Parameters
        ----------
        needed
            Of either sort, those let in and those tried, so many of the newest are kept at least; None keeps all.
        """
        last = self._newest
        late = last is not None and last.at >= past.at and last[:2] > past[:2]
        add = insort if late else list.append
        if not late:
            self._newest = past
        let_in, tried = self._let_in, self._tried
        if past.let_in:
            add(let_in, past)
        if past.credentials is not None:
            add(tried, past)
        if needed is not None and (len(let_in) > needed + 16 or len(tried) > needed + 16):
            # Some at a time, since each time all that stay are moved.
            for pasts in (let_in, tried):
                del pasts[: max(len(pasts) - needed, 0)]
        return late

    def before(self, at: datetime, id: str, look: LooksBack) -> tuple[Sequence[Past], int, int]:
        """Return the attempts before one that a signal looks back at: in a sequence, from one place up to another."""
        most, tried, oldest = look
        pasts = self._tried if tried else self._let_in
        end = len(pasts)
        if end:
            last = pasts[-1]
            if last.at >= at and last[:2] >= (at, id):
                end = bisect_left(pasts, (at, id))
        start = 0 if most is None or most > end else end - most
        if oldest is not None:
            start = max(start, bisect_left(pasts, (at - timedelta(seconds=oldest),), hi=end))
        return pasts, start, end


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
