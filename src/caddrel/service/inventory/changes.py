"""Changing the inventory: one change after another, each refused that would leave nobody able to administer.

Not here: reading objects (`core.inventory.reader`), and the index that decisions look into (`state.inventory_cache`).
"""

from __future__ import annotations

import threading
from collections.abc import Mapping, Sequence
from typing import Any

from caddrel.core.diagnostics import shorten
from caddrel.core.facts.values import show_moment
from caddrel.core.inventory.index import ONE_OF
from caddrel.core.inventory.reader import InventoryReader, read_object
from caddrel.service.inventory import audit_note
from caddrel.service.inventory.administrators import Administrators
from caddrel.service.problems import ServiceError, not_found
from caddrel.service.state.data_folder import DataFolder
from caddrel.store.inventory import Moved, Stored

Document = Mapping[str, Any]


class InventoryChanges:
    """Changes the inventory; one for the whole service."""

    def __init__(self, data: DataFolder) -> None:
        self._data = data
        self._administrators = Administrators(data)
        # Held from looking at who could still administer until the change is written: of two who take out one another
        # at the same moment, the second is refused.
        self._changing = threading.Lock()

    def put(
        self, noun: str, documents: Sequence[Document], entries: Sequence[Any], accepted: str
    ) -> tuple[int, int, str]:
        """Add or replace objects; return how many are new, how many changed, and what the audit trail says of it.

        Parameters
        ----------
        documents, entries
            The same objects as they are kept and as they were read.
        accepted
            Why it is done though nobody could administer after it; empty refuses that.
        """
        with self._changing:
            self._administrators.check(noun, entries, (), accepted)
            note = audit_note.told(self._data.inventories.current(), noun, entries)
            added, changed = self._data.inventory.put(((noun, each) for each in documents), self._data.clock())
        return added, changed, note

    def put_one(self, noun: str, document: Document, seen: int | None, accepted: str) -> tuple[Stored, str]:
        """Add or replace one object; return it with what the audit trail says of it.

        Parameters
        ----------
        seen
            The version that the caller has seen, 0 for none; None for whatever is there.

        Raises
        ------
        ServiceError
            When it is wrong, or has changed since it was seen.
        """
        reader = InventoryReader()
        made = read_object(reader, noun, dict(document), str(document.get("id", "")) or noun)
        if reader.problems or made is None:
            raise ServiceError(422, "bad-inventory", "the object is wrong; nothing was changed", "", reader.problems)
        kept = {key: value for key, value in document.items() if value is not None}
        with self._changing:
            self._administrators.check(noun, [made], (), accepted)
            note = audit_note.told(self._data.inventories.current(), noun, [made])
            try:
                return self._data.inventory.put_one(noun, kept, self._data.clock(), seen), note
            except Moved as moved:
                raise _moved(noun, moved) from None

    def remove(self, noun: str, id: str, seen: int | None, accepted: str) -> str:
        """Take an object out; return what the audit trail says of it.

        Raises
        ------
        ServiceError
            When it is not there, or has changed since it was seen.
        """
        with self._changing:
            self._administrators.check(noun, (), [id], accepted)
            note = audit_note.removed(self._data.inventories.current(), noun, id)
            try:
                if not self._data.inventory.remove(noun, id, self._data.clock(), seen):
                    raise not_found(f"{ONE_OF[noun]} `{shorten(id)}`", f"see GET /api/v1/{noun}?search=…")
            except Moved as moved:
                raise _moved(noun, moved) from None
        return note

    def report(self, device: str, state: Document) -> Stored:
        """Take in what a device says of its own state; it counts from the next decision on."""
        now = self._data.clock()
        reader = InventoryReader()
        read_object(reader, "devices", {"id": device, **state}, "state")
        if reader.problems:
            raise ServiceError(422, "bad-inventory", "the state is wrong; nothing was taken in", "", reader.problems)
        stored = self._data.inventory.merge("devices", device, {**state, "state_at": show_moment(now)}, now)
        if stored is None:
            raise not_found(f"device `{shorten(device)}`")
        return stored


def _moved(noun: str, moved: Moved) -> ServiceError:
    there = moved.there
    if there is None:
        return ServiceError(412, "object-changed", f"the {ONE_OF[noun]} is not there any more", "read it again")
    hint = f"it has version {there.version} now: read it again, and make your change to that"
    return ServiceError(412, "object-changed", f"the {ONE_OF[noun]} was changed in between", hint)
