"""Sessions of doors: which are still good, and what a decision makes of them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from datetime import datetime, timedelta
from typing import Any

from caddrel.core.decide.decision import Decision
from caddrel.core.facts.catalogue import FACTS
from caddrel.core.facts.types import Value
from caddrel.core.facts.values import listed
from caddrel.service.auth.secrets import new_id
from caddrel.service.problems import ServiceError
from caddrel.store.door_sessions import DoorSession

# What ended a session that was decided again.
AGAIN = "decided again"
# What the person is told, by why a session is not good any more.
ENDED = {
    "unknown": "Please sign in.",
    "idle": "You have not done anything here for a while. Please sign in again.",
    "too old": "Your sign-in has reached its longest time. Please sign in again.",
    AGAIN: "Something has changed since you signed in. Please sign in again.",
}
_ENDED = "Your sign-in was ended. Please sign in again."


def why_ended(session: DoorSession | None, door: str, now: datetime) -> str:
    """Return why a session is not good any more, empty while it is."""
    if session is None or session.door != door:
        return "unknown"
    if session.ended_by is not None:
        return session.ended_by
    reached = session.limit_reached(now)
    return reached[1] if reached is not None else ""


def ended_text(why: str) -> str:
    """Return what the person is told about a session that is not good any more."""
    return ENDED.get(why, _ENDED)


def resume(session: DoorSession, claims: dict[str, Any], now: datetime) -> None:
    """Add what the session knows to the claims of a request: its device, and its methods with their ages.

    Raises
    ------
    ServiceError
        When it is another person's.
    """
    if claims.get("person.id") != session.person:
        raise ServiceError(400, "other-person", "this session is another person's")
    if session.device is not None:
        claims.setdefault("device.id", session.device)
    ages: dict[str, float | None] = {name: max((now - at).total_seconds(), 0.0) for name, at in session.methods.items()}
    said = claims.get("auth.methods")
    if isinstance(said, list) and all(isinstance(name, str) for name in said):
        said = dict.fromkeys(said, claims.get("auth.age"))
    if isinstance(said, Mapping):
        # What the door says now takes the place of what the session knew, however it spells it.
        spec = FACTS["auth.methods"]
        ages.update((listed(spec, name) or name, age) for name, age in said.items())
    elif said is not None:
        return
    claims["auth.methods"] = ages


def after(
    session: DoorSession | None,
    id: str,
    door: str,
    facts: Mapping[str, Value],
    decision: Decision,
    now: datetime,
    reported: Mapping[str, Any],
) -> DoorSession | None:
    """Return a session as a decision leaves it; None when there is none, or nothing changes in it.

    Parameters
    ----------
    reported
        What is kept of the attempt, so that it can be decided again.
    """
    if decision.outcome != "allowed" or facts.get("operation") != "sign-in":
        return None
    person, app, device = facts.get("person.id"), facts.get("app.id"), facts.get("device.id")
    methods: dict[str, datetime] = {}
    used = facts.get("auth.methods")
    for name, age in used.items() if isinstance(used, dict) else ():
        methods[name] = now - timedelta(seconds=age) if age is not None else now
    keep = strictest(session.keep, decision.keep) if session is not None else dict(decision.keep)
    if session is not None:
        return replace(session, app=str(app), seen=now, methods=methods, keep=keep, signin=id, facts=reported)
    named = device if isinstance(device, str) else None
    return DoorSession(
        f"in-{new_id(32)}", door, str(person), str(app), named, now, now, methods, keep, id, facts=reported
    )


def strictest(kept: Mapping[str, int | bool], now: Mapping[str, int | bool]) -> dict[str, int | bool]:
    """Return the limits of a session with those of another decision: of each the stricter."""
    found = dict(kept)
    for name, limit in now.items():
        found[name] = bool(limit) if isinstance(limit, bool) else min(limit, kept.get(name, limit))
    return found


def limits_json(session: DoorSession) -> dict[str, Any]:
    """Return what a door is told of a session: when it ends at the latest, and when unless something is done."""
    found: dict[str, Any] = {"id": session.id}
    for name, since, limit in (
        ("ends_at", session.started, session.keep.get("session_at_most")),
        ("idle_ends_at", session.seen, session.keep.get("idle_at_most")),
    ):
        if limit is not None:
            found[name] = (since + timedelta(seconds=limit)).isoformat().replace("+00:00", "Z")
    if session.keep.get("end_with_browser"):
        found["end_with_browser"] = True
    return found
