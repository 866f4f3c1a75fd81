"""The facts of one attempt: values, where each comes from, and what was said and not believed."""

from __future__ import annotations

import enum
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

from caddrel.core.facts.types import Address, Value

# Stands for a reference that is put in later, when a record is read: so that records can share a decision. No text of a
# rulebook can hold it.
TO_COME = "\x00"


class Origin(enum.StrEnum):
    """Where the value of a fact came from."""

    REPORTED = "reported"
    INVENTORY = "inventory"
    ADDRESS_DATA = "address data"
    COMPUTED = "computed"
    DEFAULT = "default"
    ASSUMED = "assumed"


class Setting(enum.StrEnum):
    """What kind of attempt is completed; each has defaults of its own."""

    OFFLINE = "offline"
    LOG = "log"
    REHEARSAL = "rehearsal"
    LIVE = "live"


@dataclass(slots=True)
class Facts:
    """A completed attempt: an absent name is an unknown fact, and there is no other way to say unknown.

    Attributes
    ----------
    values
        Fact name to value.
    origins
        Fact name to where the value came from.
    default_age
        Seconds; the age of methods reported without one. None when nobody said.
    live
        Is this a live decision? An app that the inventory does not know is then closed.
    app_listed, app_title
        Does the inventory know the app, and what does it call it?
    lists
        Address lists by name, each asked with ``address in …``.
    coordinates
        Latitude and longitude of the address in degrees, where address data tells.
    noticed
        What each computed signal was compared with, as JSON by signal id.
    reference
        What a blocked person can quote; empty where there is no record to find by it, `TO_COME` where it is put in
        later.
    not_believed
        Facts that the caller claimed and may not report, as JSON; they count for nothing.
    not_understood
        What was reported for facts and is on no list, as JSON; `origins` tells by whom. Such a fact is unknown and
        nothing fills it; of methods those that are some count, and `auth.credentials` counts as wrong.
    """

    values: dict[str, Value]
    origins: dict[str, Origin]
    default_age: float | None = None
    live: bool = False
    app_listed: bool = True
    app_title: str = ""
    lists: Mapping[str, Any] = field(default_factory=dict)
    coordinates: tuple[float, float] | None = None
    noticed: Mapping[str, Any] = field(default_factory=dict)
    reference: str = ""
    not_believed: Mapping[str, Any] = field(default_factory=dict)
    not_understood: Mapping[str, Any] = field(default_factory=dict)

    def changed(
        self, values: dict[str, Value], origins: dict[str, Origin], coordinates: tuple[float, float] | None
    ) -> Facts:
        """Return the attempt with other values; written out, since remedies try hundreds."""
        return Facts(
            values, origins, self.default_age, self.live, self.app_listed, self.app_title, self.lists, coordinates,
            self.noticed, self.reference, self.not_believed, self.not_understood,
        )  # fmt: skip


@dataclass(frozen=True, slots=True)
class AddressRecord:
    """What is known about an address: facts by name, where on earth it is, and what the data say that is on no list."""

    facts: Mapping[str, Value] = field(default_factory=dict)
    coordinates: tuple[float, float] | None = None
    not_understood: Mapping[str, Any] = field(default_factory=dict)


AddressData = Callable[[Address], AddressRecord]
