"""Endpoints of the sessions of doors."""

from __future__ import annotations

from dataclasses import replace

from caddrel.core.diagnostics import shorten
from caddrel.core.facts.values import show_moment
from caddrel.core.words.pieces import counted
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
    now, doors = call.data.clock(), _doors(call)
    found = call.data.door_sessions.open()
    good = [session for session in found if not sessions.why_ended(session, session.door, now)]
    # What was spared is left alone, and waits for nobody.
    waiting = {change.number for change in call.data.held_changes.open()}
    shown = [each if each.held in waiting else replace(each, held=None) for each in good]
    return wire.SessionList([_view(session, doors.get(session.door, session.door)) for session in shown])


def _doors(call: Call) -> dict[str, str]:
    return {token.id: token.name for token in call.data.accounts.all_tokens()}


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
        asks=list(session.asks),
        because=session.because,
        held=session.held,
    )


@endpoints.add("DELETE", "/api/v1/sessions/<id>", role="operator", returns=wire.SessionList)
def end(call: Call) -> wire.SessionList:
    """End a session: its next request is refused."""
    if not call.data.door_sessions.end(call.path["id"], call.data.clock(), call.who().name):
        raise not_found("open session of that id", "see caddrel sessions list")
    return _good(call)


@endpoints.add("GET", "/api/v1/held-changes", role="viewer", returns=wire.HeldChangeList)
def held(call: Call) -> wire.HeldChangeList:
    """The changes that are held, as they would end many sessions or an administrator's, each with who they are."""
    doors = _doors(call)
    return wire.HeldChangeList(
        [
            wire.HeldChange(
                change.number, show_moment(change.at), change.because, change.why,
                [_view(each, doors.get(each.door, each.door)) for each in found],
            )
            for change, found in call.runtime.sessions.held()
        ]
    )  # fmt: skip


@endpoints.add("POST", "/api/v1/held-changes/<id>", role="publisher", body=wire.HeldVerdict, returns=wire.HeldDecided)
def decide_held(call: Call) -> wire.HeldDecided:
    """Decide about a held change: end its sessions, as they come out now, or leave them."""
    text, body = call.path["id"], call.body
    if not (text.isascii() and text.isdigit() and len(text) < 10):
        raise not_found(f"held change `{shorten(text)}`", "see caddrel sessions held")
    number, by = int(text), call.who().name
    if body.verdict == "spare":
        count, verdict = call.runtime.sessions.spare(number, by), "spared"
    else:
        count, verdict = call.runtime.sessions.carry_out(number, by), "carried out"
    call.noted = f"{verdict}, {counted(count, 'session')}"
    return wire.HeldDecided(number, verdict, count)  # type: ignore[arg-type]
