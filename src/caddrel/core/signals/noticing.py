"""Working out all signals of a rulebook for one attempt."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import datetime
from functools import lru_cache
from typing import NamedTuple

from caddrel.core.facts.completion import Facts, Origin
from caddrel.core.facts.types import Signals
from caddrel.core.rulebook.model import Rulebook, Signal
from caddrel.core.signals import failed_attempts, far_away, first_seen, travel_speed
from caddrel.core.signals.history import History, LooksBack, Past, looks_back, past_of
from caddrel.core.signals.noticed import Compare, Noticed, not_known

KINDS: Mapping[str, Callable[[Signal], Compare]] = {
    kind.KIND: kind.comparing for kind in (first_seen, travel_speed, far_away, failed_attempts)
}
_ASKED = ("signals", "asked")
_COMPUTED = (Origin.COMPUTED, Origin.ASSUMED)
_NONE = Signals()


class _Asked(NamedTuple):
    """The signals of a rulebook made ready: how they look back, and by name how each compares with which look."""

    looks: tuple[LooksBack, ...]
    signals: tuple[tuple[str, Compare, int], ...]


def compared(rulebook: Rulebook, attempt: Past, history: History) -> dict[str, Noticed]:
    """Return every signal of the rulebook for an attempt of a person, by name.

    Parameters
    ----------
    history
        The attempts of the same person; those after this one do not count. Its own id settles the order of attempts at
        one moment; empty comes before all others.
    """
    asked = _asked(rulebook)
    at, id = attempt[:2]
    # Signals that look back in the same way share what they see.
    earlier = [history.before(at, id, look) for look in asked.looks]
    return {name: compare(attempt, earlier[look]) for name, compare, look in asked.signals}


def _asked(rulebook: Rulebook) -> _Asked:
    found: _Asked | None = rulebook.worked_out.get(_ASKED)
    if found is None:
        looks: dict[LooksBack, int] = {}
        signals = tuple(
            (name, KINDS[signal.kind](signal), looks.setdefault(looks_back(signal), len(looks)))
            for name, signal in rulebook.signals.items()
        )
        found = rulebook.worked_out[_ASKED] = _Asked(tuple(looks), signals)
    return found


def told(found: dict[str, Noticed]) -> Signals:
    """Return what was compared as the value of the fact ``signals``."""
    fired, open_ = [], []
    for name, noticed in found.items():
        truth = noticed["truth"]
        if truth == "true":
            fired.append(name)
        elif truth == "unknown":
            open_.append(name)
    return _signals(tuple(fired), tuple(open_)) if fired or open_ else _NONE


@lru_cache(maxsize=1024)
def _signals(fired: tuple[str, ...], open_: tuple[str, ...]) -> Signals:
    return Signals(fired, open_)


def notice(rulebook: Rulebook, facts: Facts, history: History, id: str) -> dict[str, Noticed]:
    """Return every signal of the rulebook for an attempt, by its facts and its id."""
    at, person = facts.values.get("time.at"), facts.values.get("person.id")
    if person is None or not isinstance(at, datetime):
        return nothing_known(rulebook, "person.id" if person is None else "time.at")
    return compared(rulebook, past_of(facts, at, id, ""), history)


def nothing_known(rulebook: Rulebook, missing: str) -> dict[str, Noticed]:
    """Return every signal as unknown, for want of a person or a moment."""
    return {name: not_known(signal.kind, missing) for name, signal in rulebook.signals.items()}


def is_computed(rulebook: Rulebook, origin: Origin | None) -> bool:
    """Tell whether signals are worked out here; `origin` is that of those that there are: reported ones stay."""
    return bool(rulebook.signals) and (origin is None or origin in _COMPUTED)


def add_signals(rulebook: Rulebook, facts: Facts, history: History, id: str) -> None:
    """Work out the signals and add them to the facts; signals that were reported stay as they are."""
    if is_computed(rulebook, facts.origins.get("signals")):
        found = notice(rulebook, facts, history, id)
        facts.values["signals"], facts.noticed = told(found), found
        facts.origins["signals"] = Origin.COMPUTED
