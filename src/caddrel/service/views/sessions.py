"""Endpoints of the sessions of doors."""

from __future__ import annotations

from caddrel.service.decisions import sessions
from caddrel.service.problems import not_found
from caddrel.service.views.calls import Call, Endpoints
from caddrel.store.door_sessions import DoorSession
from caddrel.wire import sessions as wire

endpoints = Endpoints()


@endpoints.add("GET", "/api/v1/sessions", role="viewer", returns=wire.SessionList)
def listed(call: Call) -> wire.SessionList:
    """Who is in, since when and under which limits; those seen last first."""
    return _good(call)


def _good(call: Call) -> wire.SessionList:
    now = call.data.clock()
    doors = {token.id: token.name for token in call.data.accounts.all_tokens()}
    found = call.data.door_sessions.open()
    good = [session for session in found if not sessions.why_ended(session, session.door, now)]
    return wire.SessionList([_view(session, doors.get(session.door, session.door)) for session in good])


def _view(session: DoorSession, door: str) -> wire.DoorSession:
    limits = sessions.limits_json(session)

    def text(moment: object) -> str:
        return str(moment).replace("+00:00", "Z")

    return wire.DoorSession(
        id=session.id,
        door=door,
        person=session.person,
        app=session.app,
        device=session.device,
        started=text(session.started.isoformat()),
        seen=text(session.seen.isoformat()),
        ends_at=limits.get("ends_at"),
        idle_ends_at=limits.get("idle_ends_at"),
        end_with_browser=bool(limits.get("end_with_browser")),
        methods=sorted(session.methods),
        signin=session.signin,
    )


@endpoints.add("DELETE", "/api/v1/sessions/<id>", role="operator", returns=wire.SessionList)
def end(call: Call) -> wire.SessionList:
    """End a session: its next request is refused."""
    if not call.data.door_sessions.end(call.path["id"], call.data.clock(), call.who().name):
        raise not_found("open session of that id", "see caddrel sessions list")
    return _good(call)
