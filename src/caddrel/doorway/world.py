"""Changing the device at the door: what it reports of itself, with a token of its own."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from caddrel.client import Refused
from caddrel.doorway.service import Asking
from caddrel.doorway.visit import Visit
from caddrel.wire.inventory import DeviceState

FLAGS = {"managed": "managed", "encrypted": "encrypted", "screen_lock": "locks its screen", "tampered": "tampered with"}


def device_shown(asking: Asking, visit: Visit) -> dict[str, Any] | None:
    """Return what is known of the device at the door, None when it is not known."""
    if not visit.device:
        return None
    document = asking.device(visit.device).document
    flags = [(name, says, bool(document.get(name))) for name, says in FLAGS.items()]
    return {"id": visit.device, "document": document, "flags": flags}


def change_device(asking: Asking, visit: Visit, form: Mapping[str, str]) -> None:
    """Have the device report a state; what is wrong with it is said at the door."""
    if not visit.device:
        return
    state = DeviceState(os_version=form.get("os_version") or None, **{name: form.get(name) == "yes" for name in FLAGS})
    try:
        asking.report(visit.device, state)
    except Refused as refused:
        visit.said = "; ".join(found.message for found in refused.problem.errors) or str(refused)
