"""Where somebody mostly comes from, by the log: what a plain sign-in of theirs now would most likely report."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from ipaddress import ip_address
from typing import Any

from caddrel.core.facts.attempts import AttemptRefused, read_facts
from caddrel.core.facts.types import Value
from caddrel.core.inventory.index import Inventory
from caddrel.core.reach.apps import usual_device
from caddrel.core.rulebook.model import Rulebook
from caddrel.service.state.data_folder import DataFolder
from caddrel.store.queries import Query
from caddrel.store.signins import SigninRecord

# So many of the last sign-ins tell where somebody mostly comes from.
LAST = 60
# What a sign-in most likely reports of which the log says nothing.
_MOST_LIKELY: Mapping[str, Any] = {"client.kind": "browser", "network.anonymiser": "none", "risk.attempt": "none"}
_KEPT = ("client.", "network.")
# Of these one is taken that is in no place and no list.
_ANYWHERE = ("198.18.0.1", "100.64.0.1", "192.88.99.1", "240.0.0.1")


def last_signins(data: DataFolder, column: str = "", id: str = "") -> list[SigninRecord]:
    """Return the last sign-ins of a person, a device or an app, or of all, the latest first."""
    equal = {column: id} if column else {}
    return list(data.signins.page(Query(equal=equal, limit=LAST)))[:LAST]


def usual(
    data: DataFolder, rulebook: Rulebook, inventory: Inventory, person: str, records: list[SigninRecord]
) -> dict[str, Value]:
    """Return what a plain sign-in of somebody would report beside who it is: device, client and network.

    Parameters
    ----------
    records
        The last sign-ins of the person; where there are none, the network is that of most sign-ins of late.
    """
    found: dict[str, Any] = dict(_MOST_LIKELY)
    mine = _most_like(records) or _most_like(last_signins(data))
    if mine is not None:
        whole = data.signins.get(mine.id)
        facts = whole.facts.get("values", {}) if whole is not None else {}
        found |= {name: said[1] for name, said in facts.items() if name.startswith(_KEPT)}
    else:
        found["network.ip"] = _anywhere(rulebook, inventory)
    device = next((str(r.columns["device"]) for r in _usual_first(records) if r.columns.get("device")), None)
    if device is None or device not in inventory.devices:
        device = usual_device(inventory, person)
    if device is not None:
        found["device.id"] = device
    try:
        return read_facts(found, rulebook.catalogue)
    except AttemptRefused:
        # What the log holds may be on no list of today: then only what surely is.
        return read_facts({**_MOST_LIKELY, **({"device.id": device} if device is not None else {})}, rulebook.catalogue)


def _usual_first(records: list[SigninRecord]) -> list[SigninRecord]:
    """Return sign-ins that were let in, those of the device that is most often used first."""
    good = [record for record in records if record.columns["outcome"] != "blocked"] or records
    seen = Counter(record.columns.get("device") for record in good)
    return sorted(good, key=lambda record: -seen[record.columns.get("device")])


def _most_like(records: list[SigninRecord]) -> SigninRecord | None:
    """Return the latest of those sign-ins that come from where most of them come from."""
    good = _usual_first(records)
    seen = Counter(record.columns.get("address") for record in good)
    return max(good, key=lambda record: seen[record.columns.get("address")], default=None)


def _anywhere(rulebook: Rulebook, inventory: Inventory) -> str:
    """Return an address that is in no network of any place, and in no address list."""
    for text in _ANYWHERE:
        address = ip_address(text)
        parts = [parts for place in rulebook.places.values() for parts in (place.parts, place.without)]
        inside = any(address in network for each in parts for network in each.networks if network.version == 4)
        if not inside and not any(address in held for held in inventory.lists.values()):
            return text
    return _ANYWHERE[0]
