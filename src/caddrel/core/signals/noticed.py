"""What a signal comes to for one attempt."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from caddrel.core.decide.truth import UNKNOWN, Truth


@dataclass(frozen=True, slots=True)
class Noticed:
    """The truth of one signal, with what it was compared with.

    Attributes
    ----------
    why
        As JSON: numbers, texts and the id of the attempt compared with, by the kind of signal. ``missing`` names what
        was not known.
    """

    truth: Truth
    why: Mapping[str, Any] = field(default_factory=dict)


def not_known(missing: str) -> Noticed:
    """Return an unknown signal; `missing` is the fact that it lacks, or ``coordinates``."""
    return Noticed(UNKNOWN, {"missing": missing})
