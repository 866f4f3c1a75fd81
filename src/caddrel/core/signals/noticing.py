"""Working out all signals of a rulebook for one attempt."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from datetime import datetime

from caddrel.core.decide.truth import TRUE, UNKNOWN
from caddrel.core.facts.completion import Facts, Origin
from caddrel.core.facts.types import Signals
from caddrel.core.rulebook.model import Rulebook, Signal
from caddrel.core.signals import failed_attempts, far_away, first_seen, travel_speed
from caddrel.core.signals.history import History, Past, looked_at
from caddrel.core.signals.noticed import Noticed, not_known

KINDS: Mapping[str, Callable[[Signal, Facts, Iterable[Past]], Noticed]] = {
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
    found = {}
    for name, signal in rulebook.signals.items():
        if person is None or not isinstance(at, datetime):
            found[name] = not_known("person.id" if person is None else "time.at")
        else:
            pasts = looked_at(signal, at, history.before(at, id))
            found[name] = KINDS[signal.kind](signal, facts, pasts)
    return found


def add_signals(rulebook: Rulebook, facts: Facts, history: History, id: str) -> None:
    """Work out the signals and add them to the facts; signals that were reported stay as they are."""
    if not rulebook.signals or facts.origins.get("signals", Origin.COMPUTED) not in {Origin.COMPUTED, Origin.ASSUMED}:
        return
    found = notice(rulebook, facts, history, id)
    fired = frozenset(name for name, noticed in found.items() if noticed.truth is TRUE)
    open_ = frozenset(name for name, noticed in found.items() if noticed.truth is UNKNOWN)
    facts.values["signals"] = Signals(fired, open_)
    facts.origins["signals"] = Origin.COMPUTED
    facts.noticed = {
        name: {"truth": noticed.truth.word, "kind": rulebook.signals[name].kind, **noticed.why}
        for name, noticed in found.items()
    }
