"""Working out all signals of a rulebook for one attempt."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from datetime import datetime
from typing import Any

from caddrel.core.decide.truth import TRUE, UNKNOWN
from caddrel.core.facts.completion import Facts, Origin
from caddrel.core.facts.types import Signals
from caddrel.core.rulebook.model import Rulebook, Signal
from caddrel.core.signals import failed_attempts, far_away, first_seen, travel_speed
from caddrel.core.signals.history import History, Past, looked_at, looks_back
from caddrel.core.signals.noticed import Noticed, not_known

KINDS: Mapping[str, Callable[[Signal, Facts, Sequence[Past]], Noticed]] = {
    "first-seen": first_seen.notice,
    "travel-speed": travel_speed.notice,
    "far-away": far_away.notice,
    "failed-attempts": failed_attempts.notice,
}


def notice(rulebook: Rulebook, facts: Facts, history: History, id: str) -> dict[str, Noticed]:
    """Return every signal of the rulebook for an attempt.

    Parameters
    ----------
    history
        The attempts of the same person; those after this one do not count.
    id
        Its own id, which settles the order of attempts at one moment; empty comes before all others.
    """
    at, person = facts.values.get("time.at"), facts.values.get("person.id")
    if person is None or not isinstance(at, datetime):
        return dict.fromkeys(rulebook.signals, not_known("person.id" if person is None else "time.at"))
    found = {}
    looked: dict[tuple[Any, ...], list[Past]] = {}
    for name, signal, kind, how in _asked(rulebook):
        # Signals that look back in the same way share what they see.
        pasts = looked.get(how)
        if pasts is None:
            pasts = looked[how] = looked_at(*how, at, id, history)
        found[name] = kind(signal, facts, pasts)
    return found


_ASKED = ("signals", "asked")
Kind = Callable[[Signal, Facts, Sequence[Past]], Noticed]


def _asked(rulebook: Rulebook) -> list[tuple[str, Signal, Kind, tuple[int | None, bool, float | None]]]:
    """Return the signals with how each is worked out and how it looks back."""
    found: list[Any] | None = rulebook.worked_out.get(_ASKED)
    if found is None:
        found = rulebook.worked_out[_ASKED] = [
            (name, signal, KINDS[signal.kind], looks_back(signal)) for name, signal in rulebook.signals.items()
        ]
    return found


def add_signals(rulebook: Rulebook, facts: Facts, history: History, id: str) -> None:
    """Work out the signals and add them to the facts; signals that were reported stay as they are."""
    if not rulebook.signals or facts.origins.get("signals", Origin.COMPUTED) not in {Origin.COMPUTED, Origin.ASSUMED}:
        return
    found = notice(rulebook, facts, history, id)
    fired = [name for name, noticed in found.items() if noticed.truth is TRUE]
    open_ = [name for name, noticed in found.items() if noticed.truth is UNKNOWN]
    facts.values["signals"] = Signals(fired, open_) if fired or open_ else _NONE
    facts.origins["signals"] = Origin.COMPUTED
    facts.noticed = {
        name: {"truth": noticed.truth.word, "kind": rulebook.signals[name].kind, **noticed.why}
        for name, noticed in found.items()
    }


_NONE = Signals()
