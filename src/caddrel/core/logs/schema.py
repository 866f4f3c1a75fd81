"""The JSON Schema (2020-12) of a line of the log as an import reads it, made from the catalogue of facts."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from caddrel.core.facts.catalogue import Catalogue, FactSpec
from caddrel.core.facts.types import FactType

Schema = dict[str, Any]
_TEXT: Schema = {"type": "string"}
_DURATION: Schema = {"anyOf": [{"type": "number", "minimum": 0}, {"type": "string", "pattern": "^[0-9]{1,12}[smhd]$"}]}
_LIST: Schema = {"type": "array", "items": _TEXT}
_TYPES: Mapping[FactType, Schema] = {
    FactType.FLAG: {"type": "boolean"},
    FactType.NUMBER: {"type": "number"},
    FactType.NAMES: _LIST,
    FactType.METHODS: {
        "anyOf": [_LIST, {"type": "object", "additionalProperties": {"anyOf": [_DURATION, {"type": "null"}]}}]
    },
    FactType.DURATION: _DURATION,
    FactType.VERSION: {"type": "string", "pattern": r"^[0-9]+(\.[0-9]+)*$"},
    FactType.PATH: {"type": "string", "pattern": "^/"},
    FactType.MOMENT: {"type": "string", "format": "date-time"},
}


def signin_schema(catalogue: Catalogue) -> Schema:
    """Return the schema of one line; facts stand flat by their names, or nested by dots."""
    text = {"type": "string", "maxLength": 500}
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Caddrel sign-in",
        "type": "object",
        "properties": {
            "id": {"type": "string", "minLength": 1, "maxLength": 200},
            "facts": _facts(catalogue, ""),
            "recorded": {
                "type": ["object", "null"],
                "properties": {"outcome": text, "reason": text},
                "additionalProperties": False,
            },
        },
        "required": ["id", "facts"],
        "additionalProperties": False,
    }


def _facts(catalogue: Catalogue, prefix: str) -> Schema:
    """Return the schema of an object of facts whose names begin with a prefix."""
    properties: dict[str, Schema] = {}
    for name, spec in catalogue.items():
        if name.startswith(prefix):
            rest = name[len(prefix) :]
            properties[rest] = _fact(spec)
            first, dot, _ = rest.partition(".")
            if dot and first not in properties:
                properties[first] = _facts(catalogue, f"{prefix}{first}.")
    return {"type": "object", "properties": properties, "additionalProperties": False}


def _fact(spec: FactSpec) -> Schema:
    schema = _TYPES.get(spec.type, _TEXT)
    # What is null is not reported.
    return {"anyOf": [schema, {"type": "null"}], "description": spec.doc}
