"""A session as an attempt of this moment: what its door reported, on the world as it is now.

Not here: an attempt that a door asks about (`decisions.live_facts`).
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from datetime import datetime, timedelta
from typing import Any

from caddrel.core.facts.attempts import read_told_facts
from caddrel.core.facts.facts import Facts, Origin, Setting
from caddrel.core.facts.types import Signals
from caddrel.core.inventory.completion import complete
from caddrel.core.language.nodes import items_of
from caddrel.core.rulebook.model import Rulebook
from caddrel.service.decisions.live_facts import add_accepted, take_off
from caddrel.service.state.caches import ByObject, Cache
from caddrel.service.state.data_folder import DataFolder
from caddrel.store.door_sessions import DoorSession

# However little changes, each is looked at so often: what hangs on time alone is seen then at the latest.
AT_LEAST_EVERY = timedelta(minutes=10)
NO_SOONER = timedelta(seconds=1)
# What a session knows better, or is not to be asked about again: whoever is in has given the right password.
_OWN = ("person.id", "app.id", "auth.methods", "auth.age", "auth.credentials", "auth.locked_out", "signals", "time.at")
_SIGNALS = "signals"
MOST_RULEBOOKS = 4


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


def facts_now(data: DataFolder, rulebook: Rulebook, session: DoorSession, now: datetime) -> Facts:
    """Return the facts of a session as an attempt of this moment.

    Raises
    ------
    AttemptRefused
        When the rulebook does not know any more what was reported.
    """
    kept = dict(session.facts)
    signals = kept.pop(_SIGNALS, None)
    # A fact that the rulebook had and has no more is of no use to it.
    claims = {name: value for name, value in kept.items() if name in rulebook.catalogue}
    claims |= {"person.id": session.person, "app.id": session.app, "auth.credentials": "right"}
    claims["auth.methods"] = {name: max((now - at).total_seconds(), 0.0) for name, at in session.methods.items()}
    told, strange = read_told_facts(claims, rulebook.catalogue)
    inventory = data.inventories.current()
    facts = complete(
        told, rulebook.catalogue, rulebook.settings.assume, inventory, Setting.LIVE, now, data.addresses, strange
    )  # fmt: skip
    take_off(inventory, facts, now)
    add_accepted(data, rulebook, facts)
    # Guessing at somebody's password is no reason to put them out who are in.
    facts.values["auth.locked_out"], facts.origins["auth.locked_out"] = False, Origin.COMPUTED
    if rulebook.signals and signals is not None:
        # One that was defined since was never worked out for it: of that nobody knows.
        fired, quiet = (rulebook.signals.keys() & set(signals[each]) for each in ("fired", "quiet"))
        facts.values["signals"] = Signals(fired, rulebook.signals.keys() - fired - quiet)
        facts.origins["signals"] = Origin.COMPUTED
    return facts


def look_again(data: DataFolder, rulebook: Rulebook, session: DoorSession, now: datetime) -> datetime:
    """Return when a session may come to something else, if nothing changes but the time."""
    # Of what is due at this very moment it has just been decided: due again at once, it would be without end.
    return max(min(_moments(data, rulebook, session, now)), now + NO_SOONER)


def _moments(data: DataFolder, rulebook: Rulebook, session: DoorSession, now: datetime) -> Iterator[datetime]:
    yield now + AT_LEAST_EVERY
    for name, since in (("session_at_most", session.started), ("idle_at_most", session.seen)):
        limit = session.keep.get(name)
        if limit is not None:
            yield since + timedelta(seconds=limit)
    person = data.inventories.current().people.get(session.person)
    if person is not None:
        yield from (end for _, end in person.groups_until if end > now)
        if person.off is not None and person.off > now:
            yield person.off
    limits: Cache[int, tuple[Rulebook, frozenset[int]]] = data.caches.of("method-limits", MOST_RULEBOOKS)
    for within in ByObject(limits).once(rulebook, limits_of):
        for at in session.methods.values():
            # Just after: at the limit itself it still counts.
            old = at + timedelta(seconds=within + 1)
            if old > now:
                yield old


def limits_of(rulebook: Rulebook) -> frozenset[int]:
    """Return the ages that requirements ask methods to be younger than, in seconds."""
    formulas = (rule.effect.formula for policy in rulebook.policies.values() for rule in policy.rules)
    items = (item for formula in formulas if formula is not None for item in items_of(formula))
    return frozenset(item.within for item in items if item.within is not None)
