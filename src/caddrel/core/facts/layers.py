"""A mapping that is changed by laying a small one over it: what changes costs what it changes, not what there is."""

from __future__ import annotations

from collections.abc import Collection, Iterator, KeysView, Mapping, ValuesView
from typing import Final, TypeVar

V = TypeVar("V")
# A layer that has grown to so many is laid into the one below it.
MOST_ABOVE = 1_000


class _Gone:
    """Stands above for what is there below and has been taken away."""


_GONE: Final = _Gone()


class Layers(Mapping[str, V]):
    """A mapping from ids, never changed once it is made.

    Parameters
    ----------
    below
        What is there.
    """

    __slots__ = ("_above", "_below", "_more")

    def __init__(self, below: Mapping[str, V]) -> None:
        self._below = below
        self._above: Mapping[str, V | _Gone] = {}
        # By how many there are more, or less, than below.
        self._more = 0

    def over(self, changed: Mapping[str, V], gone: Collection[str] = ()) -> Layers[V]:
        """Return the mapping with others laid over it: of the same id those count.

        Parameters
        ----------
        gone
            Ids that are taken away; one that is also among the changed is there.
        """
        if not changed and not gone:
            return self
        new = dict[str, V | _Gone](dict.fromkeys(gone, _GONE)) | dict(changed)
        above: dict[str, V | _Gone] = {**self._above, **new}
        if len(above) > MOST_ABOVE:
            laid = {**self._below, **above}
            return Layers({id: there for id, there in laid.items() if not isinstance(there, _Gone)})
        made = Layers(self._below)
        made._above = above
        made._more = self._more + sum((there is not _GONE) - (id in self) for id, there in new.items())
        return made

    def below(self) -> Mapping[str, V]:
        """Return what most of it is: the same mapping for many that follow from one another."""
        return self._below

    def above(self) -> KeysView[str]:
        """Return the ids that stand for something else than in `below`: that are not in it, or are gone."""
        return self._above.keys()

    def __getitem__(self, id: str) -> V:
        found = self._above.get(id)
        if found is None:
            return self._below[id]
        if isinstance(found, _Gone):
            raise KeyError(id)
        return found

    def get(self, id: str, default: V | None = None) -> V | None:  # type: ignore[override]  # as of every mapping
        """Return what stands for an id."""
        found = self._above.get(id)
        if found is None:
            return self._below.get(id, default)
        return default if isinstance(found, _Gone) else found

    def __contains__(self, id: object) -> bool:
        found = self._above.get(id) if isinstance(id, str) else None
        return id in self._below if found is None else found is not _GONE

    def __iter__(self) -> Iterator[str]:
        if not self._above:
            yield from self._below
            return
        yield from (id for id in self._below if self._above.get(id) is not _GONE)
        yield from (id for id, there in self._above.items() if there is not _GONE and id not in self._below)

    def __len__(self) -> int:
        return len(self._below) + self._more

    def values(self) -> ValuesView[V]:
        """Return what is there, in the order of the ids; looked through without looking each of them up."""
        return _Values(self, self._below, self._above)


class _Values(ValuesView[V]):
    def __init__(self, layers: Layers[V], below: Mapping[str, V], above: Mapping[str, V | _Gone]) -> None:
        super().__init__(layers)
        self._below, self._above = below, above

    def __iter__(self) -> Iterator[V]:
        below, above = self._below, self._above
        if not above:
            yield from below.values()
            return
        for id, there in below.items():
            now = above.get(id, there)
            if not isinstance(now, _Gone):
                yield now
        for id, new in above.items():
            if not isinstance(new, _Gone) and id not in below:
                yield new
