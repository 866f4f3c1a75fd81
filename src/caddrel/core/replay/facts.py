"""The facts of logged attempts, as they count under another rulebook.

What the rulebook of the time assumed is taken out, and what the one that is replayed assumes is put in: an assumption
belongs to a rulebook, and is no fact of the attempt. Everything else stays as it was recorded.
"""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from caddrel.core.columnar.fact_groups import group_of
from caddrel.core.facts.catalogue import Catalogue
from caddrel.core.facts.facts import AddressData, Facts, Origin, Setting
from caddrel.core.facts.types import Value
from caddrel.core.inventory.completion import AGES, complete
from caddrel.core.inventory.index import Inventory


def reassumed(facts: Facts, assume: Mapping[str, Value]) -> Facts:
    """Return the facts of one group with what another rulebook assumes; what nobody understands stays unknown.

    Where it assumes what was assumed they are the same facts.

    Parameters
    ----------
    assume
        Of facts of this group alone.
    """
    held = [name for name, origin in facts.origins.items() if origin is Origin.ASSUMED]
    # What a rulebook assumes is whole: values that are equal are the same.
    if all(name in assume and facts.values[name] == assume[name] for name in held) and all(
        name in facts.values or name in facts.not_understood for name in assume
    ):
        return facts
    values = {name: value for name, value in facts.values.items() if facts.origins[name] is not Origin.ASSUMED}
    origins = {name: facts.origins[name] for name in values}
    for name, value in assume.items():
        if name not in values and name not in facts.not_understood:
            values[name], origins[name] = value, Origin.ASSUMED
    made = facts.changed(values, origins, facts.coordinates)
    made.not_understood = facts.not_understood
    return made


def as_now(
    facts: Facts,
    group: str,
    catalogue: Catalogue,
    assume: Mapping[str, Value],
    inventory: Inventory,
    address_data: AddressData | None,
    now: datetime,
) -> tuple[Facts, dict[str, float | None]]:
    """Return the facts of one group as they would be if the attempt came now: the inventory's are as they are now.

    Also the ages that a device has now, by name.

    Parameters
    ----------
    facts
        As recorded: what was reported of them, and what stood for what was not, is taken.
    """
    given = {
        name: value
        for name, value in facts.values.items()
        if facts.origins[name] in {Origin.REPORTED, Origin.DEFAULT} and name not in AGES
    }
    strange = {name: said for name, said in facts.not_understood.items() if facts.origins[name] is Origin.REPORTED}
    whole = complete(
        {**given, "time.at": now}, catalogue, assume, inventory, Setting.LOG, address_data=address_data,
        not_understood=strange,
    )  # fmt: skip
    values = {name: value for name, value in whole.values.items() if group_of(name) == group}
    made = whole.changed(values, {name: whole.origins[name] for name in values}, whole.coordinates)
    ages: dict[str, Any] = {name: whole.values.get(name) for name in AGES} if group == "device" else {}
    return made, ages
