"""Finds every stable code in the source: of diagnostics, and of problem documents."""

from __future__ import annotations

import ast
import re
from pathlib import Path

import caddrel

SOURCE = Path(caddrel.__file__).parent
_CODE = re.compile(r"[a-z0-9]+(-[a-z0-9]+)+")
_SAYING = {"Diagnostic", "say", "fail", "refuse", "BrokenLine", "ServiceError", "_problem", "_refused", "_warning"}
# Codes that are put together from a word.
_PARTS = ("place", "standard", "schedule", "proof", "notice", "signal", "person", "app", "group", "owner")


def codes() -> set[str]:
    """Return every code that can be said."""
    found = {f"unknown-{word}" for word in _PARTS}
    for path in SOURCE.rglob("*.py"):
        if "migrations" in path.parts or ("cli" in path.parts and "decide" not in path.stem):
            continue
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if isinstance(node, ast.Call) and _name(node.func) in _SAYING:
                found.update(
                    arg.value
                    for arg in node.args[:3]
                    if isinstance(arg, ast.Constant) and isinstance(arg.value, str) and _CODE.fullmatch(arg.value)
                )
    return found | {"circle", "expected", "csrf", "conflicting"}


def _name(function: ast.expr) -> str:
    return function.attr if isinstance(function, ast.Attribute) else getattr(function, "id", "")
