"""A service that is loaded for long, disturbed and killed keeps every decision that it told; long runs: `make soak`."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

from tests.conftest import PATIENCE

ROOT = Path(__file__).parents[2]
LITTLE = "--seconds 1 --rate 20 --people 50 --policies 5 --apart 0.2 --lines 200 --kill 2 --kills 2"


def test_nothing_is_lost_under_load() -> None:
    words = [sys.executable, str(ROOT / "tools" / "endurance.py"), *LITTLE.split()]
    done = subprocess.run(words, check=False, capture_output=True, text=True, timeout=4 * PATIENCE)
    assert done.returncode == 0, done.stdout + done.stderr
    assert "held    each of" in done.stdout, done.stdout
    assert "2 kills" in done.stdout or "3 kills" in done.stdout, done.stdout
