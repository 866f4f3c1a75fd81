"""Reading places."""

from __future__ import annotations

from collections.abc import Iterable
from ipaddress import ip_network
from typing import Any

from caddrel.core.diagnostics import shorten
from caddrel.core.facts.catalogue import (
    FACTS,
)
from caddrel.core.facts.types import Network
from caddrel.core.facts.values import ValueRefused
from caddrel.core.rulebook.model import (
    Place,
    PlaceParts,
)
from caddrel.core.rulebook.read.fields import Fields, Reading, section_objects
from caddrel.core.rulebook.source import Mapping, Node

DEEPEST_PARTS = 20


_PLACE_KEYS = ("networks", "lists", "countries", "anonymisers", "asns", "places")


def read_network(text: str) -> Network:
    """Return a network in CIDR notation; a lone address is the network of itself.

    Raises
    ------
    ValueRefused
        When it is no network, or has host bits set; the hint names the network meant.
    """
    try:
        if len(text) > 60 or "%" in text:
            raise ValueError
        loose = ip_network(text, strict=False)
    except ValueError:
        raise ValueRefused(f'"{shorten(text)}"', "a network such as 192.0.2.0/24 or 2001:db8::/32") from None
    if "/" in text and text.partition("/")[0].strip() and loose != _strict(text):
        raise ValueRefused(f'"{shorten(text)}"', f"a network: it has host bits set; did you mean {loose}?")
    return loose


def _strict(text: str) -> Network | None:
    try:
        return ip_network(text)
    except ValueError:
        return None


def _asn(text: str) -> int:
    digits = text.removeprefix("AS") if text.startswith("AS") else text
    if not (digits.isascii() and digits.isdigit() and len(digits) <= 10 and int(digits) < 2**32):
        raise ValueRefused(f'"{shorten(text)}"', "the number of an autonomous system such as 64500")
    return int(digits)


def _word(fact: str) -> Any:
    words = FACTS[fact].words

    def parse(text: str) -> str:
        if text not in words:
            listed = "a country code of ISO 3166-1 such as NO" if len(words) > 12 else f"one of {', '.join(words)}"
            raise ValueRefused(f'"{shorten(text)}"', listed, words)
        return text

    return parse


def _place_parts(fields: Fields) -> PlaceParts:
    return PlaceParts(
        networks=fields.list("networks", read_network),
        lists=fields.list("lists", str),
        countries=fields.list("countries", _word("network.country")),
        anonymisers=fields.list("anonymisers", _word("network.anonymiser")),
        asns=fields.list("asns", _asn),
        places=fields.refs("places", "places", "place"),
    )


def read_places(reading: Reading, document: Mapping) -> dict[str, Place]:
    """Return the places; one that contains itself, or has no part, is refused."""
    found, nodes = {}, {}
    for name, node, path in section_objects(reading, document, "places", "place"):
        before = len(reading.problems)
        fields = Fields(reading, node, path, (*_PLACE_KEYS, "without"), "place")
        parts = _place_parts(fields)
        without = PlaceParts()
        if "without" in fields.values:
            known = ("networks", "lists", "countries", "places")
            without = _place_parts(Fields(reading, fields.values["without"], f"{path}.without", known, "`without`"))
        if not parts and len(reading.problems) == before:
            hint = f"give it at least one of {', '.join(_PLACE_KEYS)}"
            reading.say(node, path, "empty-place", f"the place `{name}` has no part", hint)
        found[name] = Place(name, fields.text("title"), fields.text("note"), parts, without)
        nodes[name] = node
    refs = {name: (*place.parts.places, *place.without.places) for name, place in found.items()}
    refuse_circles(reading, refs, nodes, "places", "place", "contains")
    return found


def refuse_circles(
    reading: Reading,
    refs: dict[str, tuple[str, ...]],
    nodes: dict[str, Node],
    section: str,
    word: str,
    verb: str,
) -> None:
    """Report every object that refers to itself, directly or through others, and chains nobody can follow."""
    depth: dict[str, int] = {}
    for start, named in refs.items():
        # Depth first with a stack of our own: a chain of ten thousand places must not exhaust Python's.
        stack: list[tuple[str, Iterable[str]]] = [(start, iter(named))] if start not in depth else []
        trail = [start]
        while stack:
            name, rest = stack[-1]
            child = next(iter(rest), None)
            if child is None:
                stack.pop()
                trail.pop()
                depth[name] = 1 + max((depth.get(c, 0) for c in refs[name]), default=0)
            elif child in trail:
                circle = [*trail[trail.index(child) :], child]
                shown = " → ".join(circle if len(circle) <= 8 else [*circle[:4], "…", *circle[-3:]])
                message = f"the {word} `{name}` {verb} itself: {shown}"
                reading.say(nodes[name], f"{section}.{name}", "circle", message, f"take `{child}` out of `{name}`")
            elif child in refs and child not in depth:
                stack.append((child, iter(refs[child])))
                trail.append(child)
    for name, deep in depth.items():
        if deep > DEEPEST_PARTS:
            message = f"the {word} `{name}` goes through {deep} others, one within the next; at most {DEEPEST_PARTS}"
            reading.say(nodes[name], f"{section}.{name}", "too-deep", message)
