"""Telling hooks what is new on the watch page; what was there already is told again only once it is another thing.

What is proven of the rulebook in force is had proven again in the same rounds.
"""

from __future__ import annotations

import threading
from collections.abc import Callable

import structlog

from caddrel.service.state.data_folder import DataFolder
from caddrel.service.watch.watched import Watched
from caddrel.store.outbox import WATCH, OutEvent
from caddrel.wire.decisions import Piece

# Seconds between two looks.
EVERY = 15.0
_NOUN, _KNOWN = "watch", "watch-known"
_log = structlog.get_logger("caddrel.hooks")


class Reporter:
    """Looks for what is new; one for the whole service.

    Parameters
    ----------
    is_anybody
        Whether anybody is to be told.
    """

    def __init__(self, data: DataFolder, watched: Watched, is_anybody: Callable[[], bool]) -> None:
        self._data, self._watched, self._is_anybody = data, watched, is_anybody
        self._stopped = threading.Event()
        self._thread: threading.Thread | None = None

    def begin(self) -> None:
        """Begin to look."""
        self._thread = threading.Thread(target=self._run, name="caddrel-hooks", daemon=True)
        self._thread.start()

    def stop(self) -> None:
        """Look no more."""
        self._stopped.set()
        if self._thread is not None:
            self._thread.join(1.0)

    def _run(self) -> None:
        while not self._stopped.wait(EVERY):
            try:
                # Also when nobody asks; and not as soon as the service begins, when all doors come back to it.
                self._watched.prove_soon()
                self.look()
            except Exception as error:  # noqa: BLE001 - a full disk now is no reason not to look again
                _log.error("hooks.failed", exc_info=error)

    def look(self) -> None:
        """Put what is new in the outbox, with that it is told, in one commit."""
        data = self._data
        if data.rulebooks.current() is None:
            return
        if not self._is_anybody():
            if data.marks.get(_KNOWN):
                data.door_sessions.settle([], data.clock(), {_KNOWN: 0})
            return
        now, items = data.clock(), [each for each in self._watched.now().items if not each.set_aside]
        known = data.outbox.all_told(_NOUN)
        marks = {each.key: each.mark for each in items}
        new = [each for each in items if known.get(each.key, {}).get("mark") != each.mark]
        gone = [key for key, state in known.items() if key not in marks and state["mark"]]
        told = {(_NOUN, each.key): {"mark": each.mark} for each in new}
        told |= {(_NOUN, key): {"mark": ""} for key in gone}
        # What was there when the first hook was added was seen by whoever added it.
        begins = not data.marks.get(_KNOWN)
        events = [
            OutEvent(
                WATCH, now,
                said={
                    "key": each.key, "kind": each.kind, "state": each.state, "says": _text(each.says),
                    "detail": each.detail,
                },
            )
            for each in new
            if not begins
        ]  # fmt: skip
        if told or begins:
            data.door_sessions.settle([], now, {_KNOWN: 1}, events, told)


def _text(pieces: list[Piece]) -> str:
    return "".join(piece.text for piece in pieces)
