"""Asking feeds for their events (RFC 8936), where they do not push them; each in a thread of its own.

What is taken is acknowledged, what is not is told why; what could not be kept is asked for again.
"""

from __future__ import annotations

import json
import threading
import time
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import structlog

from caddrel.service.state.data_folder import DataFolder
from caddrel.service.streams.outward import Unreached, send
from caddrel.service.streams.receiver import NotTaken, Receiver
from caddrel.store.feeds import Feed

# Seconds between looks at who is due, and the longest between two tries of who does not answer.
EVERY, LONGEST = 1.0, 900.0
# Events that are asked for at a time, and so often without a pause: one that never ends is asked again the next time.
AT_ONCE, MOST_ROUNDS = 100, 100
_log = structlog.get_logger("caddrel.feeds")


@dataclass(slots=True)
class Poller:
    """Asks feeds; one for the whole service."""

    data: DataFolder
    receiver: Receiver
    _due: dict[str, float] = field(default_factory=dict)
    _failures: dict[str, int] = field(default_factory=dict)
    _busy: set[str] = field(default_factory=set)
    _stopped: threading.Event = field(default_factory=threading.Event)
    _threads: list[threading.Thread] = field(default_factory=list)

    def begin(self) -> None:
        """Begin to ask."""
        self._threads = [threading.Thread(target=self._run, name="caddrel-feeds", daemon=True)]
        self._threads[0].start()

    def stop(self) -> None:
        """Ask nobody any more."""
        self._stopped.set()
        for thread in self._threads:
            thread.join(1.0)

    def soon(self, name: str) -> None:
        """Have a feed be due: it may be another one now."""
        self._due.pop(name, None)
        self._failures.pop(name, None)

    def _run(self) -> None:
        while not self._stopped.wait(EVERY):
            try:
                for feed in self.data.feeds.all():
                    if self._is_due(feed):
                        self._busy.add(feed.name)
                        threading.Thread(target=self._ask, args=(feed,), daemon=True).start()
            except Exception as error:  # noqa: BLE001 - a full disk now is no reason not to look again
                _log.error("feeds.failed", exc_info=error)

    def _is_due(self, feed: Feed) -> bool:
        if "poll" not in feed.document or feed.paused or feed.name in self._busy:
            return False
        return time.monotonic() >= self._due.get(feed.name, 0.0)

    def _ask(self, feed: Feed) -> None:
        try:
            self.ask(feed)
            self._failures[feed.name] = 0
        except Unreached as error:
            self._failures[feed.name] = self._failures.get(feed.name, 0) + 1
            self.data.feeds.failed(feed.issuer, f"asked for events: {error}")
        except Exception as error:  # noqa: BLE001 - what could not be kept was not acknowledged, and comes again
            self._failures[feed.name] = self._failures.get(feed.name, 0) + 1
            _log.error("feeds.failed", feed=feed.name, exc_info=error)
        finally:
            pause = min(LONGEST, feed.document["every"] * 2.0 ** min(self._failures.get(feed.name, 0), 12))
            self._due[feed.name] = time.monotonic() + pause
            self._busy.discard(feed.name)

    def ask(self, feed: Feed) -> int:
        """Ask a feed for its events until it has none, and take them; return how many were new.

        Raises
        ------
        Unreached
            When it does not answer, or not as it should.
        """
        had, wrong, taken, again = list[str](), dict[str, Any](), 0, set[str]()
        for _ in range(MOST_ROUNDS):
            answer = self._asked(feed, {"maxEvents": AT_ONCE, "returnImmediately": True, "ack": had, "setErrs": wrong})
            sets = answer.get("sets")
            if not isinstance(sets, dict) or len(sets) > 10 * AT_ONCE:
                raise Unreached("the answer holds no events as RFC 8936 has them")
            had, wrong = [], {}
            for jti, token in sets.items():
                problem = self._take(token)
                if problem is None:
                    had.append(jti)
                    taken += 1
                else:
                    wrong[jti] = problem
            # One that gives the same again has not understood that it was taken, or refused.
            if not sets or again == sets.keys() or self._stopped.is_set():
                break
            again = set(sets)
        if not wrong:
            self.data.feeds.reached(feed.name, self.data.clock())
        return taken

    def _take(self, token: Any) -> dict[str, str] | None:
        """Take an event; return what is wrong with it, None for nothing."""
        try:
            self.receiver.take(token.encode() if isinstance(token, str) else b"")
        except NotTaken as refused:
            return {"err": refused.code, "description": str(refused)[:500]}
        return None

    def _asked(self, feed: Feed, body: Mapping[str, Any]) -> dict[str, Any]:
        headers = {"Content-Type": "application/json", "Accept": "application/json"}
        locked = feed.document.get("locked")
        if locked:
            headers["Authorization"] = f"Bearer {self.data.keys.unlock(locked)}"
        url = feed.document["poll"]
        answer = send("POST", url, headers, json.dumps(body).encode(), self.data.settings.allow_private)
        if answer.status != 200:
            raise Unreached(f"answered {answer.status}: {answer.body[:200]!r}")
        try:
            found = json.loads(answer.body)
        except (ValueError, RecursionError):
            raise Unreached("the answer is not JSON") from None
        if not isinstance(found, dict):
            raise Unreached("the answer is no object")
        return found
