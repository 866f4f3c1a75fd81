"""What a signal comes to for one attempt, as JSON: its truth, its kind, and what it was compared with.

That is numbers, texts and the id of the attempt compared with, by the kind of signal. ``missing`` names what was not
known.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from caddrel.core.decide.truth import UNKNOWN
from caddrel.core.signals.history import Past

# Made anew for each attempt.
Noticed = dict[str, Any]

# Compares an attempt with earlier ones of the same person, in order of time: those of a sequence from one place up to
# another. Of the attempt itself `let_in` says nothing.
Compare = Callable[[Past, Sequence[Past], int, int], Noticed]


def not_known(kind: str, missing: str) -> Noticed:
    """Return an unknown signal; `missing` is the fact that it lacks, or ``coordinates``."""
    return {"truth": UNKNOWN.word, "kind": kind, "missing": missing}
