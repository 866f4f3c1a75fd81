"""Reading guarantees."""

from __future__ import annotations

from caddrel.core.diagnostics import shorten
from caddrel.core.facts.values import ValueRefused
from caddrel.core.language.formulas import Effect
from caddrel.core.rulebook.model import (
    ALWAYS,
    OUTCOMES,
    WHO,
    Guarantee,
)
from caddrel.core.rulebook.read.fields import Fields, Reading, section_objects
from caddrel.core.rulebook.read.selectors import SCOPE_KEYS, read_scope
from caddrel.core.rulebook.source import Mapping


def _bound_effect(text: str) -> str:
    if text == "block" or text.startswith("require "):
        return text
    raise ValueRefused(f"`{shorten(text)}`", "`block` or `require …`")


def read_guarantees(reading: Reading, document: Mapping) -> dict[str, Guarantee]:
    """Return the guarantees."""
    found = {}
    for name, node, path in section_objects(reading, document, "guarantees", "guarantee"):
        fields = Fields(reading, node, path, ("for", "when", "who", "with_shadow", "at_least", "at_most"), "guarantee")
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
            fields.choice("who", WHO, "anyone"),
            bounds[0],
            effect,
            outcome,
            fields.flag("with_shadow") is True,
        )
    return found
