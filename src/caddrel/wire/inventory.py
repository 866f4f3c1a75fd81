"""Inventory objects as they travel: the documents they were given as."""

from __future__ import annotations

from typing import Any

import msgspec

from caddrel.wire.problems import Diagnostic


class Item(msgspec.Struct, frozen=True):
    """One object of the inventory."""

    id: str
    title: str
    document: dict[str, Any]


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
