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

    def import_(self, document: Iterable[bytes], **options: str) -> inventory.PutResult:
        """Add or change objects of several nouns: JSON with a list for each; `options` as in `import_options`."""
        return self._caller.stream("/api/v1/inventory", document, inventory.PutResult, options)

    def join(self, group: str, person: str, until: str = "", accept_lockout_risk: str = "") -> inventory.Item:
        """Make somebody a member of a group, for good or until a moment."""
        path, params = f"/api/v1/groups/{quote(group, safe='')}/members", {"accept_lockout_risk": accept_lockout_risk}
        return self._caller.post(path, inventory.Membership(person, until), inventory.Item, params=params)

    def leave(self, group: str, person: str, accept_lockout_risk: str = "") -> inventory.Item:
        """Take somebody's own membership of a group away."""
        path = f"/api/v1/groups/{quote(group, safe='')}/members/{quote(person, safe='')}"
        return self._caller.delete(path, inventory.Item, {"accept_lockout_risk": accept_lockout_risk})

    def off(self, person: str, accept_lockout_risk: str = "") -> inventory.Gone:
        """Let no sign-in of somebody in any more who has left, and end what is open of them."""
        path, params = f"/api/v1/people/{quote(person, safe='')}/off", {"accept_lockout_risk": accept_lockout_risk}
        return self._caller.post(path, None, inventory.Gone, params=params)

    def back(self, person: str) -> inventory.Item:
        """Take somebody back who was off."""
        return self._caller.delete(f"/api/v1/people/{quote(person, safe='')}/off", inventory.Item)


def import_options(
    how: str = "patch", dry_run: bool = False, accept_removals: int = 0, accept_lockout_risk: str = ""
) -> dict[str, str]:
    """Return how an import is to be done.

    Parameters
    ----------
    how
        ``patch`` what it names, ``replace`` whole objects, or ``sync``: it is the full list of its nouns.
    accept_removals
        How many may go that a full list does not name.
    """
    found = {"how": how, "accept_lockout_risk": accept_lockout_risk, "dry_run": "yes" if dry_run else ""}
    found["accept_removals"] = str(accept_removals) if accept_removals else ""
    return {name: value for name, value in found.items() if value}


class Things:
    """One kind of inventory object."""

    def __init__(self, caller: Caller, noun: str) -> None:
        self._caller = caller
        self._path = f"/api/v1/{noun}"

    def list(
        self, search: str = "", after: str = "", limit: int = 50, *, person: str = "", where: str = ""
    ) -> inventory.Page:
        """Return one page of objects by id.

        Parameters
        ----------
        person
            Of devices those of this person.
        where
            Only those for which this condition over their own facts surely holds.
        """
        params = {"search": search, "after": after, "limit": limit} | ({"person": person} if person else {})
        return self._caller.get(self._path, inventory.Page, params | ({"where": where} if where else {}))

    def all(self, search: str = "", *, person: str = "", where: str = "") -> Iterator[inventory.Item]:
        """Yield every object by id; parameters as in `list`."""
        after = ""
        while True:
            page = self.list(search, after, 500, person=person, where=where)
            yield from page.items
            if page.next is None:
                return
            after = page.next

    def get(self, id: str) -> inventory.Detail:
        """Return one object."""
        return self._caller.get(f"{self._path}/{quote(id, safe='')}", inventory.Detail)

    def import_(self, lines: Iterable[bytes], format: str = "ndjson", **options: str) -> inventory.PutResult:
        """Add or change objects, one a line, or as CSV; all of them or, when one is wrong, none.

        Parameters
        ----------
        options
            As in `import_options`.
        """
        return self._caller.stream(self._path, lines, inventory.PutResult, {"format": format, **options})

    def change(
        self, id: str, change: Mapping[str, Any], version: int | None = None, accept_lockout_risk: str = ""
    ) -> inventory.Item:
        """Change what is named of an object; None takes it out (RFC 7396). `version` as in `put`."""
        path, headers = f"{self._path}/{quote(id, safe='')}", {"If-Match": _tag(version)}
        params = {"accept_lockout_risk": accept_lockout_risk}
        return self._caller.patch(path, inventory.ItemRequest(dict(change)), inventory.Item, headers, params)

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
        """Take an object out: nothing of it is kept but its id; `version` as in `put`."""
        params, headers = {"accept_lockout_risk": accept_lockout_risk}, {"If-Match": _tag(version)}
        return self._caller.delete(f"{self._path}/{quote(id, safe='')}", inventory.Removed, params, headers)


def _tag(version: int | None) -> str:
    return "*" if version is None else f'"{version}"'
