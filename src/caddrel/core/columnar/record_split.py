"""Splitting live attempts into bundles, remembering what a bundle came to: many attempts have most of theirs in common.

It comes to the same as writing facts as JSON and splitting that (`fact_groups.split`), and does so where it does not
know better.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Mapping, Sequence
from datetime import datetime
from functools import lru_cache
from typing import Any

from caddrel.core.columnar.fact_groups import COMPARED, GROUPS, group_of, split
from caddrel.core.facts.facts import Facts, Origin
from caddrel.core.facts.record import facts_json
from caddrel.core.facts.types import PartlyKnown, Signals, Version
from caddrel.core.facts.values import show_moment, to_json

MOST_REMEMBERED = 50_000
_PLACE = {group: place for place, group in enumerate(GROUPS)}
_APP, _NETWORK, _SIGNALS = (_PLACE[name] for name in ("app", "network", "signals"))
_WORDS = {origin: origin.value for origin in Origin}
_OF_ITS_OWN = -1
_METHODS = "auth.methods"


@lru_cache(maxsize=4096)
def _place(fact: str) -> int:
    return _PLACE[group] if (group := group_of(fact)) else _OF_ITS_OWN


class Splitter:
    """Splits attempts, each as `fact_groups.split` would; one for whoever records them."""

    def __init__(self) -> None:
        # By group: what its facts are, with their classes and origins, to its bundle. A class is part of it since a
        # number equals another of another class, and is not written like it.
        self._known: list[dict[Hashable, bytes]] = [{} for _ in GROUPS]

    def split(self, facts: Facts, lists: Sequence[str]) -> tuple[dict[str, Any], tuple[bytes, ...]]:
        """Return what is the attempt's own, and a bundle for each group.

        Parameters
        ----------
        lists
            The address lists of which is kept whether they held the attempt's address.
        """
        if facts.not_understood or facts.not_believed:
            # Seldom, and much beside the values hangs on it.
            return split(facts_json(facts, lists))
        keys: list[list[Hashable]] = [[] for _ in GROUPS]
        own: dict[str, Any] = {}
        for fact, value in facts.values.items():
            place, origin = _place(fact), facts.origins[fact]
            if place == _OF_ITS_OWN:
                own[fact] = [_WORDS[origin], to_json(value)]
            elif fact == _METHODS and isinstance(value, dict):
                ages = any(age is not None for age in value.values())
                if ages:
                    own[fact] = [_WORDS[origin], to_json(value)]
                keys[place].append((fact, origin, ages, *sorted(value)))
            else:
                keys[place].append((fact, origin, value.__class__, value, _KEYS.get(value.__class__, _nothing)(value)))
        keys[_APP].append((facts.app_listed, facts.app_title))
        address: Any = facts.values.get("network.ip")
        held = [(name, address in facts.lists[name]) for name in lists if address is not None and name in facts.lists]
        # As text, for the same reason as of classes.
        keys[_NETWORK].append((str(facts.coordinates), *held))
        keys[_SIGNALS].extend(map(_key_of_signal, sorted(facts.noticed.items())))
        try:
            bundles = self._bundles(facts, lists, list(map(tuple, keys)))
        except TypeError:
            # A value that cannot stand in a key: nothing of the kind is known, and it is not to cost a decision.
            return split(facts_json(facts, lists))
        return {"values": dict(sorted(own.items())), **_beside(facts)}, bundles

    def _bundles(self, facts: Facts, lists: Sequence[str], keys: list[tuple[Hashable, ...]]) -> tuple[bytes, ...]:
        bundles = [known.get(key) for known, key in zip(self._known, keys, strict=True)]
        if None not in bundles:
            return tuple(bundle for bundle in bundles if bundle is not None)
        _, made = split(facts_json(facts, lists))
        for known, key, bundle in zip(self._known, keys, made, strict=True):
            if len(known) >= MOST_REMEMBERED:
                known.clear()
            known[key] = bundle
        return made


def _beside(facts: Facts) -> dict[str, Any]:
    """Return what an attempt's own is beside the values of its facts."""
    found: dict[str, Any] = {}
    if facts.default_age:
        found["default_age"] = facts.default_age
    if facts.live:
        found["live"] = True
    if facts.noticed:
        found["noticed"] = [
            [value for name, value in said.items() if name in COMPARED] for _, said in sorted(facts.noticed.items())
        ]
    return found


def _key_of_signal(signal: tuple[str, Mapping[str, Any]]) -> Hashable:
    """Return what attempts have in common that share the bundle of a signal."""
    name, said = signal
    return name, *(key if key in COMPARED else (key, value.__class__, value) for key, value in said.items())


def _nothing(_: Any) -> Hashable:
    return None


# What two values that are equal may differ in, and are written differently for.
_KEYS: Mapping[type, Callable[[Any], Hashable]] = {
    Version: str,
    datetime: show_moment,
    PartlyKnown: lambda value: value.open,
    Signals: lambda value: value.open,
}
