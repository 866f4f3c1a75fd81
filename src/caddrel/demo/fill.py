"""Filling a data folder with the Kelpline scenario."""

from __future__ import annotations

import io
import json
from collections.abc import Iterator
from datetime import datetime, timedelta
from pathlib import Path

from caddrel.demo.drafts import drafts
from caddrel.demo.log import DAYS, sign_ins
from caddrel.demo.world import build_world
from caddrel.service.runtime import Runtime
from caddrel.service.signins.importer import Called, Importer
from caddrel.wire.signins import ImportResult

RULEBOOK = Path(__file__).parent / "kelpline.yaml"
ADDRESSES = Path(__file__).parent / "addresses.mmdb"
_RAISED = ("device.os_version is at least 15", "Install the system update to Android 15")
_BEFORE = ("device.os_version is at least 14", "Install the system update to Android 14")


def anchor(now: datetime) -> datetime:
    """Return the end of the demo's last day: the last Monday, so that weekdays fall the same in every week."""
    midnight = now.replace(hour=0, minute=0, second=0, microsecond=0)
    return midnight - timedelta(days=midnight.weekday())


def documents() -> tuple[str, str]:
    """Return the rulebook before and after the patch level of the tablets was raised."""
    current = RULEBOOK.read_text(encoding="utf-8")
    before = current
    for raised, earlier in zip(_RAISED, _BEFORE, strict=True):
        before = before.replace(raised, earlier)
    return before, current


def log_lines(end: datetime, days: int = DAYS, scale: int = 1) -> Iterator[bytes]:
    """Yield the log as an import file, a sign-in a line."""
    for line in sign_ins(build_world(end), end, days, scale):
        yield json.dumps(line, ensure_ascii=False).encode() + b"\n"


def fill(runtime: Runtime, now: datetime) -> ImportResult:
    """Publish two revisions, begin two drafts, take in the inventory and thirty days of sign-ins."""
    data, end = runtime.data, anchor(now)
    before, current = documents()
    first, second = end - timedelta(days=60), end - timedelta(days=15)
    data.revisions.publish([("kelpline.yaml", before)], "maren.strand", "The first rulebook", first)
    why = "Tablets need Android 15: an unpatched hole is being used"
    data.revisions.publish([("kelpline.yaml", current)], "maren.strand", why, second)
    for draft in drafts(current):
        data.drafts.begin(draft.name, 2, draft.files, draft.by, end)
    data.inventory.put(build_world(end).objects(), end)
    called = Called("thirty days of Kelpline", "", "demo")
    return Importer(data, runtime.log, called).run(io.BytesIO(b"".join(log_lines(end))))
