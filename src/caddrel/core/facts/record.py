"""Completed facts as JSON and back, so that a decision can be recomputed later from its record alone."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from caddrel.core.facts.catalogue import Catalogue, FactSpec
from caddrel.core.facts.facts import Facts, Origin
from caddrel.core.facts.types import Address, PartlyKnown, PartlyRead, Signals, Value
from caddrel.core.facts.values import ValueRefused, read_told, to_json

# Plain texts: those of an enumeration are slow to ask for.
_WORDS = {origin: origin.value for origin in Origin}


@dataclass(frozen=True, slots=True)
class RecordedList:
    """An address list as it was: it held the attempt's address, or it did not."""

    held: bool

    def __contains__(self, address: object) -> bool:
        return self.held


def facts_json(facts: Facts, lists: Iterable[str]) -> dict[str, Any]:
    """Return completed facts with their origins, and which of the named address lists held the address."""
    address: Address | None = facts.values.get("network.ip")  # type: ignore[assignment]
    held = {name: address in facts.lists[name] for name in lists if address is not None and name in facts.lists}
    return {
        "values": {name: [_WORDS[facts.origins[name]], to_json(value)] for name, value in sorted(facts.values.items())},
        "default_age": facts.default_age,
        "live": facts.live,
        "app_listed": facts.app_listed,
        "app_title": facts.app_title,
        "lists": held,
        **_open_json(facts),
        **_not_understood_json(facts),
        **({"not_believed": dict(facts.not_believed)} if facts.not_believed else {}),
        "reference": facts.reference,
    }


# Under which name a record keeps the ids of a set that are not known.
OPEN = {"signals": "open_signals", "person.groups": "open_groups"}


def _open_json(facts: Facts) -> dict[str, Any]:
    """Return where the attempt was on earth, what is not known of sets, and what each signal was compared with."""
    found: dict[str, Any] = {}
    if facts.coordinates is not None:
        found["coordinates"] = list(facts.coordinates)
    for name, key in OPEN.items():
        held = facts.values.get(name)
        if isinstance(held, PartlyKnown) and held.open:
            found[key] = sorted(held.open)
    if facts.noticed:
        found["noticed"] = dict(facts.noticed)
    return found


def _not_understood_json(facts: Facts) -> dict[str, Any]:
    """Return what was reported and is on no list, with who reported it."""
    if not facts.not_understood:
        return {}
    said = sorted(facts.not_understood.items())
    return {"not_understood": {name: [_WORDS[facts.origins[name]], what] for name, what in said}}


def value_from_json(spec: FactSpec, held: Mapping[str, Any]) -> tuple[Value | None, Any]:
    """Return the value that a record, or a bundle of it, holds of a fact, None while unknown; and what is on no list.

    Records of earlier releases hold words as they were said: they are read as any log is.

    Parameters
    ----------
    held
        As JSON: `values`, and beside them what is open or not understood.

    Raises
    ------
    ValueRefused
        When the catalogue knows the fact in another type.
    """
    value, said = read_told(spec, held["values"][spec.name][1])
    kept = held.get("not_understood", {}).get(spec.name)
    if kept is not None and said is None:
        said = kept[1]
        if isinstance(value, dict):
            value = PartlyRead(value)
    key = OPEN.get(spec.name)
    if key is not None and held.get(key) and isinstance(value, frozenset):
        kind = Signals if spec.name == "signals" else PartlyKnown
        value = kind(value, held[key])
    return value, said


def signals_document(signals: Signals, noticed: Mapping[str, Any]) -> bytes:
    """Return the bundle of signals that have been worked out.

    Parameters
    ----------
    noticed
        By name what attempts have in common for which each came out in the same way, and the names of the rest.
    """
    document: dict[str, Any] = {"values": {"signals": [Origin.COMPUTED.value, sorted(signals)]}, "noticed": noticed}
    if signals.open:
        document["open_signals"] = sorted(signals.open)
    return encoded(document)


def facts_from_json(document: Mapping[str, Any], catalogue: Catalogue) -> Facts:
    """Return the facts of a record; those that the catalogue no longer knows in that type are left out."""
    facts = Facts(
        {},
        {},
        default_age=document.get("default_age"),
        live=bool(document.get("live")),
        app_listed=bool(document.get("app_listed", True)),
        app_title=str(document.get("app_title", "")),
        reference=str(document.get("reference", "")),
        lists={name: RecordedList(held) for name, held in document.get("lists", {}).items()},
    )
    strange: dict[str, Any] = {}
    for name, (origin, _) in document["values"].items():
        spec = catalogue.get(name)
        if spec is None:
            continue
        try:
            value, said = value_from_json(spec, document)
        except ValueRefused:
            continue
        facts.origins[name] = Origin(origin)
        if value is not None:
            facts.values[name] = value
        if said is not None:
            strange[name] = said
    for name, (origin, said) in document.get("not_understood", {}).items():
        if name in catalogue and name not in strange:
            strange[name], facts.origins[name] = said, Origin(origin)
    facts.not_understood = strange
    at = document.get("coordinates")
    facts.coordinates = (at[0], at[1]) if at else None
    facts.noticed = document.get("noticed", {})
    facts.not_believed = document.get("not_believed", {})
    return facts


# Made once: `json.dumps` makes one for each document that is not encoded its usual way.
_ENCODER = json.JSONEncoder(ensure_ascii=False, sort_keys=True, separators=(",", ":"))


def encoded(document: Mapping[str, Any]) -> bytes:
    """Return a document as the same bytes every time."""
    return _ENCODER.encode(document).encode()
