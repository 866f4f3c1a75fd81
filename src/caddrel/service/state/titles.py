"""A rulebook with the inventory's titles for the apps that it does not name itself."""

from __future__ import annotations

from dataclasses import replace

from caddrel.core.inventory.index import Inventory
from caddrel.core.rulebook.model import AppEntry, Rulebook


def titled(rulebook: Rulebook, inventory: Inventory) -> Rulebook:
    """Return the rulebook with the inventory's titles for apps that it does not name itself, for sentences."""
    apps = dict(rulebook.apps)
    for app in inventory.apps.values():
        entry = apps.get(app.id, AppEntry(app.id))
        apps[app.id] = replace(entry, title=entry.title or app.title)
    return replace(rulebook, apps=apps)


def title_of(inventory: Inventory, noun: str, id: object) -> str:
    """Return what an object of the inventory is called, empty when it has no title or is not there."""
    entry = getattr(inventory, noun).get(id)
    return entry.title if entry else ""
