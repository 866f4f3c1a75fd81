"""The facts of an attempt that did not happen, completed as those of a sign-in now would be."""

from __future__ import annotations

from collections.abc import Mapping

from caddrel.core.facts.facts import Facts, Origin, Setting
from caddrel.core.facts.types import Value
from caddrel.core.inventory.completion import complete
from caddrel.core.inventory.index import Inventory
from caddrel.core.rulebook.model import Rulebook
from caddrel.service.signins.signal_history import notice_now
from caddrel.service.state.context import State


def completed_now(state: State, rulebook: Rulebook, inventory: Inventory, reported: Mapping[str, Value]) -> Facts:
    """Return the facts with what inventory, address data, clock and log add to them; the signals too."""
    facts = complete(
        reported,
        rulebook.catalogue,
        rulebook.settings.assume,
        inventory,
        Setting.REHEARSAL,
        state.clock(),
        state.addresses,
    )
    person = inventory.people.get(str(facts.values.get("person.id")))
    if person is not None and person.is_off(state.clock()) and "auth.credentials" not in reported:
        # As live: whoever has left gets in nowhere.
        facts.values["auth.credentials"], facts.origins["auth.credentials"] = "wrong", Origin.INVENTORY
    notice_now(state, rulebook, facts)
    # What the door would show has a reference to quote; a rehearsal leaves no record, so it shows the form of one.
    facts.reference = "00000-00000"
    return facts
