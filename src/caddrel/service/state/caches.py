"""What is remembered so as not to be read or worked out twice: bounded, each with a name, their sizes in the metrics.

A cache belongs to one data folder, and holds nothing that could not be worked out anew.
Not here: what must not be lost or counts for something (tries, challenges, sessions), and small pure functions of the
core that `functools.lru_cache` remembers.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator, MutableMapping
from typing import Generic, TypeVar

from cachetools import LRUCache

K = TypeVar("K")
T = TypeVar("T")
V = TypeVar("V")


class Cache(MutableMapping[K, V]):
    """Values by key, at most so many; the one not asked for the longest makes room. For many threads at once.

    Attributes
    ----------
    name
        What it is called in the metrics.
    most
        How many values it holds at most.
    """

    def __init__(self, name: str, most: int) -> None:
        self.name = name
        self.most = most
        self._kept: LRUCache[K, V] = LRUCache(most)
        self._lock = threading.Lock()

    def __getitem__(self, key: K) -> V:
        with self._lock:
            return self._kept[key]

    def __setitem__(self, key: K, value: V) -> None:
        with self._lock:
            self._kept[key] = value

    def __delitem__(self, key: K) -> None:
        with self._lock:
            del self._kept[key]

    def __iter__(self) -> Iterator[K]:
        with self._lock:
            return iter(list(self._kept))

    def __len__(self) -> int:
        return len(self._kept)

    def clear(self) -> None:
        """Forget everything."""
        with self._lock:
            self._kept.clear()

    def once(self, key: K, make: Callable[[], V]) -> V:
        """Return the value of a key, made when it is not there.

        It is made outside the lock: of several that ask at once each may make it, and all make the same.
        """
        try:
            return self[key]
        except KeyError:
            value = make()
            self[key] = value
            return value


class ByObject(Generic[T, V]):
    """Values by the object itself that they follow from, whatever it equals; the object is held with them.

    Held, so that no other can come to stand in its place in memory.
    """

    def __init__(self, cache: Cache[int, tuple[T, V]]) -> None:
        self._cache = cache

    def once(self, thing: T, make: Callable[[T], V]) -> V:
        """Return what was made of an object, made now when it is not there."""
        found = self._cache.get(id(thing))
        if found is not None and found[0] is thing:
            return found[1]
        value = make(thing)
        self._cache[id(thing)] = (thing, value)
        return value


class Caches:
    """The caches of a data folder, by name."""

    def __init__(self) -> None:
        self._made: dict[str, Cache[object, object]] = {}
        self._making = threading.Lock()

    def make(self, name: str, most: int) -> Cache[K, V]:
        """Return a new cache.

        Raises
        ------
        ValueError
            When there is one of that name.
        """
        if name in self._made:
            raise ValueError(f"there is a cache `{name}` already")
        made: Cache[K, V] = Cache(name, most)
        self._made[name] = made  # type: ignore[assignment]
        return made

    def of(self, name: str, most: int) -> Cache[K, V]:
        """Return the cache of a name, made when it is first asked for."""
        with self._making:
            if name not in self._made:
                self.make(name, most)
            return self._made[name]  # type: ignore[return-value]

    def sizes(self) -> Iterator[tuple[str, int, int]]:
        """Yield the name of each cache, how much it holds and how much it may hold."""
        for name, cache in sorted(self._made.items()):
            yield name, len(cache), cache.most
