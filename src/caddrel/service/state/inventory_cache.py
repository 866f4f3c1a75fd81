"""The index over the inventory, kept up with what changes."""

from __future__ import annotations

import gc
import threading

from caddrel.core.inventory.index import Inventory
from caddrel.core.inventory.reader import read_inventory
from caddrel.store.inventory import InventoryStore


class Inventories:
    """The index over the inventory; what has changed in the inventory is read into it before the next question."""

    def __init__(self, store: InventoryStore) -> None:
        self._store = store
        self._made: tuple[int, Inventory] | None = None
        self._lock = threading.Lock()

    def follow(self, before: Inventory, first: int, last: int, after: Inventory) -> None:
        """Take note of what changes have made of an inventory, so that it need not be read.

        Only where that inventory is the one from just before them: had somebody else changed anything in between, the
        number of the first would be a higher one.

        Parameters
        ----------
        first, last
            The numbers of the first and the last of the changes; all between them are of them, and committed.
        """
        with self._lock:
            made = self._made
            if made is not None and made[1] is before and made[0] + 1 == first:
                self._made = last, after

    def current(self) -> Inventory:
        """Return the index of the inventory as it is now."""
        made = self._made
        if made is not None and made[0] == self._store.version():
            return made[1]
        with self._lock:
            before = self._made
            changes = self._store.since(before[0] if before is not None else -1)
            version = changes.version
            # Objects were checked when they were taken in; one that a later release refuses is left out.
            found, _ = read_inventory(changes.came, stored=True)
            if before is None:
                self._made = (version, found)
                # They live as long as the service: looking through them for garbage again and again takes long.
                gc.collect()
                gc.freeze()
            else:
                self._made = (version, before[1].replaced(found, changes.went))
            return self._made[1]
