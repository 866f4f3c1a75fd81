"""Events as they travel: what happened here as CAEP 1.0, RISC 1.0 and SSF 1.0 have it, in tokens of RFC 8417."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from caddrel.store.outbox import OutEvent

_CAEP = "https://schemas.openid.net/secevent/caep/event-type/"
_RISC = "https://schemas.openid.net/secevent/risc/event-type/"
_SSF = "https://schemas.openid.net/secevent/ssf/event-type/"
# What is sent, by the word it is kept under.
TYPES = {
    **{
        kind: _CAEP + kind
        for kind in (
            "session-revoked", "token-claims-change", "credential-change", "assurance-level-change",
            "device-compliance-change", "risk-level-change",
        )
    },
    **{kind: _RISC + kind for kind in ("account-disabled", "account-enabled", "credential-compromise")},
}  # fmt: skip
VERIFICATION, UPDATED = "verification", "stream-updated"
KINDS = {uri: kind for kind, uri in TYPES.items()}
_ALL = {**TYPES, VERIFICATION: _SSF + VERIFICATION, UPDATED: _SSF + UPDATED}
# How strongly somebody is proven, in our words: what was asked for is met, or something is asked for again.
_LEVELS = ("asked-again", "as-asked")


def claims_of(event: OutEvent, issuer: str, audience: str) -> dict[str, Any]:
    """Return the claims of the token that tells an event to a receiver."""
    moment = event.at.timestamp()
    said: dict[str, Any] = {}
    if event.kind in {VERIFICATION, UPDATED}:
        said, subject = dict(event.said), {"format": "opaque", "id": event.stream}
    else:
        said = {"event_timestamp": int(moment), **_said(event.kind, event.said)}
        subject = _subject(event, issuer)
    return {
        "iss": issuer,
        "jti": event.jti,
        "iat": int(moment),
        "aud": audience,
        "sub_id": subject,
        "events": {_ALL[event.kind]: said},
    }


def _subject(event: OutEvent, issuer: str) -> dict[str, Any]:
    """Return whom or what an event is about (RFC 9493; complex subjects of SSF 1.0, section 3.2)."""
    parts: dict[str, Any] = {}
    if event.person:
        parts["user"] = {"format": "iss_sub", "iss": issuer, "sub": event.person}
    if event.session:
        parts["session"] = {"format": "opaque", "id": event.session}
    if event.device:
        parts["device"] = {"format": "opaque", "id": event.device}
    if len(parts) == 1:
        return next(iter(parts.values()))
    return {"format": "complex", **parts}


def _said(kind: str, said: Mapping[str, Any]) -> dict[str, Any]:
    """Return what a kind of event says, in the words of its standard."""
    because = {"reason_admin": {"en": str(said["because"])[:1000]}} if said.get("because") else {}
    match kind:
        case "session-revoked":
            by = said.get("by")
            who = "policy" if by in {"decided again", "idle", "too old"} else "user" if by == "door" else "admin"
            return {"initiating_entity": who, **because}
        case "assurance-level-change":
            now, before = _LEVELS if said.get("asks") else reversed(_LEVELS)
            direction = "decrease" if said.get("asks") else "increase"
            level = {"namespace": "caddrel", "current_level": now, "previous_level": before}
            return {**level, "change_direction": direction, "initiating_entity": "policy", **because}
        case "device-compliance-change":
            return {"current_status": said["now"], "previous_status": said["before"], **because}
        case "risk-level-change":
            level = {"principal": "USER", "current_level": said["now"], "previous_level": said["before"]}
            return {**{key: value for key, value in level.items() if value}, **because}
        case "token-claims-change":
            return {"claims": dict(said["claims"]), **because}
        case "credential-change":
            return {"credential_type": said["type"], "change_type": said["change"], **because}
        case "account-disabled":
            return {"reason": "off"} if said.get("off") else {}
        case _:
            return dict(said)
