"""Address lists: networks kept in the inventory, read quickly and asked in logarithmic time.

A list may have a million entries, so networks are spans of numbers, never an object each.
"""

from __future__ import annotations

import ipaddress
from array import array
from bisect import bisect_right
from collections.abc import Iterable, Iterator, Sequence
from ipaddress import IPv4Address, IPv6Address
from itertools import islice

from caddrel.core.facts.types import Address, Network

_OCTETS = {str(n): n for n in range(256)}
_PREFIXES = {str(n): n for n in range(33)}
Span = tuple[int, int]


class AddressList:
    """Networks by id; `address in list` tells whether any of them holds an address."""

    def __init__(self, id: str, networks: Iterable[Network], title: str = "") -> None:
        spans: dict[int, list[Span]] = {4: [], 6: []}
        for network in networks:
            spans[network.version].append((int(network.network_address), int(network.broadcast_address)))
        self._fill(id, title, spans[4], spans[6])

    @classmethod
    def of_spans(cls, id: str, title: str, four: list[Span], six: list[Span]) -> AddressList:
        """Return the list of IPv4 and IPv6 spans, first and last address as numbers."""
        made = cls.__new__(cls)
        made._fill(id, title, four, six)  # noqa: SLF001 - its own
        return made

    def _fill(self, id: str, title: str, four: list[Span], six: list[Span]) -> None:
        self.id = id
        self.title = title
        starts, ends = _joined(four)
        self._four = array("Q", starts), array("Q", ends)
        # IPv6 addresses do not fit into machine words.
        self._six = _joined(six)

    def __contains__(self, address: Address) -> bool:
        starts, ends = self._four if address.version == 4 else self._six
        number = int(address)
        at = bisect_right(starts, number) - 1
        return at >= 0 and number <= ends[at]

    def __len__(self) -> int:
        return len(self._four[0]) + len(self._six[0])

    def size(self, version: int) -> int:
        """Return how many addresses of an IP version it holds."""
        starts, ends = self._four if version == 4 else self._six
        return sum(ends) - sum(starts) + len(starts)

    def edges(self, most: int) -> Iterator[Address]:
        """Yield the first address of its spans and the first behind each, of at most so many spans."""
        for kind, (starts, ends) in ((IPv4Address, self._four), (IPv6Address, self._six)):
            last = (1 << (32 if kind is IPv4Address else 128)) - 1
            for start, end in islice(zip(starts, ends, strict=True), most):
                yield kind(start)
                if end < last:
                    yield kind(end + 1)


def _joined(spans: list[Span]) -> tuple[Sequence[int], Sequence[int]]:
    """Return starts and ends of spans that neither overlap nor touch, in order."""
    spans.sort()
    starts: list[int] = []
    ends: list[int] = []
    last = -2
    for start, end in spans:
        if start > last + 1:
            starts.append(start)
            ends.append(end)
            last = end
        elif end > last:
            ends[-1] = last = end
    return starts, ends


def read_span(text: str) -> tuple[int, Span]:
    """Return the IP version of a network or address, and its first and last address as numbers.

    Raises
    ------
    ValueError
        When it is no network, or has host bits set.
    """
    address, slash, width = text.partition("/")
    parts = address.split(".")
    prefix = _PREFIXES.get(width) if slash else 32
    if len(parts) == 4 and prefix is not None:
        try:
            a, b, c, d = (_OCTETS[part] for part in parts)
        except KeyError:
            pass
        else:
            start = a << 24 | b << 16 | c << 8 | d
            rest = (1 << (32 - prefix)) - 1
            if not start & rest:
                return 4, (start, start | rest)
    network = ipaddress.ip_network(text)
    return network.version, (int(network.network_address), int(network.broadcast_address))
