"""How seldom garbage is looked for, in the service and in processes that help it.

Not here: how much is remembered (`caches`).
"""

from __future__ import annotations

import gc


def collect_seldom() -> None:
    """Look for garbage less often than Python does by itself: imports make millions of objects without circles."""
    # Each time at few objects, so that no decision waits long for it.
    gc.set_threshold(10_000, 50, 100)


def keep_what_is_there() -> None:
    """Have what is there by now, rulebook and inventory above all, looked at for garbage no more: it stays."""
    gc.collect()
    gc.freeze()
