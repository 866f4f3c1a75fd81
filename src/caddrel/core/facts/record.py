"""Completed facts as JSON and back, so that a decision can be recomputed later from its record alone."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from caddrel.core.facts.bundles import encoded
from caddrel.core.facts.catalogue import Catalogue
from caddrel.core.facts.completion import Facts, Origin
from caddrel.core.facts.types import Address, Signals
from caddrel.core.facts.values import ValueRefused, read_reported, to_json

# Plain texts: those of an enumeration are slow to ask for.
_WORDS = {origin: origin.value for origin in Origin}


class RecordedList:
    """An address list as it was: it held the attempt's address, or it did not."""

    def __init__(self, held: bool) -> None:
        self.held = held

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
        **_signals_json(facts),
        **({"not_believed": dict(facts.not_believed)} if facts.not_believed else {}),
        "reference": facts.reference,
    }


def _signals_json(facts: Facts) -> dict[str, Any]:
    """Return where the attempt was on earth, and the signals that are not known with what each was compared with."""
    found: dict[str, Any] = {}
    if facts.coordinates is not None:
        found["coordinates"] = list(facts.coordinates)
    signals = facts.values.get("signals")
    if isinstance(signals, Signals) and signals.open:
        found["open_signals"] = sorted(signals.open)
    if facts.noticed:
        found["noticed"] = dict(facts.noticed)
    return found


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
    for name, (origin, value) in document["values"].items():
        spec = catalogue.get(name)
        if spec is None:
            continue
        try:
            facts.values[name] = read_reported(spec, value)
        except ValueRefused:
            continue
        facts.origins[name] = Origin(origin)
    at = document.get("coordinates")
    facts.coordinates = (at[0], at[1]) if at else None
    facts.noticed = document.get("noticed", {})
    facts.not_believed = document.get("not_believed", {})
    fired = facts.values.get("signals")
    if isinstance(fired, frozenset) and document.get("open_signals"):
        facts.values["signals"] = Signals(fired, document["open_signals"])
    return facts
