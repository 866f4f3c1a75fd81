"""``failed-attempts``: wrong credentials, so many times in so short a time."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import timedelta
from typing import Any

from caddrel.core.rulebook.model import Signal
from caddrel.core.signals.history import Past
from caddrel.core.signals.result import Compare, Form, Values, both

KIND = "failed-attempts"


def comparing(signal: Signal) -> Compare:
    """Return what tells whether there were `at_least` wrong credentials `within` the time before an attempt."""
    within: Any = signal.settings["within"]
    least: Any = signal.settings["at_least"]
    length = timedelta(seconds=within)
    few, many = both(KIND, ("count",), within=within, at_least=least)

    def compare(attempt: Past, pasts: Sequence[Past], start: int, end: int) -> tuple[Form, Values]:
        since = attempt.at - length
        count = 0
        for place in range(end - 1, start - 1, -1):
            past = pasts[place]
            if past.at < since:
                break
            if past.credentials == "wrong":
                count += 1
        return many if count >= least else few, (count,)

    return compare
