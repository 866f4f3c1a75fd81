"""What has changed since a sign-in was decided: the rulebook's objects, and what the inventory says of its facts."""

from __future__ import annotations

from datetime import datetime

from caddrel.core.facts.facts import Facts, Origin, Setting
from caddrel.core.facts.values import show
from caddrel.core.inventory.completion import complete
from caddrel.core.rulebook.model import Rulebook
from caddrel.service.state.data_folder import DataFolder
from caddrel.wire.signins import FactChange

_FROM_OUTSIDE = {Origin.INVENTORY, Origin.COMPUTED, Origin.ADDRESS_DATA}


def changed_facts(data: DataFolder, rulebook: Rulebook, facts: Facts) -> list[FactChange]:
    """Return the facts that completing the same report would give otherwise today."""
    reported = {name: value for name, value in facts.values.items() if facts.origins[name] is Origin.REPORTED}
    at = facts.values.get("time.at")
    again = complete(
        reported,
        rulebook.catalogue,
        rulebook.settings.assume,
        data.inventories.current(),
        Setting.LIVE if facts.live else Setting.LOG,
        at if isinstance(at, datetime) else None,
        data.addresses,
    )
    found = []
    # Signals and lock-outs come of the log, not of what is reported.
    for name in sorted({*facts.values, *again.values} - {"signals", "auth.locked_out"}):
        origins = {facts.origins.get(name), again.origins.get(name)}
        before, after = facts.values.get(name), again.values.get(name)
        if origins & _FROM_OUTSIDE and before != after:
            spec = rulebook.catalogue[name]
            shown = [None if value is None else show(value, spec) for value in (before, after)]
            found.append(FactChange(name, *shown))
    return found
