"""Reading the named parts: attributes, apps, places, standards, schedules, proofs, notices."""

from __future__ import annotations

import re
from collections.abc import Iterable
from datetime import date
from functools import cache
from ipaddress import ip_network
from typing import Any
from zoneinfo import ZoneInfo, available_timezones

from caddrel.core.diagnostics import shorten
from caddrel.core.facts.catalogue import (
    ATTRIBUTE_NAME,
    ATTRIBUTE_TYPES,
    FACTS,
    METHODS,
    Catalogue,
    FactSpec,
    attribute_spec,
)
from caddrel.core.facts.types import FactType, Network
from caddrel.core.facts.values import ValueRefused
from caddrel.core.language.nodes import And
from caddrel.core.rulebook.fields import Fields, Reading, one_of, section_objects
from caddrel.core.rulebook.model import (
    STANCES,
    AppEntry,
    Check,
    Notice,
    Place,
    PlaceParts,
    Proof,
    Schedule,
    Standard,
    Window,
)
from caddrel.core.rulebook.source import Mapping, Node, Sequence, span_of

DEEPEST_PARTS = 20
DAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
_WINDOW = re.compile(r"([0-9]{2}):([0-9]{2})-([0-9]{2}):([0-9]{2})")
_DATE = re.compile(r"[0-9]{4}-[0-9]{2}-[0-9]{2}")
_PLACE_KEYS = ("networks", "lists", "countries", "anonymisers", "asns", "places")


def read_attributes(reading: Reading, document: Mapping) -> Catalogue:
    """Return the catalogue with the facts that the rulebook declares."""
    node = document.get("attributes")
    specs: dict[str, FactSpec] = {}
    if node is None:
        return Catalogue()
    if not isinstance(node, Mapping):
        reading.say(node, "attributes", "wrong-type", "`attributes` maps fact names to types")
        return Catalogue()
    types = {t.value: t for t in ATTRIBUTE_TYPES}
    for entry in node.entries:
        name, path = entry.key.text, f"attributes.{shorten(entry.key.text)}"
        reading.spans[f"attributes.{name}"] = span_of(entry.key)
        if ATTRIBUTE_NAME.fullmatch(name) is None:
            hint = "such as person.attributes.clearance, device.attributes.… or app.attributes.…"
            reading.say(entry.key, path, "bad-attribute", f"`{shorten(name)}` is not the name of an attribute", hint)
            continue
        kind = reading.parsed(entry.value, path, lambda text: one_of(text, tuple(types)))
        # A known name with a wrong type still counts as declared: one mistake, one finding.
        specs[name] = attribute_spec(name, types[kind] if kind else FactType.TEXT)
    return Catalogue(specs)


def read_apps(reading: Reading, document: Mapping) -> dict[str, AppEntry]:
    """Return what the rulebook says about apps."""
    found = {}
    for name, node, path in section_objects(reading, document, "apps", "app"):
        fields = Fields(reading, node, path, ("stance",), "app")
        stance = fields.choice("stance", STANCES, "") or None
        found[name] = AppEntry(name, fields.text("title"), fields.text("note"), stance)
    return found


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


def read_standards(reading: Reading, document: Mapping) -> dict[str, Standard]:
    """Return the device standards; one without checks, or in a circle, is refused."""
    from caddrel.core.language.nodes import Passes, tests_of

    found, refs, nodes = {}, {}, {}
    for name, node, path in section_objects(reading, document, "standards", "standard"):
        fields = Fields(reading, node, path, ("checks",), "standard")
        checks_node = fields.need("checks", "at least one check, with `must` and `fix`")
        checks = _checks(reading, checks_node, f"{path}.checks") if checks_node is not None else []
        found[name] = Standard(name, fields.text("title"), fields.text("note"), tuple(checks))
        refs[name] = tuple(
            test.standard.text for check in checks for test in tests_of(check.must) if isinstance(test, Passes)
        )
        nodes[name] = node
    refuse_circles(reading, refs, nodes, "standards", "standard", "asks for")
    return found


def _checks(reading: Reading, node: Node, path: str) -> list[Check]:
    if not isinstance(node, Mapping) or not node.entries:
        message = "`checks` maps ids to a check each, at least one"
        reading.say(node, path, "wrong-type", message, "such as encrypted: {must: device.encrypted}")
        return []
    found = []
    for entry in node.entries:
        check_path = f"{path}.{shorten(entry.key.text)}"
        if not reading.id_ok(entry.key, check_path, "check"):
            continue
        fields = Fields(reading, entry.value, check_path, ("must", "fix"), "check")
        must = fields.need("must", "the condition that must hold")
        tree = reading.condition(must, f"{check_path}.must") if must is not None else None
        found.append(Check(entry.key.text, tree or And(()), fields.text("title"), fields.text("fix", longest=500)))
    return found


def read_window(text: str) -> Window:
    """Return the window that a text such as ``08:00-12:00`` stands for."""
    match = _WINDOW.fullmatch(text.replace(" ", ""))
    if match is None:
        raise ValueRefused(f'"{shorten(text)}"', "a window such as 08:00-12:00")
    h1, m1, h2, m2 = (int(part) for part in match.groups())
    if h1 > 23 or m1 > 59 or m2 > 59 or h2 > 24 or (h2 == 24 and m2):
        raise ValueRefused(f'"{shorten(text)}"', "a window between 00:00 and 24:00")
    return Window(h1 * 60 + m1, h2 * 60 + m2)


def read_date(text: str) -> date:
    """Return a date written as 2027-01-31."""
    try:
        if _DATE.fullmatch(text) is None:
            raise ValueError
        return date.fromisoformat(text)
    except ValueError:
        raise ValueRefused(f'"{shorten(text)}"', "a date such as 2027-01-31") from None


def _days(text: str) -> list[int]:
    first, dash, last = text.partition("-")
    for day in (first, last) if dash else (first,):
        if day not in DAYS:
            raise ValueRefused(f'"{shorten(text)}"', f"a day or a range such as mon-fri ({', '.join(DAYS)})", DAYS)
    start = DAYS.index(first)
    length = (DAYS.index(last) - start) % 7 + 1 if dash else 1
    return [(start + i) % 7 for i in range(length)]


@cache
def _zones() -> frozenset[str]:
    # Looking through all the files takes tens of milliseconds; what is installed stays while the process runs.
    return frozenset(available_timezones())


def _zone(text: str) -> ZoneInfo:
    zones = _zones()
    if text not in zones:
        raise ValueRefused(f'"{shorten(text)}"', "an IANA time zone such as Atlantic/Reykjavik", tuple(sorted(zones)))
    return ZoneInfo(text)


def read_schedules(reading: Reading, document: Mapping) -> dict[str, Schedule]:
    """Return the schedules."""
    found = {}
    for name, node, path in section_objects(reading, document, "schedules", "schedule"):
        fields = Fields(reading, node, path, ("zone", "hours", "closed", "open"), "schedule")
        fields.need("zone", "such as zone: Atlantic/Reykjavik")
        zone = fields.parsed("zone", _zone)
        week = _week(fields)
        closed = frozenset(fields.list("closed", read_date))
        opened = _open_dates(fields)
        if zone is not None:
            found[name] = Schedule(name, fields.text("title"), fields.text("note"), zone, week, closed, opened)
    return found


def _windows(reading: Reading, node: Node, path: str) -> tuple[Window, ...]:
    found = (reading.parsed(item, at, read_window) for item, at in reading.items(node, path))
    return tuple(window for window in found if window is not None)


def _week(fields: Fields) -> tuple[tuple[Window, ...], ...]:
    week: list[list[Window]] = [[] for _ in DAYS]
    node = fields.values.get("hours")
    if isinstance(node, Mapping):
        for entry in node.entries:
            path = f"{fields.at('hours')}.{shorten(entry.key.text)}"
            windows = _windows(fields.reading, entry.value, path)
            for day in fields.reading.parsed(entry.key, path, _days) or ():
                week[day].extend(windows)
    elif node is not None:
        hint = 'such as mon-fri: ["07:00-19:00"]'
        fields.reading.say(node, fields.at("hours"), "wrong-type", "`hours` maps days to windows", hint)
    return tuple(tuple(day) for day in week)


def _open_dates(fields: Fields) -> dict[date, tuple[Window, ...]]:
    found: dict[date, tuple[Window, ...]] = {}
    node = fields.values.get("open")
    if isinstance(node, Mapping):
        for entry in node.entries:
            path = f"{fields.at('open')}.{shorten(entry.key.text)}"
            day = fields.reading.parsed(entry.key, path, read_date)
            windows = _windows(fields.reading, entry.value, path)
            if day is not None:
                found[day] = windows
    elif node is not None:
        hint = 'such as 2027-01-02: ["10:00-14:00"]'
        fields.reading.say(node, fields.at("open"), "wrong-type", "`open` maps dates to windows", hint)
    return found


def _method(text: str) -> str:
    if text not in METHODS:
        raise ValueRefused(f'"{shorten(text)}"', "a method name of RFC 8176 such as otp or hwk", METHODS)
    return text


def read_proofs(reading: Reading, document: Mapping) -> dict[str, Proof]:
    """Return the proofs; one that any sign-in would meet is refused."""
    found = {}
    for name, node, path in section_objects(reading, document, "proofs", "proof"):
        fields = Fields(reading, node, path, ("any_of",), "proof")
        any_of = fields.need("any_of", "such as any_of: [[hwk], [swk, fpt]]")
        combinations = []
        for item, at in reading.items(any_of, f"{path}.any_of") if any_of is not None else ():
            if isinstance(item, Sequence) and not item.items:
                reading.say(item, at, "empty-proof", "an empty combination would be met by anybody")
            methods = [reading.parsed(m, p, _method) for m, p in reading.items(item, at)]
            combinations.append(frozenset(m for m in methods if m is not None))
        if isinstance(any_of, Sequence) and not any_of.items:
            reading.say(any_of, f"{path}.any_of", "empty-proof", f"the proof `{name}` has no combination")
        found[name] = Proof(name, fields.text("title"), fields.text("note"), tuple(combinations))
    return found


def whole_number(lowest: int, highest: int) -> Any:
    """Return a reader of whole numbers within bounds."""

    def parse(text: str) -> int:
        if not (text.isascii() and text.isdigit() and len(text) < 12 and lowest <= int(text) <= highest):
            raise ValueRefused(f'"{shorten(text)}"', f"a whole number from {lowest} to {highest}")
        return int(text)

    return parse


def read_notices(reading: Reading, document: Mapping) -> dict[str, Notice]:
    """Return the notices."""
    found = {}
    for name, node, path in section_objects(reading, document, "notices", "notice"):
        fields = Fields(reading, node, path, ("version", "text"), "notice")
        fields.need("text", "the text that people accept")
        version = fields.parsed("version", whole_number(1, 10**9)) if "version" in fields.values else 1
        text = fields.text("text", longest=20_000)
        found[name] = Notice(name, fields.text("title"), fields.text("note"), version or 1, text)
    return found
