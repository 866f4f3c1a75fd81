"""What an object of a rulebook says, whatever its layout is: as a text that is the same for the same meaning."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import fields, is_dataclass
from typing import Any


def canonical(value: Any) -> str:
    """Return an object as text, without where in a document anything of it stands.

    Two objects that are equal have the same text: fields that do not count in comparing are left out.
    """
    if is_dataclass(value) and not isinstance(value, type):
        parts = (f"{each.name}={canonical(getattr(value, each.name))}" for each in fields(value) if each.compare)
        return f"{type(value).__name__}({', '.join(parts)})"
    if isinstance(value, Mapping):
        return _listed(sorted(f"{canonical(key)}: {canonical(item)}" for key, item in value.items()))
    if isinstance(value, frozenset | set):
        return _listed(sorted(map(canonical, value)))
    if isinstance(value, tuple | list):
        return _listed(map(canonical, value))
    return repr(value)


def _listed(parts: Iterable[str]) -> str:
    return f"[{', '.join(parts)}]"
