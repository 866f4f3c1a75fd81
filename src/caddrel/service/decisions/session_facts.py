"""A session as an attempt of this moment: what its door reported, on the world as it is now.

Not here: an attempt that a door asks about (`decisions.live_facts`).
"""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime, timedelta
from typing import Any

from caddrel.core.facts.facts import Facts, Origin
from caddrel.core.facts.types import Signals
from caddrel.core.rulebook.model import Rulebook
from caddrel.service.decisions.live_facts import Present, add_accepted, take_off
from caddrel.store.door_sessions import DoorSession

# However little changes, each is looked at so often: what hangs on time alone is seen then at the latest.
AT_LEAST_EVERY = timedelta(minutes=10)
NO_SOONER = timedelta(seconds=1)
# What a session knows better, or is not to be asked about again: whoever is in has given the right password.
_OWN = ("person.id", "app.id", "auth.methods", "auth.age", "auth.credentials", "auth.locked_out", "signals", "time.at")
_SIGNALS = "signals"


def kept_of(rulebook: Rulebook, claims: Mapping[str, Any], facts: Facts) -> dict[str, Any]:
    """Return what a session keeps of the attempt that it was decided by: what was reported, and which signals fired.

    Signals look back at an attempt, and there is none when a session is decided again: they stay as they were.
    """
    kept = {
        name: value for name, value in claims.items() if name not in _OWN and facts.origins.get(name) is Origin.REPORTED
    }
    signals = facts.values.get("signals")
    if isinstance(signals, Signals):
        quiet = rulebook.signals.keys() - signals - signals.open
        kept[_SIGNALS] = {"fired": sorted(signals), "quiet": sorted(quiet)}
    return kept


def facts_now(present: Present, session: DoorSession) -> Facts:
    """Return the facts of a session as an attempt of this moment.

    Raises
    ------
    AttemptRefused
        When the rulebook does not know any more what was reported.
    """
    rulebook, now = present.rulebook, present.now
    known, signals = rulebook.catalogue.names, session.facts.get(_SIGNALS)
    # A fact that the rulebook had and has no more is of no use to it.
    claims = {name: value for name, value in session.facts.items() if name != _SIGNALS and name in known}
    claims["person.id"], claims["app.id"], claims["auth.credentials"] = session.person, session.app, "right"
    claims["auth.methods"] = {name: max((now - at).total_seconds(), 0.0) for name, at in session.methods.items()}
    facts = present.completer.complete(claims, None, present.inventory, now).facts
    take_off(present.inventory, facts, now)
    add_accepted(present.data, rulebook, facts)
    # Guessing at somebody's password is no reason to put them out who are in.
    facts.values["auth.locked_out"], facts.origins["auth.locked_out"] = False, Origin.COMPUTED
    if rulebook.signals and signals is not None:
        # One that was defined since was never worked out for it: of that nobody knows.
        fired, quiet = (rulebook.signals.keys() & set(signals[each]) for each in ("fired", "quiet"))
        facts.values["signals"] = Signals(fired, rulebook.signals.keys() - fired - quiet)
        facts.origins["signals"] = Origin.COMPUTED
    return facts


def look_again(present: Present, session: DoorSession) -> datetime:
    """Return when a session may come to something else, if nothing changes but the time."""
    now = present.now
    first = now + AT_LEAST_EVERY
    for name, since in (("session_at_most", session.started), ("idle_at_most", session.seen)):
        limit = session.keep.get(name)
        if limit is not None:
            first = min(first, since + timedelta(seconds=limit))
    person = present.inventory.people.get(session.person)
    if person is not None and (person.groups_until or person.off is not None):
        ends = [*(end for _, end in person.groups_until), *((person.off,) if person.off is not None else ())]
        first = min(first, first, *(end for end in ends if end > now))
    for at in session.methods.values():
        for lasts in present.methods_last:
            too_old = at + lasts
            if too_old > now:
                # The others are longer.
                first = min(first, too_old)
                break
    # Of what is due at this very moment it has just been decided: due again at once, it would be without end.
    return max(first, now + NO_SOONER)
