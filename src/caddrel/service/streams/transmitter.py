"""Streams of events to receivers (OpenID Shared Signals Framework 1.0): managed by them, pushed (RFC 8935) or polled.

Each stream has everything in the order in which it happened, or not yet; what a receiver does not take waits, as long
as there is room, and holds up nobody else.
"""

from __future__ import annotations

import secrets
import threading
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from typing import Any

import structlog

from caddrel.core.diagnostics import shorten
from caddrel.service.problems import ServiceError, not_found
from caddrel.service.state.data_folder import DataFolder
from caddrel.service.streams.event_keys import EventKeys
from caddrel.service.streams.events import KINDS, TYPES, VERIFICATION, claims_of
from caddrel.service.streams.outward import Unreached, checked_url, send
from caddrel.store.event_streams import EventStream
from caddrel.store.outbox import OutEvent

PUSH, POLL = "urn:ietf:rfc:8935", "urn:ietf:rfc:8936"
# Seconds between looks, and the longest between two tries of what is not taken.
EVERY, LONGEST = 0.25, 300.0
AT_ONCE, MOST_POLLED, MOST_STREAMS = 50, 100, 20
_EDITABLE = ("events_requested", "delivery", "description")
_log = structlog.get_logger("caddrel.streams")


@dataclass(slots=True)
class _Trying:
    """How it goes with a stream that is pushed to."""

    failures: int = 0
    next: datetime | None = None
    error: str = ""
    last: datetime | None = None
    busy: bool = False


@dataclass(slots=True)
class Transmitter:
    """Keeps streams and pushes events; one for the whole service."""

    data: DataFolder
    keys: EventKeys
    _trying: dict[str, _Trying] = field(default_factory=dict)
    _stopped: threading.Event = field(default_factory=threading.Event)
    _threads: list[threading.Thread] = field(default_factory=list)
    _lock: threading.Lock = field(default_factory=threading.Lock)

    def begin(self) -> None:
        """Begin to push."""
        self._threads = [threading.Thread(target=self._run, name="caddrel-streams", daemon=True)]
        self._threads[0].start()

    def stop(self) -> None:
        """Push nothing more."""
        self._stopped.set()
        for thread in self._threads:
            thread.join(1.0)

    # Managing (SSF 1.0, section 8).

    def create(self, receiver: str, asked: Mapping[str, Any]) -> EventStream:
        """Return a new stream of a receiver.

        Raises
        ------
        ServiceError
            When it is asked for wrongly, or there are too many.
        """
        mine = [each for each in self.data.event_streams.all() if each.receiver == receiver]
        if len(mine) >= MOST_STREAMS:
            raise ServiceError(409, "too-many-streams", f"a receiver has at most {MOST_STREAMS} streams", "delete one")
        made = EventStream(f"s-{secrets.token_hex(8)}", receiver, {}, self.data.clock())
        made = self._asked(made, asked, dict(asked))
        # Of what was before it, it is told nothing.
        self.data.outbox.delivered(made.id, self.data.outbox.head())
        self.data.event_streams.put(made)
        return made

    def change(self, receiver: str, asked: Mapping[str, Any], whole: bool) -> EventStream:
        """Change a stream: what is not said stays, or with `whole` is taken back."""
        there = self.need(receiver, asked.get("stream_id"))
        before = {} if whole else {key: there.document[key] for key in _EDITABLE if key in there.document}
        made = self._asked(there, asked, {**before, **asked})
        self.data.event_streams.put(made)
        return made

    def remove(self, receiver: str, id: object) -> None:
        """Take a stream out; what waited for it is gone."""
        there = self.need(receiver, id)
        self.data.event_streams.remove(there.id)
        self.data.outbox.forget(there.id)
        self._trying.pop(there.id, None)

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
            "aud": self.audience(stream),
            "events_supported": list(TYPES.values()),
            "events_requested": stream.document["events_requested"],
            "events_delivered": [uri for uri in stream.document["events_requested"] if uri in KINDS],
            "delivery": delivery,
            "min_verification_interval": 0,
            **({"description": stream.document["description"]} if stream.document["description"] else {}),
        }

    def audience(self, stream: EventStream) -> str:
        """Return whom a stream's events are for."""
        return f"{self.data.settings.origin}/receivers/{stream.receiver}"

    def set_status(self, receiver: str, id: object, status: object, reason: object) -> EventStream:
        """Have a stream go on, wait, or be told nothing."""
        if status not in {"enabled", "paused", "disabled"}:
            raise ServiceError(400, "bad-stream", "`status` is enabled, paused or disabled")
        there = self.need(receiver, id)
        if there.status == "disabled" and status == "enabled":
            self.data.outbox.delivered(there.id, self.data.outbox.head())
        made = replace(there, status=str(status), reason=str(reason or "")[:500])
        self.data.event_streams.put(made)
        return made

    def leave_out(self, receiver: str, id: object, subject: object, out: bool) -> None:
        """Have a stream not be told of a person any more, or be told again."""
        there = self.need(receiver, id)
        person = person_of(subject)
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
        with self._lock:
            # What a receiver cannot use it will not be able to use the next time either: told, and taken as had.
            self._note_had(there, [*ids, *wrong])
            if wrong:
                first = next(iter(wrong.values()))
                self._try_of(there.id).error = f"refused by the receiver: {str(first)[:200]}"
            if there.status != "enabled":
                return {"sets": {}, "moreAvailable": False}
            waiting = self._waiting(there, min(most, MOST_POLLED) + 1)
        few = waiting[: min(most, MOST_POLLED)]
        self._try_of(there.id).last = self.data.clock()
        return {"sets": {each.jti: self._token(there, each) for each in few}, "moreAvailable": len(waiting) > len(few)}

    def _note_had(self, stream: EventStream, jtis: Iterable[str]) -> None:
        outbox = self.data.outbox
        had = outbox.acknowledged(stream.id) | outbox.numbers(jtis)
        through = outbox.has(stream.id)
        waiting = outbox.after(through, stream.id, self._kinds(stream), MOST_POLLED * 10)
        for event in waiting:
            if event.seq not in had and self._wants(stream, event):
                break
            through = event.seq
        outbox.delivered(stream.id, through, had)

    def _waiting(self, stream: EventStream, most: int) -> list[OutEvent]:
        outbox = self.data.outbox
        had = outbox.acknowledged(stream.id)
        found = outbox.after(outbox.has(stream.id), stream.id, self._kinds(stream), most + len(had) + AT_ONCE)
        return [each for each in found if each.seq not in had and self._wants(stream, each)][:most]

    def _kinds(self, stream: EventStream) -> list[str]:
        return [*(KINDS[uri] for uri in stream.document["events_requested"] if uri in KINDS), VERIFICATION]

    def _wants(self, stream: EventStream, event: OutEvent) -> bool:
        return not event.person or event.person not in stream.document.get("left_out", ())

    def _token(self, stream: EventStream, event: OutEvent) -> str:
        return self.keys.sign(claims_of(event, self.data.settings.origin, self.audience(stream)))

    def _try_of(self, id: str) -> _Trying:
        return self._trying.setdefault(id, _Trying())

    def _run(self) -> None:
        while not self._stopped.wait(EVERY):
            try:
                self._push_all()
            except Exception as error:  # noqa: BLE001 - a full disk now is no reason not to try again
                _log.error("streams.failed", exc_info=error)

    def _push_all(self) -> None:
        outbox = self.data.outbox
        # Read before the streams: one that is made meanwhile is told what comes after this, so that nothing of it goes.
        head = outbox.head()
        streams = self.data.event_streams.all()
        for stream in streams:
            trying = self._try_of(stream.id)
            if stream.status != "enabled" or stream.document["delivery"]["method"] != PUSH or trying.busy:
                continue
            if trying.next is not None and self.data.clock() < trying.next:
                continue
            if self._waiting(stream, 1):
                # Each in a thread of its own: one that does not answer holds up no other.
                trying.busy = True
                thread = threading.Thread(target=self._push, args=(stream, trying), daemon=True)
                thread.start()
        lost = outbox.oldest() - 1
        for stream in streams:
            if stream.status == "enabled" and outbox.has(stream.id) < lost:
                self.data.event_streams.put(replace(stream, status="paused", reason="too much waited: some is lost"))
        outbox.trim(min([head, *(outbox.has(s.id) + 1 for s in streams if s.status != "disabled")]))

    def _push(self, stream: EventStream, trying: _Trying) -> None:
        try:
            for event in self._waiting(stream, AT_ONCE):
                if self._stopped.is_set() or not self._push_one(stream, event, trying):
                    return
        finally:
            trying.busy = False

    def _push_one(self, stream: EventStream, event: OutEvent, trying: _Trying) -> bool:
        header = self.data.keys.unlock(stream.locked) if stream.locked else None
        headers = {"Content-Type": "application/secevent+jwt", "Accept": "application/json"}
        if header:
            headers["Authorization"] = header
        url, body = stream.document["delivery"]["endpoint_url"], self._token(stream, event).encode()
        try:
            answer = send("POST", url, headers, body, self.data.settings.allow_private)
            problem = "" if answer.status in {200, 202} else f"answered {answer.status}: {answer.body[:200]!r}"
        except Unreached as error:
            problem = str(error)
        now = self.data.clock()
        if not problem:
            trying.failures, trying.next, trying.error, trying.last = 0, None, "", now
            self.data.outbox.delivered(stream.id, event.seq)
            return True
        trying.failures += 1
        trying.error = problem
        trying.next = now + timedelta(seconds=min(LONGEST, 2.0 ** min(trying.failures, 12) / 2))
        return False

    def standing(self) -> list[tuple[EventStream, int, str, datetime | None]]:
        """Return the streams, each with how many events wait for it, what is wrong, and when it took something last."""
        found = []
        for stream in self.data.event_streams.all():
            trying = self._try_of(stream.id)
            waiting = len(self._waiting(stream, 1_000)) if stream.status != "disabled" else 0
            found.append((stream, waiting, trying.error or stream.reason, trying.last))
        return found


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
