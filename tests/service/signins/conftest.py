"""A service that a log is taken into."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import timedelta
from pathlib import Path

import pytest
from tests.conftest import NOW, Live, serving

from caddrel.demo.fill import ADDRESSES, RULEBOOK, anchor
from caddrel.demo.world import build_world
from caddrel.wire.decisions import File


@pytest.fixture
def other(tmp_path: Path) -> Iterator[Live]:
    """A service with Kelpline's rulebook and inventory, and an empty log."""
    for live in serving(tmp_path / "other", address_files=[ADDRESSES]):
        live.clock.now = NOW - timedelta(days=90)
        with live.client() as client:
            client.rulebook.publish([File("k.yaml", RULEBOOK.read_text(encoding="utf-8"))], "kelpline")
        live.data.inventory.put(build_world(anchor(NOW)).objects(), NOW)
        live.clock.now = NOW
        yield live
