"""Working out all signals of a rulebook for one attempt."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import datetime
from functools import lru_cache

from caddrel.core.facts.completion import Facts, Origin
from caddrel.core.facts.types import Signals
from caddrel.core.rulebook.model import Rulebook, Signal
from caddrel.core.signals import failed_attempts, far_away, first_seen, travel_speed
from caddrel.core.signals.history import History, LooksBack, Past, looks_back, past_of
from caddrel.core.signals.noticed import Compare, Noticed, not_known

KINDS: Mapping[str, Callable[[Signal], Compare]] = {
    kind.KIND: kind.comparing for kind in (first_seen, travel_speed, far_away, failed_attempts)
}
_NOTICING = ("signals", "noticing")
_NOT_FALSE = ("true", "unknown")
Notice = Callable[[Past, History], tuple[Signals, dict[str, Noticed]]]
_COMPUTED = (Origin.COMPUTED, Origin.ASSUMED)
_NONE = Signals()


def noticing(rulebook: Rulebook) -> Notice:
    """Return what works out the signals of a rulebook for an attempt of a person: what fired, and each by name.

    It takes the attempts of the same person; those after this one do not count. Its own id settles the order of
    attempts at one moment; empty comes before all others.
    """
    found: Notice | None = rulebook.worked_out.get(_NOTICING)
    if found is None:
        found = rulebook.worked_out[_NOTICING] = _noticing(rulebook)
    return found


def _noticing(rulebook: Rulebook) -> Notice:
    # Signals that look back in the same way share what they see.
    shared: dict[LooksBack, int] = {}
    signals = tuple(
        (name, KINDS[signal.kind](signal), shared.setdefault(looks_back(signal), len(shared)))
        for name, signal in rulebook.signals.items()
    )
    looks = tuple(shared)

    def notice(attempt: Past, history: History) -> tuple[Signals, dict[str, Noticed]]:
        at, id = attempt.at, attempt.id
        earlier = [history.before(at, id, look) for look in looks]
        found = {}
        quiet = True
        for name, compare, look in signals:
            found[name] = noticed = compare(attempt, *earlier[look])
            if noticed["truth"] != "false":
                quiet = False
        return _NONE if quiet else _told(found), found

    return notice


def _told(found: dict[str, Noticed]) -> Signals:
    """Return what was compared as the value of the fact ``signals``."""
    by_truth = {word: tuple(n for n, noticed in found.items() if noticed["truth"] == word) for word in _NOT_FALSE}
    return _signals(*by_truth.values())


@lru_cache(maxsize=1024)
def _signals(fired: tuple[str, ...], open_: tuple[str, ...]) -> Signals:
    return Signals(fired, open_)


def notice(rulebook: Rulebook, facts: Facts, history: History, id: str) -> tuple[Signals, dict[str, Noticed]]:
    """Return the signals of the rulebook for an attempt, by its facts and its id: what fired, and each by name."""
    at, person = facts.values.get("time.at"), facts.values.get("person.id")
    if person is None or not isinstance(at, datetime):
        return nothing_known(rulebook, "person.id" if person is None else "time.at")
    return noticing(rulebook)(past_of(facts, at, id, ""), history)


def nothing_known(rulebook: Rulebook, missing: str) -> tuple[Signals, dict[str, Noticed]]:
    """Return every signal as unknown, for want of a person or a moment."""
    found = {name: not_known(signal.kind, missing) for name, signal in rulebook.signals.items()}
    return _told(found), found


def is_computed(rulebook: Rulebook, origin: Origin | None) -> bool:
    """Tell whether signals are worked out here; `origin` is that of those that there are: reported ones stay."""
    return bool(rulebook.signals) and (origin is None or origin in _COMPUTED)


def add_signals(rulebook: Rulebook, facts: Facts, history: History, id: str) -> None:
    """Work out the signals and add them to the facts; signals that were reported stay as they are."""
    if is_computed(rulebook, facts.origins.get("signals")):
        facts.values["signals"], facts.noticed = notice(rulebook, facts, history, id)
        facts.origins["signals"] = Origin.COMPUTED
