"""Reading signals."""

from __future__ import annotations

from caddrel.core.facts.types import Value
from caddrel.core.facts.values import read_duration
from caddrel.core.rulebook.model import (
    Signal,
)
from caddrel.core.rulebook.read.fields import Fields, Reading, one_of, section_objects
from caddrel.core.rulebook.read.parts import whole_number
from caddrel.core.rulebook.source import Mapping

# What may be seen for the first time.
SIGNAL_FACTS = ("device.id", "network.country", "network.city", "network.asn", "client.name")


_COUNT = whole_number(1, 1_000_000)


_HISTORY = {"history": (_COUNT, False), "not_older_than": (read_duration, False)}


# For each kind of signal its settings: reader, and whether it must be given.
SIGNAL_KINDS = {
    "first-seen": {"of": (lambda t: one_of(t, SIGNAL_FACTS), True), "after": (_COUNT, False), **_HISTORY},
    "travel-speed": {
        "above_kmh": (_COUNT, True),
        "ignore_km": (whole_number(0, 40_000), False),
        **_HISTORY,
    },
    "far-away": {"km": (_COUNT, True), **_HISTORY},
    "failed-attempts": {"at_least": (_COUNT, True), "within": (read_duration, True), **_HISTORY},
}


def read_signals(reading: Reading, document: Mapping) -> dict[str, Signal]:
    """Return the signals."""
    found = {}
    every_key = tuple(dict.fromkeys(key for table in SIGNAL_KINDS.values() for key in table))
    for name, node, path in section_objects(reading, document, "signals", "signal"):
        fields = Fields(reading, node, path, ("kind", *every_key), "signal")
        fields.need("kind", f"one of {', '.join(SIGNAL_KINDS)}")
        kind = fields.choice("kind", tuple(SIGNAL_KINDS), "")
        if not kind:
            continue
        table = SIGNAL_KINDS[kind]
        for key in fields.values:
            if key not in {*table, "kind", "title", "note"}:
                message = f"a {kind} signal has no `{key}`"
                reading.say(
                    fields.values[key], fields.at(key), "unknown-key", message, f"it can have: {', '.join(table)}"
                )
        settings: dict[str, Value] = {}
        for key, (parse, needed) in table.items():
            if needed:
                fields.need(key)
            value = fields.parsed(key, parse)
            if value is not None:
                settings[key] = value
        found[name] = Signal(name, fields.text("title"), fields.text("note"), kind, settings)
    return found
