"""JSON Schema and OpenAPI, as others read them.

Loaded when they are asked for: they take seconds, and each of the test processes reads every test file.
"""

from __future__ import annotations

from typing import Any


def validator(schema: dict[str, Any]) -> Any:
    """Return what tells whether a document fits a schema."""
    from jsonschema import Draft202012Validator

    return Draft202012Validator(schema)


def validate_openapi(document: dict[str, Any]) -> None:
    """Raise when a document is no OpenAPI description."""
    from openapi_spec_validator import validate

    validate(document)
