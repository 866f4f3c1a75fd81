"""OCSF Authentication events (class 3002, schema 1.3): into import lines, and out of the log again.

What the class has no attribute for travels under ``unmapped.caddrel``, so that an event that Caddrel wrote is read back
to the same facts.
"""

from __future__ import annotations

from collections.abc import Mapping
from datetime import UTC, datetime
from typing import Any

from caddrel.core.diagnostics import Diagnostic, shorten
from caddrel.core.facts.attempts import AttemptRefused
from caddrel.core.facts.values import read_moment, show_moment

CLASS_UID = 3002
VERSION = "1.3.0"
# Fact, and where the class keeps it.
_PATHS: Mapping[str, str] = {
    "person.id": "user.name",
    "app.id": "service.name",
    "network.ip": "src_endpoint.ip",
    "network.country": "src_endpoint.location.country",
    "network.city": "src_endpoint.location.city",
    "network.asn": "src_endpoint.autonomous_system.number",
    "device.id": "device.uid",
    "device.os_version": "device.os.version",
    "device.managed": "device.is_managed",
    "client.name": "http_request.user_agent",
}
_PLATFORMS = {
    100: "windows", 200: "linux", 201: "android", 300: "macos", 301: "ios", 302: "ios",
}  # fmt: skip
_OUTCOMES = {1: "accepted", 2: "refused"}
# Of `activity_id`, only signing in is an attempt.
_LOGON = 1


def from_event(event: Any) -> dict[str, Any]:
    """Return an event as a line of an import: ``{"id", "facts", "recorded"}``.

    Raises
    ------
    AttemptRefused
        When it is no Authentication event, or has no id or time.
    """
    if not isinstance(event, Mapping) or event.get("class_uid") != CLASS_UID:
        raise _refused("not-authentication", f"this is no OCSF event of class {CLASS_UID}", "class_uid")
    if event.get("activity_id", _LOGON) != _LOGON:
        raise _refused("not-a-logon", "only events with activity_id 1, Logon, are sign-ins", "activity_id")
    id = _at(event, "metadata.uid")
    if not isinstance(id, str):
        raise _refused("bad-id", "the event has no `metadata.uid` to know it by again", "metadata.uid")
    facts: dict[str, Any] = {"time.at": _moment(event)}
    for fact, path in _PATHS.items():
        value = _at(event, path)
        if value is not None:
            facts[fact] = value
    platform = _PLATFORMS.get(_at(event, "device.os.type_id"))
    if platform is not None:
        facts["device.platform"] = platform
    status = _OUTCOMES.get(event.get("status_id", 0))
    if status is not None:
        facts["auth.credentials"] = "right" if status == "accepted" else "wrong"
    own = _at(event, "unmapped.caddrel")
    own = own if isinstance(own, Mapping) else {}
    if isinstance(own.get("facts"), Mapping):
        facts = {**{k: v for k, v in facts.items() if k in {"time.at"}}, **own["facts"]}
    recorded = own.get("recorded")
    if not isinstance(recorded, Mapping):
        detail = event.get("status_detail")
        reason = {"reason": detail[:500]} if isinstance(detail, str) and detail else {}
        recorded = {"outcome": status, **reason} if status is not None else {}
    return {"id": id, "facts": facts, **({"recorded": dict(recorded)} if recorded else {})}


def to_event(document: Mapping[str, Any], outcome: str, version: str) -> dict[str, Any]:
    """Return a line of an export as an event.

    Parameters
    ----------
    document
        As an import reads it: ``{"id", "facts", "recorded"}``, facts flat.
    outcome
        What Caddrel decided.
    version
        Of this release, for `metadata.product`.
    """
    facts, recorded = document["facts"], document.get("recorded", {})
    let_in = facts.get("auth.credentials") != "wrong" and outcome == "allowed"
    event: dict[str, Any] = {
        "class_uid": CLASS_UID,
        "category_uid": 3,
        "activity_id": _LOGON,
        "type_uid": CLASS_UID * 100 + _LOGON,
        "severity_id": 1,
        "time": int(read_moment(facts["time.at"]).timestamp() * 1000),
        "status_id": 1 if let_in else 2,
        "status_detail": outcome,
        "is_mfa": len(facts.get("auth.methods") or ()) > 1,
        "metadata": {
            "uid": document["id"],
            "version": VERSION,
            "product": {"name": "Caddrel", "vendor_name": "Caddrel", "version": version},
        },
        "user": {"name": facts.get("person.id") or "unknown"},
        "unmapped": {"caddrel": {"facts": dict(facts), "recorded": dict(recorded)}},
    }
    for fact, path in _PATHS.items():
        if facts.get(fact) is not None:
            *way, last = path.split(".")
            node = event
            for part in way:
                node = node.setdefault(part, {})
            node[last] = facts[fact]
    for number, platform in _PLATFORMS.items():
        if facts.get("device.platform") == platform:
            event.setdefault("device", {}).setdefault("os", {}).setdefault("type_id", number)
    if "device" in event:
        event["device"].setdefault("type_id", 0)
    return event


def _moment(event: Mapping[str, Any]) -> str:
    """Return the time of an event: milliseconds since 1970, or `time_dt` in RFC 3339."""
    written = event.get("time_dt")
    if isinstance(written, str):
        return written
    number = event.get("time")
    if isinstance(number, int | float) and not isinstance(number, bool):
        try:
            return show_moment(datetime.fromtimestamp(number / 1000, UTC))
        except (ValueError, OverflowError, OSError):
            pass
    raise _refused("missing-key", "the event has no `time` in milliseconds since 1970", "time")


def _at(event: Mapping[str, Any], path: str) -> Any:
    node: Any = event
    for part in path.split("."):
        node = node.get(part) if isinstance(node, Mapping) else None
    return node if node != "" else None


def _refused(code: str, message: str, path: str) -> AttemptRefused:
    return AttemptRefused([Diagnostic(code, shorten(message, 120), path=path)])
