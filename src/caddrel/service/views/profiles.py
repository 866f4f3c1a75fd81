"""Endpoints of one object looked at from all sides."""

from __future__ import annotations

from caddrel.service.http.endpoints import Param
from caddrel.service.profiles import device_state, failing_devices, part_now, people, things
from caddrel.service.views.calls import Call, Endpoints
from caddrel.wire import profiles as wire
from caddrel.wire.authoring import Standing

endpoints = Endpoints()
_LIMIT = Param("limit", "At most so many.", 50, 500)


@endpoints.add("GET", "/api/v1/people/<id>/profile", role="viewer", returns=wire.PersonProfile)
def person(call: Call) -> wire.PersonProfile:
    """A person: memberships and where each comes from, devices, sessions, sign-ins, and what they can open now."""
    return people.person_profile(call.data, call.runtime.log.lockouts, call.path["id"])


@endpoints.add("GET", "/api/v1/devices/<id>/profile", role="viewer", returns=wire.DeviceProfile)
def device(call: Call) -> wire.DeviceProfile:
    """A device: its state and the age of it, each standard with its checks, who signs in from it."""
    return device_state.device_profile(call.data, call.path["id"])


@endpoints.add("GET", "/api/v1/people/<id>/coverage", role="viewer", returns=wire.ReachCoverage, heavy="rehearse")
def person_coverage(call: Call) -> wire.ReachCoverage:
    """What somebody can meet at each app from any device, place and moment."""
    return people.person_coverage(call.data, call.path["id"])


@endpoints.add("GET", "/api/v1/groups/<id>/coverage", role="viewer", returns=wire.ReachCoverage, heavy="rehearse")
def group_coverage(call: Call) -> wire.ReachCoverage:
    """What anybody of a group can meet at each app from any device, place and moment."""
    return things.group_coverage(call.data, call.path["id"])


@endpoints.add("GET", "/api/v1/apps/<id>/coverage", role="viewer", returns=wire.AppCoverage, heavy="rehearse")
def app_coverage(call: Call) -> wire.AppCoverage:
    """Who can reach an app how: each audience in which there is somebody."""
    return things.app_coverage(call.data, call.path["id"])


@endpoints.add("GET", "/api/v1/apps/<id>/profile", role="viewer", returns=wire.AppProfile)
def app(call: Call) -> wire.AppProfile:
    """An app: its stance, and the policies that speak about it."""
    return things.app_profile(call.data, call.path["id"])


@endpoints.add("GET", "/api/v1/groups/<id>/profile", role="viewer", returns=wire.GroupProfile)
def group(call: Call) -> wire.GroupProfile:
    """A group: its members through nesting, and why; the policies that name it."""
    return things.group_profile(call.data, call.path["id"])


@endpoints.add(
    "GET",
    "/api/v1/groups/<id>/joining",
    role="viewer",
    returns=wire.Joining,
    params=[Param("person", "Who would become a member.", needed=True)],
)
def joining(call: Call) -> wire.Joining:
    """What somebody would gain or lose who became a member of a group."""
    return things.joining(call.data, call.path["id"], call.query["person"])


@endpoints.add("GET", "/api/v1/lists/<id>/profile", role="viewer", returns=wire.ListProfile)
def address_list(call: Call) -> wire.ListProfile:
    """An address list: the first of its networks, and the places that use it."""
    return things.list_profile(call.data, call.path["id"])


@endpoints.add(
    "GET",
    "/api/v1/standards/<id>/failing",
    role="viewer",
    returns=wire.FailingDevices,
    params=[
        Param("draft", "As this draft has it, instead of the current revision."),
        Param("after", "The `next` of the page before."),
        _LIMIT,
    ],
    heavy="rehearse",
)
def failing(call: Call) -> wire.FailingDevices:
    """The devices that do not surely pass a standard now, with what to do, and the apps that their owners lose."""
    query = call.query
    limit = call.number(_LIMIT)
    return failing_devices.failing(call.data, call.path["id"], query.get("draft", ""), query.get("after", ""), limit)


@endpoints.add("GET", "/api/v1/rulebook/standing/<path>", role="viewer", returns=Standing)
def standing(call: Call) -> Standing:
    """How a place, standard or schedule stands now: sign-ins from it, devices that pass, open or not."""
    return part_now.part_standing(call.data, call.runtime.covering, call.path["path"])
