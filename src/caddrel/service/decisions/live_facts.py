"""The facts of a live attempt: what its door is believed about, completed, with what is known of the person here.

Not here: signals, which look back at earlier attempts (`signins.signal_history`).
"""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime, timedelta
from typing import Any, NamedTuple, Self

from caddrel.core.columnar.live_completion import LiveAttempt, LiveCompleter
from caddrel.core.facts.facts import Facts, Origin
from caddrel.core.inventory.index import Inventory
from caddrel.core.language.nodes import items_of
from caddrel.core.passwords.candidates import standards_for
from caddrel.core.rulebook.model import Rulebook
from caddrel.service.auth.callers import Caller
from caddrel.service.auth.lockouts import LockOuts
from caddrel.service.signins.record_encoding import lists_of
from caddrel.service.state.caches import ByObject, Cache
from caddrel.service.state.data_folder import DataFolder

MOST_RULEBOOKS = 8


class _Ready(NamedTuple):
    """What is made of a rulebook once: what completes attempts under it, and when methods are too old for it."""

    completer: LiveCompleter
    methods_last: tuple[timedelta, ...]


class Present(NamedTuple):
    """What attempts and sessions are decided on: a rulebook, and the world as it is at a moment.

    Attributes
    ----------
    methods_last
        How long after a method was used it is just too old for some requirement.
    """

    data: DataFolder
    rulebook: Rulebook
    now: datetime
    inventory: Inventory
    completer: LiveCompleter
    methods_last: tuple[timedelta, ...]

    @classmethod
    def of(cls, data: DataFolder, rulebook: Rulebook, now: datetime) -> Self:
        """Return the world as it is now."""
        kept: Cache[int, tuple[Rulebook, _Ready]] = data.caches.of("live-completers", MOST_RULEBOOKS)

        def make(rulebook: Rulebook) -> _Ready:
            catalogue, assume, lists = rulebook.catalogue, rulebook.settings.assume, lists_of(rulebook)
            # Most revisions complete attempts alike, and share what is remembered of people and devices.
            others = (found[1].completer for key in kept if (found := kept.get(key)) is not None)
            alike = next((other for other in others if other.is_of(catalogue, assume, lists)), None)
            return _Ready(alike or LiveCompleter(catalogue, assume, lists, data.addresses), methods_last(rulebook))

        return cls(data, rulebook, now, data.inventories.current(), *ByObject(kept).once(rulebook, make))


def methods_last(rulebook: Rulebook) -> tuple[timedelta, ...]:
    """Return how long after a method was used it is just too old for some requirement; the shortest first."""
    formulas = (rule.effect.formula for policy in rulebook.policies.values() for rule in policy.rules)
    items = (item for formula in formulas if formula is not None for item in items_of(formula))
    # At the limit itself it still counts.
    return tuple(timedelta(seconds=within + 1) for within in sorted({i.within for i in items if i.within is not None}))


def live_attempt(present: Present, claims: Mapping[str, Any], caller: Caller) -> LiveAttempt:
    """Return a request's facts, completed, from what its door is believed about."""
    attempt = present.completer.complete(claims, caller.reports, present.inventory, present.now)
    if take_off(present.inventory, attempt.facts, present.now):
        # What it was put together from says something else by now.
        attempt = attempt._replace(parts=())
    add_accepted(present.data, present.rulebook, attempt.facts)
    return attempt


def take_off(inventory: Inventory, facts: Facts, now: datetime) -> bool:
    """Take no credentials of somebody who has left for right, whatever their door says; tell whether they have."""
    person = inventory.people.get(str(facts.values.get("person.id")))
    if person is None or person.off is None or not person.is_off(now):
        return False
    said = facts.values.get("auth.credentials")
    if said not in (None, "wrong"):
        facts.not_believed = {**facts.not_believed, "auth.credentials": said}
    facts.not_understood = {k: v for k, v in facts.not_understood.items() if k != "auth.credentials"}
    facts.values["auth.credentials"], facts.origins["auth.credentials"] = "wrong", Origin.INVENTORY
    return True


def add_lock_out(lockouts: LockOuts, rulebook: Rulebook, facts: Facts, now: datetime, reserved: str = "") -> None:
    """Add whether the person is locked out, by every password standard that may apply.

    Parameters
    ----------
    reserved
        The try that was reserved for looking at the password: what came of it is being told.
    """
    person = facts.values.get("person.id")
    locked = False
    if isinstance(person, str):
        if reserved:
            lockouts.settle(reserved, person)
        if any(standard.lock for standard in rulebook.password_standards.values()):
            locked = lockouts.state(person, standards_for(rulebook, facts), now) is not None
    facts.values["auth.locked_out"] = locked
    facts.origins["auth.locked_out"] = Origin.COMPUTED


def add_accepted(data: DataFolder, rulebook: Rulebook, facts: Facts) -> None:
    """Add the notices whose present version the person is known to have accepted to those that the door reported."""
    person = facts.values.get("person.id")
    if not rulebook.notices or not isinstance(person, str):
        return
    versions = data.acceptances.of(person)
    kept = frozenset(id for id, notice in rulebook.notices.items() if versions.get(id) == notice.version)
    said = facts.values.get("auth.notices")
    if not isinstance(said, frozenset):
        # Reported as well, at the door where it was accepted: an export holds it, and an import decides the same.
        facts.values["auth.notices"], facts.origins["auth.notices"] = kept, Origin.REPORTED
    elif not kept <= said:
        facts.values["auth.notices"] = said | kept
