"""Checkpoints: what the audit trail and the log have come to, written where whoever changes the database does not look.

To the service log, to a file beside the database, and, signed, to whoever asks.
"""

from __future__ import annotations

import hashlib
import hmac
import json
import threading
from datetime import datetime, timedelta
from pathlib import Path

import structlog

from caddrel.core.facts.values import show_moment
from caddrel.service.state.keys import Keys
from caddrel.store.audit import AuditStore
from caddrel.store.signins import SigninStore

EVERY = timedelta(minutes=5)
NAME = "checkpoint.json"
_log = structlog.get_logger("caddrel.audit")


class Checkpoints:
    """Writes checkpoints now and then, and reads the last one."""

    def __init__(self, folder: Path, keys: Keys, audit: AuditStore, signins: SigninStore) -> None:
        self._path = folder / NAME
        self._keys, self._audit, self._signins = keys, audit, signins
        self._written: datetime | None = None
        self._last = ""
        self._lock = threading.Lock()

    def write(self, at: datetime, always: bool = False) -> None:
        """Write a checkpoint, when that has not been done for a while and anything has changed."""
        with self._lock:
            if not always and self._written is not None and at - self._written < EVERY:
                return
            self._written = at
            text = self.text(at)
            if text.partition(" at ")[0] == self._last:
                return
            self._last = text.partition(" at ")[0]
        self._audit.settle()
        self._signins.settle()
        _log.info("audit.checkpoint", checkpoint=text)
        kept = json.dumps({"checkpoint": text, "seal": self._seal(text)})
        half = self._path.with_suffix(".part")
        half.write_text(kept, encoding="utf-8")
        half.replace(self._path)

    def text(self, at: datetime) -> str:
        """Return a checkpoint: ``audit SEQ:SEAL log CHANGES:SEAL at MOMENT``."""
        audit, log = self._audit.head(), self._signins.head()
        return f"audit {audit[0]}:{audit[1]} log {log[0]}:{log[1]} at {show_moment(at)}"

    def signed(self, at: datetime) -> tuple[str, str, str]:
        """Return a checkpoint, its signature, and the public key to check it with."""
        text = self.text(at)
        return text, self._keys.sign(text), self._keys.public()

    def kept(self) -> tuple[tuple[int, str], int, str]:
        """Return number and seal of the audit entry, and the changes of the log, at the last checkpoint; what is wrong.

        Before the first checkpoint all are nothing.
        """
        if not self._path.exists():
            return (0, ""), 0, ""
        try:
            kept = json.loads(self._path.read_text(encoding="utf-8"))
            text = kept["checkpoint"]
            if not hmac.compare_digest(kept["seal"], self._seal(text)):
                return (0, ""), 0, f"{NAME} was changed"
            _, audit, _, log, *_ = text.split(" ")
            seq, _, seal = audit.partition(":")
            return (int(seq), seal), int(log.partition(":")[0]), ""
        except (ValueError, KeyError, TypeError, OSError):
            return (0, ""), 0, f"{NAME} cannot be read"

    def _seal(self, text: str) -> str:
        return hmac.new(self._keys.of("checkpoints"), text.encode(), hashlib.sha256).hexdigest()
