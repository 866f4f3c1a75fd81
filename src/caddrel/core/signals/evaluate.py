"""Working out all signals of a rulebook for one attempt."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from datetime import datetime
from functools import lru_cache
from typing import Any

from caddrel.core.columnar.attempt import ComparedSignals
from caddrel.core.facts.facts import Facts, Origin
from caddrel.core.facts.record import signals_document
from caddrel.core.facts.types import Signals
from caddrel.core.rulebook.model import Rulebook, Signal
from caddrel.core.signals import failed_attempts, far_away, first_seen, travel_speed
from caddrel.core.signals.history import History, LooksBack, Past, looks_back, past_of
from caddrel.core.signals.result import Compare, Form, Values, not_known

KINDS: Mapping[str, Callable[[Signal], Compare]] = {
    kind.KIND: kind.comparing for kind in (first_seen, travel_speed, far_away, failed_attempts)
}
_COMPUTED = (Origin.COMPUTED, Origin.ASSUMED)
MOST_REMEMBERED = 10_000
Notice = Callable[[Past, History], "Noticed"]


class SignalResults:
    """What the signals of a rulebook come to together, for all attempts for which each came out in the same way.

    Attributes
    ----------
    signals
        The value of the fact ``signals``.
    document
        The bundle of the attempt's signals, as JSON.
    """

    __slots__ = ("_forms", "document", "signals")

    def __init__(self, names: tuple[str, ...], forms: tuple[Form, ...]) -> None:
        self._forms = dict(zip(names, forms, strict=True))
        fired, open_ = (
            tuple(name for name, form in self._forms.items() if form.truth == word) for word in ("true", "unknown")
        )
        self.signals = _signals(fired, open_)
        shared = {name: {**form.shared, "names": form.names} for name, form in self._forms.items()}
        self.document = signals_document(self.signals, shared)

    def noticed(self, values: Sequence[Values]) -> dict[str, dict[str, Any]]:
        """Return every signal by name, with what it was compared with, as JSON."""
        each = zip(self._forms.items(), values, strict=True)
        return {name: form.document(found) for (name, form), found in each}


# What signals come to, and the values of each: in the order of their names.
Noticed = tuple[SignalResults, list[Values]]


@lru_cache(maxsize=1024)
def _signals(fired: tuple[str, ...], open_: tuple[str, ...]) -> Signals:
    return Signals(fired, open_)


def noticing(rulebook: Rulebook) -> Notice:
    """Return what works out the signals of a rulebook for an attempt of a person.

    It takes the attempts of the same person; those after this one do not count. Its own id settles the order of
    attempts at one moment; empty comes before all others.
    """
    # Signals that look back in the same way share what they see.
    shared: dict[LooksBack, int] = {}
    signals = [
        (KINDS[signal.kind](signal), shared.setdefault(looks_back(signal), len(shared)))
        for _, signal in sorted(rulebook.signals.items())
    ]
    looks, names = tuple(shared), tuple(sorted(rulebook.signals))
    known: dict[tuple[Form, ...], SignalResults] = {}

    def notice(attempt: Past, history: History) -> Noticed:
        at, id = attempt.at, attempt.id
        earlier = [history.before(at, id, look) for look in looks]
        forms, values = [], []
        for compare, look in signals:
            form, found = compare(attempt, *earlier[look])
            forms.append(form)
            values.append(found)
        key = tuple(forms)
        told = known.get(key)
        if told is None:
            if len(known) > MOST_REMEMBERED:
                known.clear()
            told = known[key] = SignalResults(names, key)
        return told, values

    return notice


def notice(rulebook: Rulebook, facts: Facts, history: History, id: str, ready: Notice | None = None) -> Noticed:
    """Return the signals of the rulebook for an attempt, by its facts and its id."""
    at, person = facts.values.get("time.at"), facts.values.get("person.id")
    if person is None or not isinstance(at, datetime):
        return nothing_known(rulebook, "person.id" if person is None else "time.at")
    return (ready or noticing(rulebook))(past_of(facts, at, id, ""), history)


def nothing_known(rulebook: Rulebook, missing: str) -> Noticed:
    """Return every signal as unknown, for want of a person or a moment."""
    forms = {name: not_known(signal.kind, missing) for name, signal in sorted(rulebook.signals.items())}
    return SignalResults(tuple(forms), tuple(forms.values())), [()] * len(forms)


def is_computed(rulebook: Rulebook, origin: Origin | None) -> bool:
    """Tell whether signals are worked out here; `origin` is that of those that there are: reported ones stay."""
    return bool(rulebook.signals) and (origin is None or origin in _COMPUTED)


def add_signals(rulebook: Rulebook, facts: Facts, history: History, id: str, ready: Notice | None = None) -> None:
    """Work out the signals and add them to the facts; signals that were reported stay as they are.

    Parameters
    ----------
    ready
        What `noticing` returned for the rulebook, by who has it at hand.
    """
    if is_computed(rulebook, facts.origins.get("signals")):
        told, values = notice(rulebook, facts, history, id, ready)
        facts.values["signals"], facts.noticed = told.signals, ComparedSignals(told, values)
        facts.origins["signals"] = Origin.COMPUTED
