"""The facts of a live attempt: what its door is believed about, completed, with what is known of the person here.

Not here: signals, which look back at earlier attempts (`signins.signal_history`).
"""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from caddrel.core.facts.attempts import read_told_facts
from caddrel.core.facts.claims import believed
from caddrel.core.facts.facts import Facts, Origin, Setting
from caddrel.core.inventory.completion import complete
from caddrel.core.passwords.candidates import standards_for
from caddrel.core.rulebook.model import Rulebook
from caddrel.service.auth.callers import Caller
from caddrel.service.auth.lockouts import LockOuts
from caddrel.service.state.data_folder import DataFolder


def live_facts(data: DataFolder, rulebook: Rulebook, claims: Mapping[str, Any], caller: Caller, now: datetime) -> Facts:
    """Return the completed facts of a request, from what its door is believed about."""
    may, others = believed(claims, caller.reports)
    told, strange = read_told_facts(may, rulebook.catalogue)
    facts = complete(
        told,
        rulebook.catalogue,
        rulebook.settings.assume,
        data.inventories.current(),
        Setting.LIVE,
        now,
        data.addresses,
        strange,
    )
    facts.not_believed = others
    take_off(data, facts, now)
    add_accepted(data, rulebook, facts)
    return facts


def take_off(data: DataFolder, facts: Facts, now: datetime) -> None:
    """Take no credentials of somebody who has left for right, whatever their door says."""
    person = data.inventories.current().people.get(str(facts.values.get("person.id")))
    if person is None or not person.is_off(now):
        return
    said = facts.values.get("auth.credentials")
    if said not in (None, "wrong"):
        facts.not_believed = {**facts.not_believed, "auth.credentials": said}
    facts.not_understood = {k: v for k, v in facts.not_understood.items() if k != "auth.credentials"}
    facts.values["auth.credentials"], facts.origins["auth.credentials"] = "wrong", Origin.INVENTORY


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
