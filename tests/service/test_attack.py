"""The service holds against what `tools/attack.py` tries: each of its plays says what came of it."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

from tests.conftest import PATIENCE

ROOT = Path(__file__).parents[2]


def test_no_play_succeeds() -> None:
    words = [sys.executable, str(ROOT / "tools" / "attack.py")]
    done = subprocess.run(words, check=False, capture_output=True, text=True, timeout=2 * PATIENCE)
    assert done.returncode == 0, done.stdout + done.stderr
    assert done.stdout.count("held ") == 9, done.stdout
