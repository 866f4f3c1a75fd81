"""Asking feeds for their events (RFC 8936), where they do not push them.

What is taken is acknowledged, what is not is told why; what could not be kept is asked for again.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

from caddrel.service.state.data_folder import DataFolder
from caddrel.service.streams.outward import Unreached, send
from caddrel.service.streams.receiver import NotTaken, Receiver
from caddrel.service.streams.rounds import Rounds
from caddrel.store.feeds import Feed

# Seconds between two tries of who does not answer, at most.
LONGEST = 900.0
# Events that are asked for at a time, and so often without a pause: one that never ends is asked again the next time.
AT_ONCE, MOST_ROUNDS = 100, 100


class Poller:
    """Asks feeds; one for the whole service."""

    def __init__(self, data: DataFolder, receiver: Receiver) -> None:
        self._data, self._receiver = data, receiver
        self.rounds = Rounds(
            "caddrel-feeds", self._asked_ones, lambda feed: feed.name, lambda feed: float(feed.document["every"]),
            self._once, LONGEST,
        )  # fmt: skip

    def _asked_ones(self) -> list[Feed]:
        return [feed for feed in self._data.feeds.all() if "poll" in feed.document and not feed.paused]

    def _once(self, feed: Feed) -> bool:
        try:
            self.ask(feed)
        except Unreached as error:
            self._data.feeds.failed(feed.issuer, f"asked for events: {error}")
            return False
        return True

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
            if not sets or again == sets.keys() or self.rounds.stopped:
                break
            again = set(sets)
        if not wrong:
            self._data.feeds.reached(feed.name, self._data.clock())
        return taken

    def _take(self, token: Any) -> dict[str, str] | None:
        """Take an event; return what is wrong with it, None for nothing."""
        try:
            self._receiver.take(token.encode() if isinstance(token, str) else b"")
        except NotTaken as refused:
            return {"err": refused.code, "description": str(refused)[:500]}
        return None

    def _asked(self, feed: Feed, body: Mapping[str, Any]) -> dict[str, Any]:
        headers = {"Content-Type": "application/json", "Accept": "application/json"}
        locked = feed.document.get("locked")
        if locked:
            headers["Authorization"] = f"Bearer {self._data.keys.unlock(locked)}"
        url = feed.document["poll"]
        answer = send("POST", url, headers, json.dumps(body).encode(), self._data.settings.allow_private)
        if answer.status != 200:
            raise Unreached(f"answered {answer.status}: {answer.body[:200]!r}")
        try:
            found = json.loads(answer.body)
        except (ValueError, RecursionError):
            raise Unreached("the answer is not JSON") from None
        if not isinstance(found, dict):
            raise Unreached("the answer is no object")
        return found
