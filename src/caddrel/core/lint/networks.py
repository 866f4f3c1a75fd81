"""Networks that are private, overlap, are enormous, or leave nothing over."""

from __future__ import annotations

import json
from ipaddress import ip_network

from caddrel.core.diagnostics import Change, Danger
from caddrel.core.facts.types import Network
from caddrel.core.lint.context import Context, Findings

PRIVATE, OVERLAPPING, ENORMOUS, EMPTIED = (
    "private-network",
    "overlapping-networks",
    "enormous-network",
    "emptied-place",
)
CODES: dict[str, Danger] = {
    PRIVATE: "somebody-gets-in",
    OVERLAPPING: "tidiness",
    ENORMOUS: "somebody-gets-in",
    EMPTIED: "somebody-gets-in",
}
# RFC 1918, RFC 6598, RFC 1122, RFC 3927; RFC 4193, RFC 4291. Documentation networks are not among them.
_PRIVATE = [
    ip_network(text)
    for text in (
        "10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16", "100.64.0.0/10", "127.0.0.0/8", "169.254.0.0/16",
        "fc00::/7", "fe80::/10", "::1/128",
    )
]  # fmt: skip
_WIDEST = {4: 8, 6: 20}


def check(context: Context) -> Findings:
    """Find networks that are not what a place should be made of."""
    for place in context.rulebook.places.values():
        path, networks = f"places.{place.id}", place.parts.networks
        for network in networks:
            if any(_within(network, private) for private in _PRIVATE):
                message = f"{network} is private: no attempt over the internet comes from it"
                hint = "use the address that the network has outside"
                yield context.finding(path, PRIVATE, message, hint, change=_without(path, networks, network))
            if network.prefixlen < _WIDEST[network.version]:
                message = f"{network} takes in {network.num_addresses:,} addresses"
                yield context.finding(path, ENORMOUS, message, "name the networks that are meant")
        for i, network in enumerate(networks[:500]):
            inside = next((other for other in networks[:i] if _overlap(network, other)), None)
            if inside is not None:
                message = f"{network} and {inside} overlap"
                narrower = max(network, inside, key=lambda n: n.prefixlen)
                change = _without(path, networks, narrower)
                yield context.finding(path, OVERLAPPING, message, "keep the wider one", change=change)
        left_out = place.without.networks
        only_networks = networks and not any(
            (place.parts.lists, place.parts.countries, place.parts.anonymisers, place.parts.asns, place.parts.places)
        )
        if only_networks and left_out and all(any(_within(n, out) for out in left_out) for n in networks):
            message = f"`without` leaves nothing of `{place.id}`: it never matches"
            yield context.finding(path, EMPTIED, message, "leave less out")


def _without(path: str, networks: tuple[Network, ...], network: Network) -> Change | None:
    """Return the change that takes one network out, unless no other would be left."""
    kept = [str(n) for n in networks if n is not network]
    return Change(f"{path}.networks", json.dumps(kept)) if kept else None


def _within(network: Network, other: Network) -> bool:
    return network.version == other.version and network.subnet_of(other)  # type: ignore[arg-type]


def _overlap(network: Network, other: Network) -> bool:
    return network.version == other.version and network.overlaps(other)
