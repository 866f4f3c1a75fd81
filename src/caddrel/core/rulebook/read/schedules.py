"""Reading schedules."""

from __future__ import annotations

import re
from datetime import date
from zoneinfo import ZoneInfo

from caddrel.core.diagnostics import shorten
from caddrel.core.facts.values import ValueRefused
from caddrel.core.rulebook.model import (
    Schedule,
    Window,
)
from caddrel.core.rulebook.read.fields import Fields, Reading, section_objects
from caddrel.core.rulebook.read.parts import _zones
from caddrel.core.rulebook.source import Mapping, Node

DAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")


_WINDOW = re.compile(r"([0-9]{2}):([0-9]{2})-([0-9]{2}):([0-9]{2})")


_DATE = re.compile(r"[0-9]{4}-[0-9]{2}-[0-9]{2}")


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
