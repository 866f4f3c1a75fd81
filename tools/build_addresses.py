"""Builds the demo's address data: made-up facts about the documentation addresses of RFC 5737 and RFC 3849."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from mmdb_writer import MMDBWriter
from netaddr import IPSet

TARGET = Path(__file__).parent.parent / "src" / "caddrel" / "demo" / "addresses.mmdb"


# Made-up ports, so far apart as ports on these coasts are.
CITIES = {
    "Havnarvík": (64.2, -14.0),
    "Nordkai": (60.9, 4.9),
    "Sundby": (62.1, -6.9),
    "Norrvik": (61.2, 5.3),
    "Lagos": (37.1, -8.7),
}


def record(country: str, city: str, number: int, hidden: str = "") -> dict[str, Any]:
    """Return one record in the field names of the format."""
    found: dict[str, Any] = {"autonomous_system_number": number}
    if country:
        found["country"] = {"iso_code": country}
    if city:
        found["city"] = {"names": {"en": city}}
        latitude, longitude = CITIES[city]
        found["location"] = {"latitude": latitude, "longitude": longitude}
    found["traits"] = {"is_anonymous": bool(hidden), **({f"is_{hidden}": True} if hidden else {})}
    return found


TABLE = {
    "192.0.2.0/26": record("IS", "Havnarvík", 64496),
    "2001:db8:10::/48": record("IS", "Havnarvík", 64496),
    "192.0.2.64/28": record("IS", "Havnarvík", 64496),
    "192.0.2.80/28": record("NO", "Nordkai", 64496),
    "192.0.2.96/28": record("FO", "Sundby", 64496),
    # The satellite link: at sea there is no country.
    "198.51.100.64/26": record("", "", 64500),
    "198.51.100.128/27": record("NO", "Norrvik", 64504),
    "198.51.100.200/29": record("RO", "", 64511, "tor_exit_node"),
    "203.0.113.0/26": record("IS", "Havnarvík", 64501),
    "203.0.113.64/26": record("NO", "Nordkai", 64502),
    "203.0.113.128/27": record("FO", "Sundby", 64503),
    "203.0.113.160/27": record("IS", "Havnarvík", 64501),
    "203.0.113.192/28": record("PT", "Lagos", 64505),
}


def main() -> None:
    """Write the file."""
    writer = MMDBWriter(
        ip_version=6, ipv4_compatible=True, database_type="Kelpline-Addresses", description="Made up for the demo"
    )
    for network, facts in TABLE.items():
        writer.insert_network(IPSet([network]), facts)
    writer.to_db_file(str(TARGET))


if __name__ == "__main__":
    main()
