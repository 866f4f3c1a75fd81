"""Writes the console's types from the service's own schema: `python tools/console_types.py [--check]`."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

from caddrel.service.app import ENDPOINTS
from caddrel.service.http import openapi
from caddrel.service.views import examples

TARGET = Path(__file__).parent.parent / "console" / "src" / "lib" / "api" / "types.ts"
_PLAIN = {"string": "string", "integer": "number", "number": "number", "boolean": "boolean", "null": "null"}


def type_of(schema: dict[str, Any]) -> str:
    """Return the TypeScript type of a JSON schema."""
    if "$ref" in schema:
        return str(schema["$ref"]).rpartition("/")[2]
    if "anyOf" in schema:
        return " | ".join(dict.fromkeys(type_of(option) for option in schema["anyOf"]))
    if "enum" in schema:
        return " | ".join(f"'{word}'" for word in schema["enum"])
    kind = schema.get("type")
    if isinstance(kind, list):
        return " | ".join(_PLAIN[k] for k in kind)
    if kind == "array":
        if "prefixItems" in schema:
            return f"[{', '.join(type_of(item) for item in schema['prefixItems'])}]"
        inner = type_of(schema.get("items") or {})
        return f"({inner})[]" if " " in inner else f"{inner}[]"
    if kind == "object":
        values = schema.get("additionalProperties")
        return f"Record<string, {type_of(values)}>" if isinstance(values, dict) else "Record<string, unknown>"
    return _PLAIN.get(str(kind), "unknown")


def interface(name: str, schema: dict[str, Any]) -> str:
    """Return the interface of one object schema."""
    required = set(schema.get("required", ()))
    doc = schema.get("description", "").strip().splitlines()
    lines = [f"/** {doc[0]} */"] if doc else []
    lines.append(f"export interface {name} {{")
    for key, value in schema.get("properties", {}).items():
        name_of = key if key.isidentifier() else f"'{key}'"
        lines.append(f"  {name_of}{'' if key in required else '?'}: {type_of(value)};")
    return "\n".join([*lines, "}"])


def text() -> str:
    """Return the whole file."""
    schemas = openapi.document(ENDPOINTS, examples.BODIES, examples.IDS)["components"]["schemas"]
    head = "// Written by tools/console_types.py from the service's OpenAPI document; do not edit.\n"
    return head + "\n" + "\n\n".join(interface(name, schema) for name, schema in sorted(schemas.items())) + "\n"


if __name__ == "__main__":
    if "--check" in sys.argv:
        current = TARGET.read_text(encoding="utf-8") if TARGET.is_file() else ""
        if current != text():
            sys.exit("console/src/lib/api/types.ts is not current: run `make types`")
    else:
        TARGET.parent.mkdir(parents=True, exist_ok=True)
        TARGET.write_text(text(), encoding="utf-8")
