"""An object of the inventory as it travels, and who keeps it."""

from __future__ import annotations

from caddrel.service.state.data_folder import DataFolder
from caddrel.store.inventory import Stored
from caddrel.wire.inventory import Item


def item_of(stored: Stored, kept_by: str = "") -> Item:
    """Return an object with its version."""
    return Item(stored.id, stored.title, dict(stored.document), stored.version, kept_by)


def keeper_of(data: DataFolder, noun: str, id: str) -> str:
    """Return who keeps an object, in words; empty where that is nobody but those who edit it here."""
    kept = data.kept_by.get(noun, id)
    if kept is not None:
        return f"the directory {kept.keeper}"
    source = data.sources.get(id) if noun == "lists" else None
    return source.source if source is not None and source.noun == "lists" else ""
