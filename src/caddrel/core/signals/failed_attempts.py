"""``failed-attempts``: wrong credentials, so many times in so short a time."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta
from typing import Any

from caddrel.core.decide.truth import truth_of
from caddrel.core.facts.completion import Facts
from caddrel.core.rulebook.model import Signal
from caddrel.core.signals.history import Past
from caddrel.core.signals.noticed import Noticed


def notice(signal: Signal, facts: Facts, pasts: Sequence[Past]) -> Noticed:
    """Return whether there were `at_least` attempts with wrong credentials `within` the time before this one."""
    at = facts.values["time.at"]
    assert isinstance(at, datetime)
    within: Any = signal.settings["within"]
    since = at - timedelta(seconds=within)
    count = 0
    for past in pasts:
        if past.at < since:
            break
        count += past.credentials == "wrong"
    least: Any = signal.settings["at_least"]
    return Noticed(truth_of(count >= least), {"count": count, "within": within, "at_least": least})
