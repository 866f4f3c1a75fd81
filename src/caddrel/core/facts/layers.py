"""A mapping that is changed by laying a small one over it: what changes costs what it changes, not what there is."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import TypeVar

V = TypeVar("V")
# A layer that has grown to so many is laid into the one below it.
MOST_ABOVE = 1_000


class Layers(Mapping[str, V]):
    """A mapping from ids, never changed once it is made.

    Parameters
    ----------
    below, above
        Of the same id the one above counts.
    """

    __slots__ = ("_above", "_below", "_more")

    def __init__(self, below: Mapping[str, V], above: Mapping[str, V] | None = None) -> None:
        self._below = below
        self._above = above or {}
        # How many ids only the layer above has.
        self._more = sum(id not in below for id in self._above)

    def over(self, changed: Mapping[str, V]) -> Layers[V]:
        """Return the mapping with others laid over it."""
        if not changed:
            return self
        if len(self._above) + len(changed) > MOST_ABOVE:
            return Layers({**self._below, **self._above, **changed})
        return Layers(self._below, {**self._above, **changed})

    def __getitem__(self, id: str) -> V:
        found = self._above.get(id)
        return self._below[id] if found is None else found

    def get(self, id: str, default: V | None = None) -> V | None:  # type: ignore[override]  # as of every mapping
        """Return what stands for an id."""
        found = self._above.get(id)
        return self._below.get(id, default) if found is None else found

    def __contains__(self, id: object) -> bool:
        return id in self._above or id in self._below

    def __iter__(self) -> Iterator[str]:
        yield from self._below
        if self._more:
            yield from (id for id in self._above if id not in self._below)

    def __len__(self) -> int:
        return len(self._below) + self._more
