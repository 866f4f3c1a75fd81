"""An object of the inventory as it travels."""

from __future__ import annotations

from caddrel.store.inventory import Stored
from caddrel.wire.inventory import Item


def item_of(stored: Stored) -> Item:
    """Return an object with its version."""
    return Item(stored.id, stored.title, dict(stored.document), stored.version)
