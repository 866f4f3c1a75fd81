"""The inventory by the client library: objects of each noun, and what changes in it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import Any
from urllib.parse import quote

from caddrel.client.caller import Caller
from caddrel.wire import inventory


class InventoryFeed:
    """What changes in the inventory."""

    def __init__(self, caller: Caller) -> None:
        self._caller = caller

    def changes(self, since: str = "", limit: int = 1000) -> inventory.InventoryChanges:
        """Return what has come, changed or gone, the earliest first; `since` is the `next` of an answer before."""
        params = {"since": since, "limit": limit}
        return self._caller.get("/api/v1/inventory/changes", inventory.InventoryChanges, params)


class Things:
    """One kind of inventory object."""

    def __init__(self, caller: Caller, noun: str) -> None:
        self._caller = caller
        self._path = f"/api/v1/{noun}"

    def list(self, search: str = "", after: str = "", limit: int = 50, *, person: str = "") -> inventory.Page:
        """Return one page of objects by id; of devices, with `person`, those of that person."""
        params = {"search": search, "after": after, "limit": limit} | ({"person": person} if person else {})
        return self._caller.get(self._path, inventory.Page, params)

    def all(self, search: str = "", *, person: str = "") -> Iterator[inventory.Item]:
        """Yield every object by id; `person` as of `list`."""
        after = ""
        while True:
            page = self.list(search, after, 500, person=person)
            yield from page.items
            if page.next is None:
                return
            after = page.next

    def get(self, id: str) -> inventory.Detail:
        """Return one object."""
        return self._caller.get(f"{self._path}/{quote(id, safe='')}", inventory.Detail)

    def import_(self, lines: Iterable[bytes]) -> inventory.PutResult:
        """Add or replace objects, one a line; all of them or, when one is wrong, none."""
        return self._caller.stream(self._path, lines, inventory.PutResult)

    def put(
        self, id: str, document: Mapping[str, Any], version: int | None = None, accept_lockout_risk: str = ""
    ) -> inventory.Item:
        """Replace an object.

        Parameters
        ----------
        version
            The one that was read, 0 when there was none; None for whatever is there.
        """
        headers = {"If-None-Match": "*"} if version == 0 else {"If-Match": _tag(version)}
        params = {"accept_lockout_risk": accept_lockout_risk}
        path = f"{self._path}/{quote(id, safe='')}"
        return self._caller.put(path, inventory.ItemRequest(dict(document)), inventory.Item, headers, params)

    def remove(self, id: str, version: int | None = None, accept_lockout_risk: str = "") -> inventory.Removed:
        """Take an object out: nothing of it is kept but its id; `version` as of `put`."""
        params, headers = {"accept_lockout_risk": accept_lockout_risk}, {"If-Match": _tag(version)}
        return self._caller.delete(f"{self._path}/{quote(id, safe='')}", inventory.Removed, params, headers)


def _tag(version: int | None) -> str:
    return "*" if version is None else f'"{version}"'
