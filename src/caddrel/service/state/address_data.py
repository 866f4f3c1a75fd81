"""What is known about addresses: country, city, autonomous system and anonymisers, from MaxMind DB files.

The files are opened once and read in memory-mapped form; several are asked in turn, the first that knows a fact wins.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from ipaddress import IPv4Address, IPv6Address
from itertools import islice
from pathlib import Path
from typing import Any

import maxminddb

from caddrel.core.facts.catalogue import FACTS
from caddrel.core.facts.facts import AddressRecord
from caddrel.core.facts.types import Address, Network
from caddrel.core.facts.values import LONGEST_TEXT, read_told

MOST_REMEMBERED = 50_000
# Flags of an anonymiser record, the most telling first.
_ANONYMISERS = (
    ("is_tor_exit_node", "tor"),
    ("is_anonymous_vpn", "vpn"),
    ("is_public_proxy", "proxy"),
    ("is_residential_proxy", "proxy"),
    ("is_relay", "relay"),
)


class AddressFileRefused(Exception):
    """A file that is not a MaxMind DB file, or is damaged."""


class AddressData:
    """Looks addresses up; made to be handed to completion.

    Parameters
    ----------
    paths
        MaxMind DB files.

    Attributes
    ----------
    paths
        Those files.

    Raises
    ------
    AddressFileRefused
        When one of them cannot be read.
    """

    def __init__(self, paths: Iterable[Path]) -> None:
        self.paths = list(paths)
        self._readers = [_open(path) for path in self.paths]
        self._known: dict[Address, AddressRecord] = {}
        self._edges: tuple[int, list[Address], bool] | None = None

    @property
    def count(self) -> int:
        """How many files are read."""
        return len(self._readers)

    def __call__(self, address: Address) -> AddressRecord:
        """Return what is known about an address; nothing for one that no file has."""
        found = self._known.get(address)
        if found is None:
            if len(self._known) >= MOST_REMEMBERED:
                self._known.clear()
            found = self._known[address] = self._look_up(address)
        return found

    def _look_up(self, address: Address) -> AddressRecord:
        found: dict[str, Any] = {}
        coordinates: tuple[float, float] | None = None
        for reader in self._readers:
            if address.version > reader.metadata().ip_version and address.version == 6:
                continue
            record = reader.get(str(address))
            if isinstance(record, dict):
                found = {**_facts(record), **found}
                coordinates = coordinates or _coordinates(record)
        strange: dict[str, Any] = {}
        for name, said in list(found.items()):
            value, on_no_list = read_told(FACTS[name], said)
            if on_no_list is None and value is not None:
                found[name] = value
            else:
                # A country that is none is not known; and nothing is assumed in its place.
                strange[name] = found.pop(name)
        return AddressRecord(found, coordinates, strange)

    def edges(self, most: int) -> tuple[list[Address], bool]:
        """Return the first address of every network in the files and the first behind it, and whether that is all.

        Parameters
        ----------
        most
            Of so many networks at most.
        """
        if self._edges is None or self._edges[0] != most:
            networks = (network for reader in self._readers for network, _ in reader)
            found = list(islice(networks, most + 1))
            edges = (edge for network in found[:most] for edge in _edges(network))
            self._edges = most, list(dict.fromkeys(edges)), len(found) <= most
        return self._edges[1], self._edges[2]

    def close(self) -> None:
        """Close the files."""
        for reader in self._readers:
            reader.close()


def _edges(network: Network) -> Iterator[Address]:
    for number in (int(network.network_address), int(network.broadcast_address) + 1):
        # Files of both families hold IPv4 networks among the IPv6 ones.
        small = network.version == 4 or number < 1 << 32
        if number < 1 << network.max_prefixlen:
            yield IPv4Address(number) if small else IPv6Address(number)


def _open(path: Path) -> maxminddb.Reader:
    try:
        return maxminddb.open_database(path)
    except (maxminddb.InvalidDatabaseError, ValueError, OSError) as error:
        reason = getattr(error, "strerror", None) or str(error)
        raise AddressFileRefused(f"{path}: not a readable MaxMind DB file: {reason}") from None


def _facts(record: Mapping[str, Any]) -> dict[str, Any]:
    """Return the facts in one record, as JSON; whatever has another shape than the format's own is passed over."""
    found: dict[str, Any] = {}
    country = _inner(record, "country", "iso_code")
    if isinstance(country, str) and country:
        found["network.country"] = country
    city = _inner(record, "city", "names", "en")
    if isinstance(city, str) and 0 < len(city) <= LONGEST_TEXT:
        found["network.city"] = city
    number = record.get("autonomous_system_number")
    if isinstance(number, int) and not isinstance(number, bool) and 0 <= number < 1 << 32:
        found["network.asn"] = number
    flags = {**record, **(_inner(record, "traits") or {})}
    if any(name.startswith("is_") for name in flags):
        found["network.anonymiser"] = next((word for name, word in _ANONYMISERS if flags.get(name) is True), "none")
    return found


def _coordinates(record: Mapping[str, Any]) -> tuple[float, float] | None:
    latitude, longitude = _inner(record, "location", "latitude"), _inner(record, "location", "longitude")
    if not isinstance(latitude, int | float) or not isinstance(longitude, int | float):
        return None
    return (latitude, longitude) if abs(latitude) <= 90 and abs(longitude) <= 180 else None


def _inner(record: Mapping[str, Any], *keys: str) -> Any:
    value: Any = record
    for key in keys:
        value = value.get(key) if isinstance(value, Mapping) else None
    return value
