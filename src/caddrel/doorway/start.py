"""Who can come to the door, from where and to what; and a visit made from what was chosen."""

from __future__ import annotations

import secrets
from collections.abc import Mapping
from typing import Any

from caddrel.client import CaddrelError
from caddrel.doorway.holdings import PROVES
from caddrel.doorway.networks import CLIENTS, NETWORKS
from caddrel.doorway.service import Asking
from caddrel.doorway.visit import OPERATIONS, Visit

OWN, NONE = "own", "none"
# What a click inside an app opens.
PAGES: dict[str, tuple[str, ...]] = {
    "manifest": ("Sailings today", "Passengers", "Cars and freight"),
    "berthplan": ("Berths this week", "Bookings", "Tide table"),
    "farebox": ("Till", "Tickets sold", "Close the day"),
    "crew-roster": ("This week", "Shore leave", "Swap a watch"),
    "enginewatch": ("Readings", "Service orders", "Alarms"),
    "post": ("Inbox", "Write", "Addresses"),
    "library": ("Manuals", "Safety sheets", "Search"),
    "gangway": ("People", "Devices", "Settings"),
    "": ("Overview", "Search", "Settings"),
}
STORIES: tuple[tuple[str, Mapping[str, str]], ...] = (
    (
        "The mate opens the manifest on board",
        {"person": "ines.faro", "app": "manifest", "device": OWN, "network": "satellite"},
    ),
    (
        "Her password, stolen, comes in through an anonymiser",
        {"person": "ines.faro", "app": "post", "device": NONE, "network": "hidden"},
    ),
    (
        "A new hand enrols a first tablet",
        {"person": "salka.myhre", "app": "library", "operation": "enrol-device", "network": "satellite"},
    ),
    (
        "A port agent has terms to accept",
        {"person": "nadia.aalto", "app": "berthplan", "device": NONE, "network": "quay"},
    ),
    (
        "A keyholder opens the administration",
        {"person": "keyholder-1", "app": "gangway", "device": OWN, "network": "head-office"},
    ),
)
FACTORS = tuple(PROVES)


def choices(asking: Asking) -> dict[str, Any]:
    """Return what there is to choose from."""
    return {
        "people": [(item.id, item.title or item.id) for item in asking.people()],
        "devices": [(item.id, item.title or item.id) for item in asking.devices()],
        "apps": [(item.id, item.title or item.id) for item in asking.apps()],
        "networks": NETWORKS,
        "clients": CLIENTS,
        "operations": OPERATIONS,
        "factors": [(factor, factor) for factor in FACTORS],
    }


def begin(asking: Asking, form: Mapping[str, str]) -> tuple[Visit | None, str]:
    """Return a visit, or None with what is wrong with what was chosen."""
    operation, network, client = (
        form.get(name, first) for name, first in (("operation", "sign-in"), ("network", ""), ("client", "browser"))
    )
    if operation not in OPERATIONS or network not in NETWORKS or client not in CLIENTS:
        return None, "Choose what to do, and from where."
    try:
        person = asking.person(form.get("person", "") or "-")
    except CaddrelError:
        return None, "Nobody is known by that id."
    app = next((item for item in asking.apps() if item.id == form.get("app", "")), None)
    if app is None:
        return None, "Choose an app."
    enrolling, serial, device = _enrolling(operation, form), "", form.get("device", OWN)
    if operation == "enrol-device":
        # A tablet out of its box: nobody knows it yet.
        serial, device = f"KL{secrets.randbelow(10**8):08}", NONE
    return (
        Visit(
            person.id,
            person.title or person.id,
            app.id,
            app.title or app.id,
            operation,
            _device(asking, person.id, device),
            network,
            client,
            factors=tuple(person.document.get("factors", ())),
            enrolling=enrolling,
            serial=serial,
        ),
        "",
    )


def _device(asking: Asking, person: str, chosen: str) -> str:
    if chosen == NONE:
        return ""
    devices = asking.devices()
    if chosen == OWN:
        return next((item.id for item in devices if item.document.get("person") == person), "")
    return next((item.id for item in devices if item.id == chosen), "")


def _enrolling(operation: str, form: Mapping[str, str]) -> dict[str, str]:
    if operation == "enrol-device":
        owner = form.get("owner", "company")
        depth = form.get("depth", "managed")
        return {
            "owner": owner if owner in {"company", "personal"} else "company",
            "depth": depth if depth in {"noted", "managed"} else "managed",
        }
    if operation == "enrol-factor":
        factor = form.get("factor", "")
        return {"factor": factor if factor in FACTORS else "authenticator-app"}
    return {}
