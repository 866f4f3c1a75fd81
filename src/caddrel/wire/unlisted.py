"""Devices that came to a door and are on no list, as they travel."""

from __future__ import annotations

from typing import Literal

import msgspec


class UnlistedPerson(msgspec.Struct, frozen=True):
    """Somebody who came from one, by id and name."""

    person: str
    title: str
    count: int


class UnlistedDevice(msgspec.Struct, frozen=True):
    """A device that came to a door and is on no list.

    Attributes
    ----------
    device
        What it is known by: its serial number or, without one, the id that was reported.
    serial
        Its serial number; empty where none was reported.
    count, first, last
        So many sign-ins, the first and the last.
    people
        Who came from it, whoever came most often first; at most five of `of_people`.
    refused_by, why
        Who said that it is to stay off the list, and why; empty where nobody did.
    """

    device: str
    serial: str
    platform: str
    os_version: str
    count: int
    first: str
    last: str
    people: list[UnlistedPerson]
    of_people: int
    refused_by: str = ""
    why: str = ""


class UnlistedDevices(msgspec.Struct, frozen=True):
    """Devices that are on no list, those seen last first.

    Attributes
    ----------
    refused
        How many are to stay off the list.
    cut
        There are more than were looked at.
    """

    items: list[UnlistedDevice]
    refused: int
    days: int
    cut: bool = False


class VetRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A device is put on the list, as one that may be used.

    Attributes
    ----------
    device
        What it is known by among those that are not listed.
    id
        Its id from now on.
    person
        Whose it is; nobody's when it is left out.
    """

    device: str
    id: str
    owner: Literal["company", "personal"] = "company"
    person: str = ""


class RefuseRequest(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A device is to stay off the list."""

    device: str
    why: str
