"""The networks that people at Kelpline sign in from, as the door sees them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field


@dataclass(frozen=True, slots=True)
class Network:
    """A network: its name, and the facts that a door reports of it."""

    title: str
    facts: Mapping[str, str | int] = field(default_factory=dict)


NETWORKS: dict[str, Network] = {
    "satellite": Network("On board, satellite link", {"ip": "198.51.100.90"}),
    "head-office": Network("Head office", {"ip": "192.0.2.12"}),
    "nordkai": Network("Nordkai terminal", {"ip": "192.0.2.83"}),
    "havnarvik": Network("Havnarvík terminal", {"ip": "192.0.2.67"}),
    "shipyard": Network("Shipyard", {"ip": "198.51.100.141"}),
    "home": Network("At home", {"ip": "203.0.113.188"}),
    "quay": Network("A café on the quay", {"ip": "203.0.113.77"}),
    "hotel": Network("A hotel abroad", {"ip": "203.0.113.201"}),
    "hidden": Network(
        "Through an anonymiser", {"ip": "198.51.100.203", "country": "RO", "asn": 64511, "anonymiser": "tor"}
    ),
}
CLIENTS = {"browser": "Browser", "native": "App", "legacy": "Old mail program"}
CLIENT_FACTS: dict[str, Mapping[str, str]] = {
    "browser": {"kind": "browser", "name": "Seabird", "version": "132.0"},
    "native": {"kind": "native", "name": "Kelpline", "version": "4.2"},
    "legacy": {"kind": "legacy", "name": "Postbag", "version": "3.1"},
}
RISKS = ("none", "low", "medium", "high")
