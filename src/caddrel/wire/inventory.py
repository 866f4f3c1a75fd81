"""Inventory objects as they travel: the documents they were given as."""

from __future__ import annotations

from typing import Any

import msgspec

from caddrel.wire.problems import Diagnostic


class Item(msgspec.Struct, frozen=True):
    """One object of the inventory; `version` grows with every change of it."""

    id: str
    title: str
    document: dict[str, Any]
    version: int = 0


class ItemRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """One object as it is to be; its id is the address's."""

    document: dict[str, Any]


class Removed(msgspec.Struct, frozen=True):
    """An object that was taken out."""

    noun: str
    id: str


class InventoryChange(msgspec.Struct, frozen=True):
    """An object that has come or changed, as it is now; or that has gone, then without a document."""

    noun: str
    id: str
    version: int
    document: dict[str, Any] | None


class InventoryChanges(msgspec.Struct, frozen=True):
    """What has changed; `next` is what to ask with for what changes later, and `more` whether there already is more."""

    items: list[InventoryChange]
    next: str
    more: bool


class Page(msgspec.Struct, frozen=True):
    """Objects by id; `next` is where the next page starts."""

    items: list[Item]
    total: int
    next: str | None


class DeviceState(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """What a device reports of itself; what it leaves out stays as it was."""

    os_version: str | None = None
    managed: bool | None = None
    encrypted: bool | None = None
    screen_lock: bool | None = None
    tampered: bool | None = None


class CheckState(msgspec.Struct, frozen=True):
    """One check of a standard for a device as it is now."""

    check: str
    title: str
    truth: str
    fix: str


class StandardState(msgspec.Struct, frozen=True):
    """Whether a device passes a standard now."""

    standard: str
    title: str
    truth: str
    checks: list[CheckState]


class Detail(msgspec.Struct, frozen=True):
    """One object with what follows from it: all groups of a person, the standards of a device."""

    noun: str
    item: Item
    groups: list[str]
    standards: list[StandardState]


class PutResult(msgspec.Struct, frozen=True):
    """What an inventory import did; nothing is taken in when there are errors."""

    added: int
    changed: int
    errors: list[Diagnostic]
