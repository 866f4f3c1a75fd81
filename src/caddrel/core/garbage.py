"""How seldom garbage is looked for: here millions of small objects are made, hardly any of them in circles."""

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
