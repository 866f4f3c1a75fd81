"""Carrying out what was allowed at the door: a device or a factor enrolled, a password changed."""

from __future__ import annotations

from datetime import UTC, datetime

from caddrel.doorway.service import Asking
from caddrel.doorway.visit import Visit


def carry_out(asking: Asking, visit: Visit) -> None:
    """Do what a visit came for, once it is allowed; `visit.done` says what was done."""
    if visit.done or visit.answer is None or not visit.answer.decision:
        return
    if visit.operation == "enrol-device":
        visit.done = _device(asking, visit)
    elif visit.operation == "enrol-factor":
        visit.done = _factor(asking, visit)


def _device(asking: Asking, visit: Visit) -> str:
    owner, depth = visit.enrolling["owner"], visit.enrolling["depth"]
    id = f"new-{visit.serial.lower()}"
    now = datetime.now(UTC).isoformat().replace("+00:00", "Z")
    document = {
        "id": id,
        "title": f"Tablet of {visit.title}",
        "serial": visit.serial,
        "person": visit.person,
        "owner": owner,
        "platform": "android",
        "os_version": "16",
        "managed": depth == "managed",
        "vetted": True,
        "encrypted": True,
        "screen_lock": True,
        "tampered": False,
        "listed_at": now,
        "state_at": now,
    }
    asking.take_in("devices", document)
    return f"The tablet {visit.serial} is enrolled as {id}."


def _factor(asking: Asking, visit: Visit) -> str:
    factor = visit.enrolling["factor"]
    document = dict(asking.person(visit.person).document)
    document["factors"] = sorted({*document.get("factors", []), factor})
    asking.take_in("people", document)
    visit.factors = tuple(document["factors"])
    if factor == "authenticator-app":
        return f"The authenticator app is enrolled. It is set up by {asking.holdings(visit.person).setup()}"
    return f"The factor {factor} is enrolled."
