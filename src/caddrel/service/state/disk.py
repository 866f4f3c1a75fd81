"""Whether there is room to write where the data is kept."""

from __future__ import annotations

import shutil
from pathlib import Path

# Bytes; SQLite needs room beside the data for what it is about to write.
LEAST = 32 * 1024 * 1024


def has_room(folder: Path) -> bool:
    """Tell whether a folder can be written to."""
    try:
        return shutil.disk_usage(folder).free >= LEAST
    except OSError:
        return False
