"""Delivering streams of events: what waits for each, pushed (RFC 8935), and what nobody waits for taken out.

Each stream has everything in the order in which it happened, or not yet; what a receiver does not take waits, as long
as there is room, and holds up nobody else.
Not here: what streams are asked for, and polling (`transmitter`).
"""

from __future__ import annotations

import threading
import time
from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import datetime

import structlog

from caddrel.service.state.data_folder import DataFolder
from caddrel.service.streams import hooks
from caddrel.service.streams.event_keys import EventKeys
from caddrel.service.streams.events import KINDS, VERIFICATION, claims_of
from caddrel.service.streams.hooks import HOOK, Message, is_hook
from caddrel.service.streams.outward import Unreached, send
from caddrel.store.event_streams import EventStream
from caddrel.store.outbox import OutEvent

PUSH, POLL = "urn:ietf:rfc:8935", "urn:ietf:rfc:8936"
# Seconds between looks, also where nothing has changed, and between two tries of what is not taken: the longest.
EVERY, AT_LEAST, LONGEST = 0.25, 1.0, 300.0
AT_ONCE, PAGE = 50, 500
# A stream that wants nothing of what happened is taken further once it is so far behind: each time is a commit.
BEHIND = 100
_log = structlog.get_logger("caddrel.streams")


@dataclass(slots=True)
class Trying:
    """The state of delivery to a stream.

    Attributes
    ----------
    next
        When it is tried again, by the clock that is never set.
    last
        When it took something last.
    """

    failures: int = 0
    next: float = 0.0
    error: str = ""
    last: datetime | None = None
    busy: bool = False


@dataclass(slots=True)
class Delivery:
    """Delivers events to receivers; one for the whole service."""

    data: DataFolder
    keys: EventKeys
    trying: dict[str, Trying] = field(default_factory=dict)
    # Held while it is worked out how far a stream has everything.
    counting: threading.Lock = field(default_factory=threading.Lock)
    _stopped: threading.Event = field(default_factory=threading.Event)
    _threads: list[threading.Thread] = field(default_factory=list)

    def begin(self) -> None:
        """Begin to push."""
        self._threads = [threading.Thread(target=self._run, name="caddrel-streams", daemon=True)]
        self._threads[0].start()

    def stop(self) -> None:
        """Push nothing more."""
        self._stopped.set()
        for thread in self._threads:
            thread.join(1.0)

    def audience(self, stream: EventStream) -> str:
        """Return whom a stream's events are for."""
        return f"{self.data.settings.origin}/receivers/{stream.receiver}"

    def token(self, stream: EventStream, event: OutEvent) -> str:
        """Return an event as it is sent over a stream: signed."""
        return self.keys.sign(claims_of(event, self.data.settings.origin, self.audience(stream)))

    def try_of(self, id: str) -> Trying:
        """Return the state of delivery to a stream: tries, the last error, and when it is tried next."""
        return self.trying.setdefault(id, Trying())

    def soon(self, id: str) -> None:
        """Try a stream at once rather than after its back-off: its address may just have been changed."""
        trying = self.try_of(id)
        trying.failures, trying.next, trying.error = 0, 0.0, ""

    # What waits.

    def waiting(self, stream: EventStream, most: int) -> list[OutEvent]:
        """Return the next events that a stream wants and has not had, in order."""
        outbox, found = self.data.outbox, list[OutEvent]()
        had, after = outbox.acknowledged(stream.id), outbox.has(stream.id)
        while len(found) < most:
            page = outbox.after(after, stream.id, kinds_of(stream), PAGE)
            found += [each for each in page if each.seq not in had and _wants(stream, each)]
            if len(page) < PAGE:
                break
            after = page[-1].seq
        return found[:most]

    def note_had(self, stream: EventStream, jtis: Iterable[str]) -> None:
        """Keep which events a receiver says it has, or will never take."""
        outbox = self.data.outbox
        with self.counting:
            outbox.delivered(stream.id, outbox.has(stream.id), outbox.numbers(jtis))
        self._take_further(stream, outbox.head(), 0)

    def _take_further(self, stream: EventStream, head: int, behind: int) -> None:
        """Record that a stream has received everything before the first event that still waits for it.

        Parameters
        ----------
        head
            The newest event, as it was before; what came since may be wanted.
        """
        outbox = self.data.outbox
        with self.counting:
            first = self.waiting(stream, 1)
            through = first[0].seq - 1 if first else head
            if through > outbox.has(stream.id) + behind:
                outbox.delivered(stream.id, through)

    # Pushing.

    def _run(self) -> None:
        seen, looked = None, 0.0
        while not self._stopped.wait(EVERY):
            # Where nothing was written to either file, only what waits for another try may be due, or a token be over.
            now = self.data.outbox.changes(), self.data.event_streams.changes()
            if now == seen and time.monotonic() - looked < AT_LEAST:
                continue
            try:
                self.look()
                # Read before: what is written meanwhile is looked at the next time.
                seen, looked = now, time.monotonic()
            except Exception as error:  # noqa: BLE001 - a full disk now is no reason not to try again
                _log.error("streams.failed", exc_info=error)

    def look(self) -> None:
        """Push what waits, and take out what nobody waits for."""
        outbox = self.data.outbox
        # Read before the streams: one that is made meanwhile is told what comes after this, so that nothing of it goes.
        head = outbox.head()
        streams = self.data.event_streams.all()
        alive = self._alive()
        for stream in streams:
            if not is_hook(stream) and stream.receiver not in alive:
                continue
            trying = self.try_of(stream.id)
            pushed = stream.status == "enabled" and stream.document["delivery"]["method"] in {PUSH, HOOK}
            if pushed and not trying.busy and time.monotonic() >= trying.next and self.waiting(stream, 1):
                # Each in a thread of its own: one that does not answer holds up no other.
                trying.busy = True
                threading.Thread(target=self._push, args=(stream, trying), daemon=True).start()
            if not trying.busy:
                self._take_further(stream, head, BEHIND)
        self._tell_lost(streams)
        # Who may not receive any more, or wants nothing, is waited for by nobody.
        needed = [s for s in streams if s.status != "disabled" and (is_hook(s) or s.receiver in alive)]
        outbox.trim(min([head, *(outbox.has(each.id) + 1 for each in needed)]))

    def _alive(self) -> set[str]:
        """Return the receivers whose tokens are good."""
        now = self.data.clock()
        return {
            token.id
            for token in self.data.accounts.all_tokens()
            if token.revoked_at is None and (token.expires_at is None or token.expires_at > now)
        }

    def _tell_lost(self, streams: Iterable[EventStream]) -> None:
        """Have streams pause of which something is lost, once: what is still there they may go on with."""
        outbox = self.data.outbox
        lost = outbox.oldest() - 1
        for stream in streams:
            if stream.status != "disabled" and outbox.has(stream.id) < lost:
                self.data.event_streams.turn(stream.id, "paused", "too much waited: some is lost", unless="disabled")
                outbox.delivered(stream.id, lost)

    def _push(self, stream: EventStream, trying: Trying) -> None:
        try:
            for event in self.waiting(stream, AT_ONCE):
                if self._stopped.is_set() or not self._push_one(stream, event, trying):
                    return
        except Exception as error:  # noqa: BLE001 - a full disk now is no reason not to try again
            _log.error("streams.failed", stream=stream.id, exc_info=error)
            self._failed(trying, "it could not be kept that it was taken: see the service's log")
        finally:
            trying.busy = False

    def _push_one(self, stream: EventStream, event: OutEvent, trying: Trying) -> bool:
        url, message = stream.document["delivery"]["endpoint_url"], self._message(stream, event)
        try:
            answer = send("POST", url, message.headers, message.body, self.data.settings.allow_private)
            # RFC 8935, section 2.2, has 202; of a hook nothing is said but that it went well.
            taken = range(200, 300) if is_hook(stream) else (200, 202)
            problem = "" if answer.status in taken else f"answered {answer.status}: {answer.body[:200]!r}"
        except Unreached as error:
            problem = str(error)
        if problem:
            self._failed(trying, problem)
            return False
        self.data.outbox.delivered(stream.id, event.seq)
        trying.failures, trying.next, trying.error, trying.last = 0, 0.0, "", self.data.clock()
        return True

    def _message(self, stream: EventStream, event: OutEvent) -> Message:
        if is_hook(stream):
            return hooks.message(stream, event, self.data.settings.origin, self.keys, self.data.clock())
        headers = {"Content-Type": "application/secevent+jwt", "Accept": "application/json"}
        header = self.data.keys.unlock(stream.locked) if stream.locked else None
        if header:
            headers["Authorization"] = header
        return Message(headers, self.token(stream, event).encode())

    def _failed(self, trying: Trying, problem: str) -> None:
        trying.failures += 1
        trying.error = problem
        trying.next = time.monotonic() + min(LONGEST, 2.0 ** min(trying.failures, 12) / 2)

    def standing(self) -> list[tuple[EventStream, int, str, datetime | None]]:
        """Return the streams, each with how many events wait for it, what is wrong, and when it took something last."""
        found, alive = [], self._alive()
        for stream in self.data.event_streams.all():
            trying = self.try_of(stream.id)
            waiting = len(self.waiting(stream, 1_000)) if stream.status != "disabled" else 0
            error = trying.error or stream.reason
            if not is_hook(stream) and stream.receiver not in alive:
                error = "its token is revoked or has run out: nothing is sent"
            found.append((stream, waiting, error, trying.last))
        return found


def kinds_of(stream: EventStream) -> list[str]:
    """Return the kinds of events that a stream wants; of the types that it asked for, those that there are."""
    if is_hook(stream):
        return [*hooks.kinds()]
    return [*(KINDS[uri] for uri in stream.document["events_requested"] if uri in KINDS), VERIFICATION]


def _wants(stream: EventStream, event: OutEvent) -> bool:
    if is_hook(stream):
        return hooks.wants(stream, event)
    return not event.person or event.person not in stream.document.get("left_out", ())
