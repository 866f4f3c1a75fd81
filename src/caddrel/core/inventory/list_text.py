"""Address lists as others publish them: a network a line, or JSON; and whether one has grown beyond belief."""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence

from caddrel.core.diagnostics import shorten
from caddrel.core.inventory.address_lists import AddressList, Span, read_span

# Beside what was there: a list ten times as long, and longer than a first one, is rather a mistake.
GROWTH, SHORT = 10, 1_000
# The share of all addresses, of IPv4 and of IPv6, from which on a list is looked at by somebody.
WIDE = 1 / 64


class ListRefused(Exception):
    """A text cannot be read as an address list; says where and why."""


def read_networks(text: str) -> list[str]:
    """Return the networks that a text holds, as they are written there, each once.

    One stands on a line, and what follows ``#``, ``;`` or a space is a remark; or the text is JSON: an array, or an
    object with ``networks``.

    Raises
    ------
    ListRefused
        When a line is none: a list of which a part is not understood is not taken.
    """
    found = _of_json(text) if text.lstrip()[:1] in {"[", "{"} else _of_lines(text)
    networks: dict[str, None] = {}
    for place, network in found:
        try:
            read_span(network)
        except ValueError as error:
            problem = "has host bits set" if "host bits" in str(error) else "is not a network"
            raise ListRefused(f"{place}: `{shorten(network)}` {problem}, such as 192.0.2.0/24") from None
        networks[network] = None
    return list(networks)


def _of_lines(text: str) -> Iterator[tuple[str, str]]:
    for number, line in enumerate(text.splitlines(), 1):
        parts = line.replace("#", " # ").replace(";", " ; ").split()
        if parts and parts[0] not in {"#", ";"}:
            yield f"line {number}", parts[0]


def _of_json(text: str) -> Iterator[tuple[str, str]]:
    try:
        document = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise ListRefused(f"it begins like JSON, and is none: {str(error)[:200]}") from None
    items = document.get("networks") if isinstance(document, dict) else document
    if not isinstance(items, list):
        raise ListRefused("JSON is an array of networks, or an object with `networks`")
    for number, item in enumerate(items):
        if not isinstance(item, str):
            raise ListRefused(f"networks[{number}]: `{shorten(str(item))}` is not a network, such as 192.0.2.0/24")
        yield f"networks[{number}]", item


def beyond_belief(networks: Sequence[str], before: AddressList | None) -> str:
    """Return the reason for holding a new list back for a second look; empty when it can count at once.

    Parameters
    ----------
    before
        The list as it is; None where there is none yet.
    """
    spans: dict[int, list[Span]] = {4: [], 6: []}
    for network in networks:
        version, span = read_span(network)
        spans[version].append(span)
    made = AddressList.of_spans("it", "", spans[4], spans[6])
    if before is not None and len(before) and not len(made):
        return f"it is empty now, and held {len(before)} networks"
    if before is not None and len(before) and len(made) > max(SHORT, GROWTH * len(before)):
        return f"it holds {len(made)} networks now, and held {len(before)}"
    for version, bits in ((4, 32), (6, 128)):
        share = made.size(version) / 2**bits
        was = before.size(version) / 2**bits if before is not None else 0.0
        if share >= WIDE and share > 2 * was:
            return f"it holds {share:.0%} of all IPv{version} addresses"
    return ""
