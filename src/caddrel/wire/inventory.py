"""Inventory objects as they travel: the documents they were given as."""

from __future__ import annotations

from typing import Any

import msgspec

from caddrel.wire.problems import Diagnostic


class Item(msgspec.Struct, frozen=True):
    """One object of the inventory.

    Attributes
    ----------
    version
        Grows with every change of it.
    kept_by
        Who keeps it, in words, where it is told; empty where that is nobody but those who edit it here.
    """

    id: str
    title: str
    document: dict[str, Any]
    version: int = 0
    kept_by: str = ""


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


class OutcomeTurned(msgspec.Struct, frozen=True):
    """An app that somebody meets otherwise after a change, by a plain sign-in; empty where one is not there."""

    person: str
    app: str
    before: str
    after: str


class PutResult(msgspec.Struct, frozen=True):
    """What an inventory import did, or with a dry run would do; nothing is taken in when something is wrong.

    Attributes
    ----------
    removed
        How many are taken out, as a full list does not name them; `going` has the first of them by noun.
    warnings
        What is told of it, and does not stand in the way; with a dry run also why it would be refused.
    says
        What becomes of the first objects, in short.
    people
        Whom it touches; `gaining` and `losing` of them meet something milder or stricter somewhere, and of `left_out`
        there was no time to find out.
    """

    added: int
    changed: int
    errors: list[Diagnostic]
    removed: int
    dry_run: bool
    going: dict[str, list[str]]
    warnings: list[Diagnostic]
    says: str
    people: int
    gaining: int
    losing: int
    left_out: int
    turned: list[OutcomeTurned]


class Membership(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Somebody who becomes a member of a group; until a moment, where it ends by itself."""

    person: str
    until: str = ""


class Gone(msgspec.Struct, frozen=True):
    """Somebody who has left: since when, and what was ended with it."""

    person: str
    since: str
    sessions: int
    starter_codes: int
    devices: list[str]
