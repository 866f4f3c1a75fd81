"""Reading settings, signals, password standards, guarantees and kept rehearsals."""

from __future__ import annotations

from caddrel.core.diagnostics import did_you_mean, shorten
from caddrel.core.facts.catalogue import FactSpec
from caddrel.core.facts.types import FactType, Methods, Value
from caddrel.core.facts.values import ValueRefused, read_duration, read_flag, read_given, read_written
from caddrel.core.language.formulas import Effect
from caddrel.core.rulebook.fields import Fields, Reading, one_of, section_objects
from caddrel.core.rulebook.model import (
    ALWAYS,
    OUTCOMES,
    STANCES,
    Guarantee,
    PasswordStandard,
    Rehearsal,
    Settings,
    Signal,
)
from caddrel.core.rulebook.read_parts import whole_number
from caddrel.core.rulebook.selectors import EVERY_APP, EVERYONE, SCOPE_KEYS, read_scope, read_selectors
from caddrel.core.rulebook.source import Mapping, Node, Scalar

_ATTEMPT_SHORT = {"person": "person.id", "app": "app.id", "device": "device.id"}

# For each kind of signal its settings: reader, and whether it must be given.
_SIGNAL_FACTS = ("device.id", "network.country", "network.city", "network.asn", "client.name")
_COUNT = whole_number(1, 1_000_000)
_HISTORY = {"history": (_COUNT, False), "not_older_than": (read_duration, False)}
SIGNAL_KINDS = {
    "first-seen": {"of": (lambda t: one_of(t, _SIGNAL_FACTS), True), "after": (_COUNT, False), **_HISTORY},
    "travel-speed": {
        "above_kmh": (_COUNT, True),
        "ignore_km": (whole_number(0, 40_000), False),
        **_HISTORY,
    },
    "far-away": {"km": (_COUNT, True), **_HISTORY},
    "failed-attempts": {"at_least": (_COUNT, True), "within": (read_duration, True), **_HISTORY},
}
PASSWORD_MUST = {
    "length": whole_number(1, 1000),
    "classes": whole_number(1, 4),
    "not_last": whole_number(1, 1000),
    "max_age": read_duration,
    "not_contain_name": read_flag,
}
PASSWORD_LOCK = {"after": _COUNT, "within": read_duration, "for": read_duration}


def read_fact_value(reading: Reading, spec: FactSpec, node: Node, path: str) -> Value | None:
    """Return the value of a fact that a rulebook gives outright, or None with findings."""
    if spec.type is FactType.NAMES:
        named = [reading.parsed(item, at, lambda t: read_written(spec, t)) for item, at in reading.items(node, path)]
        return frozenset(str(item) for item in named if item is not None)
    if spec.type is FactType.METHODS:
        methods: Methods = {}
        if isinstance(node, Mapping):
            for entry in node.entries:
                name = reading.parsed(entry.key, path, lambda t: read_written(spec, t))
                age = reading.parsed(entry.value, path, _age)
                methods[str(name)] = age
            return methods
        for item, at in reading.items(node, path):
            name = reading.parsed(item, at, lambda t: read_written(spec, t))
            methods[str(name)] = None
        return methods
    if spec.type is FactType.DURATION:
        return reading.parsed(node, path, lambda t: read_given(spec, t))
    return reading.parsed(node, path, lambda t: read_written(spec, t))


def _age(text: str) -> int:
    return int(text) if text.isascii() and text.isdigit() and len(text) < 13 else read_duration(text)


def _facts(reading: Reading, node: Node, path: str, short: dict[str, str]) -> dict[str, Value]:
    found: dict[str, Value] = {}
    if not isinstance(node, Mapping):
        reading.say(node, path, "wrong-type", "expected facts and their values", "such as risk.attempt: none")
        return found
    for entry in node.entries:
        name = short.get(entry.key.text, entry.key.text)
        spec = reading.catalogue.get(name)
        at = f"{path}.{shorten(name)}"
        if spec is None:
            hint = did_you_mean(name, (*reading.catalogue, *short))
            reading.say(entry.key, at, "unknown-fact", f"there is no fact `{shorten(name)}`", hint)
            continue
        if name in found:
            reading.say(entry.key, at, "duplicate-key", f"`{name}` is given twice")
        value = read_fact_value(reading, spec, entry.value, at)
        if value is not None:
            found[name] = value
    return found


def read_settings(reading: Reading, document: Mapping) -> Settings:
    """Return the settings."""
    node = document.get("settings")
    if node is None:
        return Settings()
    fields = Fields(reading, node, "settings", ("stance", "keyholders", "assume", "contact"), "settings section")
    assume = fields.values.get("assume")
    return Settings(
        stance=fields.choice("stance", STANCES, "open"),
        keyholders=read_selectors(fields, "keyholders", ()),
        assume=_facts(reading, assume, "settings.assume", {}) if assume is not None else {},
        contact=fields.text("contact", longest=200),
    )


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


def read_password_standards(reading: Reading, document: Mapping) -> dict[str, PasswordStandard]:
    """Return the password standards."""
    found = {}
    section = "password-standards"
    for name, node, path in section_objects(reading, document, section, "password standard"):
        fields = Fields(reading, node, path, ("people", "apps", "must", "lock"), "password standard")
        fields.need("must", "such as must: {length: 12}")
        tables: list[dict[str, Value]] = []
        for key, table in (("must", PASSWORD_MUST), ("lock", PASSWORD_LOCK)):
            values: dict[str, Value] = {}
            if key in fields.values:
                inner = Fields(reading, fields.values[key], f"{path}.{key}", tuple(table), f"`{key}`")
                for field_name, parse in table.items():
                    value = inner.parsed(field_name, parse)
                    if value is not None:
                        values[field_name] = value
                    elif key == "lock":
                        inner.need(field_name)
            tables.append(values)
        found[name] = PasswordStandard(
            name,
            fields.text("title"),
            fields.text("note"),
            read_selectors(fields, "people", (EVERYONE,)),
            read_selectors(fields, "apps", (EVERY_APP,)),
            *tables,
        )
    return found


def _bound_effect(text: str) -> str:
    if text == "block" or text.startswith("require "):
        return text
    raise ValueRefused(f"`{shorten(text)}`", "`block` or `require …`")


def read_guarantees(reading: Reading, document: Mapping) -> dict[str, Guarantee]:
    """Return the guarantees."""
    found = {}
    for name, node, path in section_objects(reading, document, "guarantees", "guarantee"):
        fields = Fields(reading, node, path, ("for", "when", "who", "at_least", "at_most"), "guarantee")
        scope_node = fields.need("for", "such as for: {apps: [manifest]}")
        if scope_node is None:
            continue
        scope_fields = Fields(reading, scope_node, f"{path}.for", SCOPE_KEYS, "scope")
        when_node = fields.values.get("when")
        when = None if when_node is None else reading.condition(when_node, f"{path}.when") or ALWAYS
        bounds = [key for key in ("at_least", "at_most") if key in fields.values]
        if len(bounds) != 1:
            reading.say(node, path, "one-bound", "a guarantee has either `at_least` or `at_most`")
            continue
        effect: Effect | None = None
        outcome = ""
        if bounds == ["at_least"] and fields.parsed("at_least", _bound_effect) is not None:
            effect = reading.effect(fields.values["at_least"], f"{path}.at_least")
        elif bounds == ["at_most"]:
            outcome = fields.choice("at_most", OUTCOMES[:2], "")
        found[name] = Guarantee(
            name,
            fields.text("title"),
            fields.text("note"),
            read_scope(scope_fields),
            when,
            fields.choice("who", ("anyone", "inventory"), "anyone"),
            bounds[0],
            effect,
            outcome,
        )
    return found


def read_rehearsals(reading: Reading, document: Mapping) -> dict[str, Rehearsal]:
    """Return the kept rehearsals."""
    found = {}
    for name, node, path in section_objects(reading, document, "rehearsals", "rehearsal"):
        fields = Fields(reading, node, path, ("attempt", "expect"), "rehearsal")
        attempt_node = fields.need("attempt", "such as attempt: {person: ines.faro, app: manifest}")
        fields.need("expect", f"one of {', '.join(OUTCOMES)}")
        attempt: dict[str, Value] = {}
        if attempt_node is not None and not isinstance(attempt_node, Scalar):
            attempt = _facts(reading, attempt_node, f"{path}.attempt", _ATTEMPT_SHORT)
        elif attempt_node is not None:
            reading.say(attempt_node, f"{path}.attempt", "wrong-type", "expected facts and their values")
        expect = fields.choice("expect", OUTCOMES, "allowed")
        found[name] = Rehearsal(name, fields.text("title"), fields.text("note"), attempt, expect)
    return found
