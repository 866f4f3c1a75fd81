"""Facts that come together, kept once for all records that have them in common.

A log holds the same person, app, device and address again and again. Its records are therefore split: what belongs to
each of these is a *bundle*, and only what is each record's own (its moment, the ages of its methods) stays with it.
Not here: how a bundle's facts are found out (`completion`), and how bundles are stored.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from caddrel.core.facts.record import encoded

GROUPS = ("person", "app", "device", "network", "attempt", "signals")
# Facts that hardly any two records have in common.
OWN = frozenset({"time.at", "device.state_age", "device.listed_for", "auth.age"})
_PREFIXES = frozenset(GROUPS[:4])
# What a record says beside the values of its facts, and the group that it belongs to.
_BESIDE = {"app_title": "app", "app_listed": "app", "coordinates": "network", "lists": "network"}
_BESIDE |= {"open_signals": "signals", "open_groups": "person"}
_OWN_BESIDE = ("default_age", "live", "not_believed")
# What each attempt's own is of what a signal was compared with; the rest of it many have in common.
COMPARED = frozenset({"km", "seconds", "from", "of", "value", "seen_in", "back", "among", "count"})

# What is a record's own, and a bundle for each of `GROUPS`.
Split = tuple[dict[str, Any], tuple[bytes, ...]]


def group_of(fact: str) -> str:
    """Return the group that a fact belongs to; facts of a record's own are in none, which is an empty text."""
    if fact in OWN:
        return ""
    prefix = fact.partition(".")[0]
    return prefix if prefix in _PREFIXES else "signals" if fact == "signals" else "attempt"


def has_ages(methods: object) -> bool:
    """Tell whether methods as JSON carry ages; those are a record's own."""
    return type(methods) is dict or isinstance(methods, Mapping)


def split(document: Mapping[str, Any]) -> Split:
    """Return completed facts as JSON in two parts: what is the record's own, and a bundle for each group.

    Parameters
    ----------
    document
        As `record.facts_json` writes it. The reference is left out: it follows from the record's id.
    """
    own: dict[str, Any] = {}
    groups: dict[str, dict[str, Any]] = {group: {} for group in GROUPS}
    for fact, (origin, value) in document["values"].items():
        group = group_of(fact)
        if fact == "auth.methods" and has_ages(value):
            own[fact] = [origin, value]
            groups[group].setdefault("values", {})[fact] = [origin, sorted(value)]
            continue
        (groups[group].setdefault("values", {}) if group else own)[fact] = [origin, value]
    for name, group in _BESIDE.items():
        if name in document:
            groups[group][name] = document[name]
    for fact, said in document.get("not_understood", {}).items():
        # No fact of a closed list is a record's own.
        groups[group_of(fact)].setdefault("not_understood", {})[fact] = said
    beside = {name: document[name] for name in _OWN_BESIDE if document.get(name)}
    if document.get("noticed"):
        noticed = {name: _apart(found) for name, found in sorted(document["noticed"].items())}
        groups["signals"]["noticed"] = {name: shared for name, (shared, _) in noticed.items()}
        beside["noticed"] = [values for _, values in noticed.values()]
    return {"values": own, **beside}, tuple(encoded(groups[group]) for group in GROUPS)


def _apart(found: Mapping[str, Any]) -> tuple[dict[str, Any], list[Any]]:
    """Return what attempts have in common of what a signal came to, and the values of the rest, in order."""
    names = [name for name in found if name in COMPARED]
    shared = {name: value for name, value in found.items() if name not in COMPARED}
    return {**shared, "names": names}, [found[name] for name in names]


def _together(shared: Mapping[str, Any], values: Sequence[Any]) -> dict[str, Any]:
    common = {name: value for name, value in shared.items() if name != "names"}
    return {**common, **dict(zip(shared["names"], values, strict=True))}


def join(own: Mapping[str, Any], bundles: Sequence[Mapping[str, Any]], reference: str) -> dict[str, Any]:
    """Return completed facts as JSON, as they were before they were split.

    Parameters
    ----------
    bundles
        One for each of `GROUPS`, as JSON.
    """
    values: dict[str, Any] = {}
    found: dict[str, Any] = {"default_age": None, "live": False, "reference": reference, "lists": {}}
    strange: dict[str, Any] = {}
    for bundle in bundles:
        values.update(bundle.get("values", ()))
        strange.update(bundle.get("not_understood", ()))
        found.update((name, value) for name, value in bundle.items() if name not in {"values", "not_understood"})
    if strange:
        found["not_understood"] = dict(sorted(strange.items()))
    values.update(own["values"])
    # Records of older releases have all of it by themselves.
    if shared := found.pop("noticed", None):
        each = zip(sorted(shared.items()), own["noticed"], strict=True)
        own = {**own, "noticed": {name: _together(common, mine) for (name, common), mine in each}}
    return {**found, **own, "values": dict(sorted(values.items()))}
