"""Hooks: what is new on the watch page, for who has no shared signals: CloudEvents 1.0 or OCSF, by HTTPS POST.

Each message is signed by an HTTP message signature (RFC 9421) over its method, address, type and digest (RFC 9530),
with the key that events are signed with. A hook is a stream like others: in order, tried again, in the same outbox.
"""

from __future__ import annotations

import base64
import hashlib
import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from caddrel.core.facts.values import show_moment
from caddrel.core.logs import ocsf
from caddrel.service.streams.event_keys import EventKeys
from caddrel.store.event_streams import EventStream
from caddrel.store.outbox import ADDED, WATCH, OutEvent

HOOK = "hook"
# Of a stream's receiver: it is a hook, and of this name.
PREFIX = "hook:"
_TYPE = "caddrel.watch."
# OCSF: Detection Finding, created; and its severities by ours.
_CLASS, _CREATE = 2004, 1
_SEVERITY = {"wrong": 4, "due": 2, "look": 2}
_SIGNED = ("@method", "@target-uri", "content-type", "content-digest")


@dataclass(frozen=True, slots=True)
class Message:
    """What is sent to a hook."""

    headers: dict[str, str]
    body: bytes


def is_hook(stream: EventStream) -> bool:
    """Tell whether a stream is a hook."""
    return stream.receiver.startswith(PREFIX)


def name_of(stream: EventStream) -> str:
    """Return the name of a hook."""
    return stream.receiver.removeprefix(PREFIX)


def wants(stream: EventStream, event: OutEvent) -> bool:
    """Tell whether a hook is to be told of something."""
    return event.kind == ADDED or event.said.get("kind") in stream.document["tells"]


def kinds() -> Sequence[str]:
    """Return the kinds of events that hooks are told."""
    return WATCH, ADDED


def message(stream: EventStream, event: OutEvent, origin: str, keys: EventKeys, now: datetime) -> Message:
    """Return what a hook is told of something."""
    said: Mapping[str, Any] = event.said
    if event.kind == ADDED:
        said = {
            "key": stream.id,
            "kind": "hook-added",
            "state": "look",
            "says": f"{name_of(stream)} is told from now on.",
        }
    make = _ocsf if stream.document["format"] == "ocsf" else _cloud_event
    media = "application/json" if make is _ocsf else "application/cloudevents+json"
    body = json.dumps(make(event, said, origin), ensure_ascii=False).encode()
    return Message(_signed(stream.document["delivery"]["endpoint_url"], media, body, keys, now), body)


def _cloud_event(event: OutEvent, said: Mapping[str, Any], origin: str) -> dict[str, Any]:
    return {
        "specversion": "1.0",
        "id": event.jti,
        "source": origin,
        "type": f"{_TYPE}{said['kind']}",
        "subject": said["key"],
        "time": show_moment(event.at),
        "datacontenttype": "application/json",
        "data": {name: said.get(name, "") for name in ("state", "says", "detail")},
    }


def _ocsf(event: OutEvent, said: Mapping[str, Any], origin: str) -> dict[str, Any]:
    at = int(event.at.timestamp() * 1000)
    finding = {"uid": said["key"], "title": said["says"], "types": [said["kind"]], "created_time": at}
    if said.get("detail"):
        finding["desc"] = said["detail"]
    return {
        "class_uid": _CLASS,
        "category_uid": _CLASS // 1000,
        "activity_id": _CREATE,
        "type_uid": _CLASS * 100 + _CREATE,
        "severity_id": _SEVERITY[said["state"]],
        "status_id": 1,
        "time": at,
        "message": said["says"],
        "finding_info": finding,
        "metadata": {
            "uid": event.jti, "version": ocsf.VERSION, "log_provider": origin,
            "product": {"name": "Caddrel", "vendor_name": "Caddrel"},
        },
    }  # fmt: skip


def _signed(url: str, media: str, body: bytes, keys: EventKeys, now: datetime) -> dict[str, str]:
    """Return the headers of a message: what it is, its digest, and a signature over both (RFC 9421, section 3.1)."""
    digest = f"sha-256=:{base64.b64encode(hashlib.sha256(body).digest()).decode()}:"
    values = {"@method": "POST", "@target-uri": url, "content-type": media, "content-digest": digest}
    kid = keys.current()
    names = " ".join(f'"{name}"' for name in _SIGNED)
    params = f'({names});created={int(now.timestamp())};keyid="{kid}";alg="rsa-v1_5-sha256"'
    lines = [*(f'"{name}": {values[name]}' for name in _SIGNED), f'"@signature-params": {params}']
    signature = base64.b64encode(keys.sign_bytes(kid, "\n".join(lines).encode())).decode()
    return {
        "Content-Type": media, "Content-Digest": digest, "Signature-Input": f"caddrel={params}",
        "Signature": f"caddrel=:{signature}:",
    }  # fmt: skip
