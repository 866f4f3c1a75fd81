"""The service holds against what `tools/attack.py` tries: each of its plays says what came of it."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).parents[2]


def test_no_play_succeeds() -> None:
    done = subprocess.run(
        [sys.executable, str(ROOT / "tools" / "attack.py")], check=False, capture_output=True, text=True, timeout=280
    )
    assert done.returncode == 0, done.stdout + done.stderr
    assert done.stdout.count("held ") == 7, done.stdout
