"""Reading settings and kept rehearsals, and values of facts that a rulebook gives outright."""

from __future__ import annotations

from caddrel.core.diagnostics import did_you_mean, shorten
from caddrel.core.facts.catalogue import FactSpec
from caddrel.core.facts.types import FactType, Methods, Value
from caddrel.core.facts.values import read_duration, read_given, read_written
from caddrel.core.rulebook.model import (
    OUTCOMES,
    STANCES,
    Rehearsal,
    Settings,
)
from caddrel.core.rulebook.read.fields import Fields, Reading, one_of, section_objects
from caddrel.core.rulebook.read.selectors import read_selectors
from caddrel.core.rulebook.source import Mapping, Node, Scalar

_ATTEMPT_SHORT = {"person": "person.id", "app": "app.id", "device": "device.id"}


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


def read_rehearsals(reading: Reading, document: Mapping) -> dict[str, Rehearsal]:
    """Return the kept rehearsals."""
    found = {}
    for name, node, path in section_objects(reading, document, "rehearsals", "rehearsal"):
        fields = Fields(reading, node, path, ("attempt", "expect", "expect_open"), "rehearsal")
        attempt_node = fields.need("attempt", "such as attempt: {person: ines.faro, app: manifest}")
        if "expect_open" not in fields.values:
            fields.need("expect", f"one of {', '.join(OUTCOMES)}, or a list of them")
        attempt: dict[str, Value] = {}
        if attempt_node is not None and not isinstance(attempt_node, Scalar):
            attempt = _facts(reading, attempt_node, f"{path}.attempt", _ATTEMPT_SHORT)
        elif attempt_node is not None:
            reading.say(attempt_node, f"{path}.attempt", "wrong-type", "expected facts and their values")
        expect, expect_open = (_outcomes(fields, key) for key in ("expect", "expect_open"))
        found[name] = Rehearsal(name, fields.text("title"), fields.text("note"), attempt, expect, expect_open)
    return found


def _outcomes(fields: Fields, key: str) -> tuple[str, ...]:
    """Return a field that holds an outcome, or a list of them, in the order of the outcomes."""
    node = fields.values.get(key)
    if node is None:
        return ()
    if isinstance(node, Scalar):
        found = {fields.choice(key, OUTCOMES, OUTCOMES[0])}
    else:
        found = set(fields.list(key, lambda text: one_of(text, OUTCOMES)))
    return tuple(each for each in OUTCOMES if each in found)
