"""Streams of events to receivers (OpenID Shared Signals Framework 1.0): managed by them, and polled (RFC 8936).

Not here: what waits for a stream, and pushing it (`delivery`).
"""

from __future__ import annotations

import secrets
import threading
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from caddrel.core.diagnostics import shorten
from caddrel.service.problems import ServiceError, not_found
from caddrel.service.state.data_folder import DataFolder
from caddrel.service.streams.delivery import POLL, PUSH, Delivery
from caddrel.service.streams.events import KINDS, TYPES, VERIFICATION
from caddrel.service.streams.outward import checked_url
from caddrel.store.event_streams import EventStream
from caddrel.store.outbox import OutEvent

MOST_POLLED, MOST_STREAMS = 100, 20
_EDITABLE = ("events_requested", "delivery", "description")


@dataclass(slots=True)
class Transmitter:
    """Keeps streams as their receivers ask for them; one for the whole service."""

    data: DataFolder
    delivery: Delivery
    # Held by whoever changes streams: of two changes at once none is lost.
    _changing: threading.Lock = field(default_factory=threading.Lock)

    # Managing (SSF 1.0, section 8).

    def create(self, receiver: str, asked: Mapping[str, Any]) -> EventStream:
        """Return a new stream of a receiver.

        Raises
        ------
        ServiceError
            When it is asked for wrongly, or there are too many.
        """
        made = EventStream(f"s-{secrets.token_hex(8)}", receiver, {}, self.data.clock())
        made = self._asked(made, asked, dict(asked))
        with self._changing:
            mine = [each for each in self.data.event_streams.all() if each.receiver == receiver]
            if len(mine) >= MOST_STREAMS:
                hint = "delete one"
                raise ServiceError(409, "too-many-streams", f"a receiver has at most {MOST_STREAMS} streams", hint)
            # Of what was before it, it is told nothing.
            self.data.outbox.delivered(made.id, self.data.outbox.head())
            self.data.event_streams.put(made)
        return made

    def change(self, receiver: str, asked: Mapping[str, Any], whole: bool) -> EventStream:
        """Change a stream: what is not said stays, or with `whole` is taken back."""
        with self._changing:
            there = self.need(receiver, asked.get("stream_id"))
            before = {} if whole else {key: there.document[key] for key in _EDITABLE if key in there.document}
            made = self._asked(there, asked, {**before, **asked})
            self.data.event_streams.put(made)
        self.delivery.soon(made.id)
        return made

    def remove(self, receiver: str, id: object) -> None:
        """Take a stream out; what waited for it is gone."""
        self.take_out(self.need(receiver, id))

    def take_out(self, stream: EventStream) -> None:
        """Take a stream out, whoever's it is."""
        self.data.event_streams.remove(stream.id)
        self.data.outbox.forget(stream.id)
        self.delivery.trying.pop(stream.id, None)

    def need(self, receiver: str, id: object) -> EventStream:
        """Return a stream of a receiver; of several it must be named.

        Raises
        ------
        ServiceError
            When there is none.
        """
        mine = [each for each in self.data.event_streams.all() if each.receiver == receiver]
        if id is None and len(mine) == 1:
            return mine[0]
        for each in mine:
            if each.id == id:
                return each
        raise not_found(f"stream `{shorten(str(id))}` of this receiver", "name it: stream_id")

    def _asked(self, stream: EventStream, asked: Mapping[str, Any], document: dict[str, Any]) -> EventStream:
        unknown = sorted(set(asked) - {*_EDITABLE, "stream_id", "iss", "aud", "events_supported", "events_delivered",
                                       "min_verification_interval", "inactivity_timeout"})  # fmt: skip
        if unknown:
            raise ServiceError(400, "bad-stream", f"a stream has no `{shorten(unknown[0])}`")
        kinds = document.get("events_requested", list(TYPES.values()))
        if not isinstance(kinds, list) or not all(isinstance(each, str) for each in kinds) or len(kinds) > 100:
            raise ServiceError(400, "bad-stream", "`events_requested` is a list of event types")
        delivery = document.get("delivery") or {"method": POLL}
        if not isinstance(delivery, dict) or delivery.get("method") not in (PUSH, POLL):
            raise ServiceError(400, "bad-stream", "`delivery.method` is not known", f"{PUSH} or {POLL}")
        locked, kept = stream.locked, {"method": delivery["method"]}
        if delivery["method"] == PUSH:
            url = delivery.get("endpoint_url")
            if not isinstance(url, str):
                raise ServiceError(400, "bad-stream", "`delivery.endpoint_url` is missing")
            kept["endpoint_url"] = checked_url(url, self.data.settings.allow_private)
            header = delivery.get("authorization_header")
            if header is not None:
                if not isinstance(header, str) or not header.isprintable() or len(header) > 2_000:
                    raise ServiceError(400, "bad-stream", "`delivery.authorization_header` is no header")
                locked = self.data.keys.lock(header)
        description = document.get("description", "")
        if not isinstance(description, str) or len(description) > 500:
            raise ServiceError(400, "bad-stream", "`description` is a text of at most 500 characters")
        whom = {"left_out": stream.document.get("left_out", [])}
        told = {"events_requested": kinds, "delivery": kept, "description": description, **whom}
        return replace(stream, document=told, locked=locked)

    def view(self, stream: EventStream) -> dict[str, Any]:
        """Return a stream as its receiver is told of it."""
        delivery = dict(stream.document["delivery"])
        if delivery["method"] == POLL:
            delivery["endpoint_url"] = f"{self.data.settings.origin}/ssf/v1/poll/{stream.id}"
        return {
            "stream_id": stream.id,
            "iss": self.data.settings.origin,
            "aud": self.delivery.audience(stream),
            "events_supported": list(TYPES.values()),
            "events_requested": stream.document["events_requested"],
            "events_delivered": [uri for uri in stream.document["events_requested"] if uri in KINDS],
            "delivery": delivery,
            "min_verification_interval": 0,
            **({"description": stream.document["description"]} if stream.document["description"] else {}),
        }

    def set_status(self, receiver: str, id: object, status: object, reason: object) -> EventStream:
        """Have a stream go on, wait, or be told nothing."""
        if status not in {"enabled", "paused", "disabled"}:
            raise ServiceError(400, "bad-stream", "`status` is enabled, paused or disabled")
        there = self.need(receiver, id)
        if there.status == "disabled" and status == "enabled":
            self.data.outbox.delivered(there.id, self.data.outbox.head())
        made = replace(there, status=str(status), reason=str(reason or "")[:500])
        self.data.event_streams.turn(there.id, made.status, made.reason)
        return made

    def leave_out(self, receiver: str, id: object, subject: object, out: bool) -> None:
        """Have a stream not be told of a person any more, or be told again."""
        person = person_of(subject)
        with self._changing:
            there = self.need(receiver, id)
            left = set(there.document.get("left_out", ()))
            left = left | {person} if out else left - {person}
            if len(left) > 10_000:
                raise ServiceError(409, "too-many-subjects", "too many subjects are left out of this stream")
            self.data.event_streams.put(replace(there, document={**there.document, "left_out": sorted(left)}))

    def verify(self, receiver: str, id: object, state: object) -> None:
        """Have a verification event sent over a stream."""
        there = self.need(receiver, id)
        said = {"state": state} if isinstance(state, str) and len(state) <= 1_000 else {}
        self.data.outbox.add([OutEvent(VERIFICATION, self.data.clock(), said=said, stream=there.id)])

    # Delivering.

    def poll(self, receiver: str, id: str, asked: Mapping[str, Any]) -> dict[str, Any]:
        """Return the next tokens of a stream that is polled, and take note of those that it has (RFC 8936).

        Raises
        ------
        ServiceError
            When it is no stream of the receiver, or not polled.
        """
        there = self.need(receiver, id)
        if there.document["delivery"]["method"] != POLL:
            raise ServiceError(409, "not-polled", "the events of this stream are pushed")
        ids, most = asked.get("ack", []), asked.get("maxEvents", MOST_POLLED)
        wrong = asked.get("setErrs", {})
        if (
            not isinstance(ids, list)
            or not all(isinstance(each, str) for each in ids)
            or not isinstance(wrong, dict)
            or len(ids) + len(wrong) > 10_000
            or not isinstance(most, int)
            or isinstance(most, bool)
            or most < 0
        ):
            raise ServiceError(400, "bad-poll", "`ack` is a list of ids, `setErrs` an object, `maxEvents` a number")
        # What a receiver cannot use it will not be able to use the next time either: told, and taken as had.
        if ids or wrong:
            self.delivery.note_had(there, [*ids, *wrong])
        trying = self.delivery.try_of(there.id)
        if wrong:
            trying.error = f"refused by the receiver: {str(next(iter(wrong.values())))[:200]}"
        if there.status != "enabled":
            return {"sets": {}, "moreAvailable": False}
        waiting = self.delivery.waiting(there, min(most, MOST_POLLED) + 1)
        few = waiting[: min(most, MOST_POLLED)]
        trying.last = self.data.clock()
        sets = {each.jti: self.delivery.token(there, each) for each in few}
        return {"sets": sets, "moreAvailable": len(waiting) > len(few)}


def person_of(subject: object) -> str:
    """Return the person that a subject identifier names (RFC 9493)."""
    found: Any = subject
    if isinstance(found, dict) and found.get("format") == "complex":
        found = found.get("user")
    if isinstance(found, dict):
        for key in ("sub", "id"):
            name = found.get(key)
            if isinstance(name, str) and 0 < len(name) <= 200:
                return name
    raise ServiceError(
        400, "bad-subject", "the subject names nobody", 'such as {"format": "opaque", "id": "ines.faro"}'
    )
