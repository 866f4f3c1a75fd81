"""Endpoints of devices that came to a door and are on no list."""

from __future__ import annotations

from caddrel.service.http.endpoints import Param
from caddrel.service.inventory.unlisted import DAYS, refuse, unlisted, vet
from caddrel.service.views.calls import Call, Endpoints
from caddrel.wire import unlisted as wire

endpoints = Endpoints()
_DAYS = Param("days", "Those that came within so many days.", usual=DAYS, most=366)
_REFUSED = Param("refused", "Those that are to stay off the list.", words=("yes", "no"))


@endpoints.add(
    "GET", "/api/v1/unlisted-devices", role="viewer", returns=wire.UnlistedDevices, params=[_DAYS, _REFUSED]
)  # fmt: skip
def listed(call: Call) -> wire.UnlistedDevices:
    """Devices that came to a door and are on no list, those seen last first: how often, and with whom."""
    return unlisted(call.data, call.number(_DAYS), call.query.get("refused") == "yes")


@endpoints.add(
    "POST", "/api/v1/unlisted-devices/vetted", role="operator", body=wire.VetRequest, returns=wire.UnlistedDevices
)  # fmt: skip
def vetted(call: Call) -> wire.UnlistedDevices:
    """Put one of them on the list, as one that may be used."""
    call.noted = vet(call.data, call.runtime.inventory, call.body)
    return unlisted(call.data, DAYS, refused=False)


@endpoints.add(
    "POST", "/api/v1/unlisted-devices/refused", role="operator", body=wire.RefuseRequest, returns=wire.UnlistedDevices
)  # fmt: skip
def refused(call: Call) -> wire.UnlistedDevices:
    """Keep one of them off the list, for a reason: it is not shown with the others any more."""
    refuse(call.data, call.body, call.who().name)
    call.noted = f"{call.body.device}: {call.body.why}"
    return unlisted(call.data, DAYS, refused=False)
