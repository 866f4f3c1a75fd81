"""Audiences as words: whom a row of the coverage grid is about."""

from __future__ import annotations

from caddrel.core.inventory.index import Inventory

_KINDS = {
    "employee": "Employees", "contractor": "Contractors", "guest": "Guests", "service": "Service accounts",
}  # fmt: skip


def audience_words(text: str, inventory: Inventory | None = None) -> str:
    """Return what an audience is called, given as a selector writes it."""
    kind, _, name = text.partition(":")
    if kind == "everyone":
        return "Everyone"
    if kind == "kind":
        return _KINDS.get(name, name)
    if kind == "group":
        group = inventory.groups.get(name) if inventory is not None else None
        return (group.title if group is not None else "") or name
    return f"Role {name}"
