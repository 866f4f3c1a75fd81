"""Which apps a person can open now, each by the decision on a plain sign-in.

A plain sign-in comes with the right password, from the device and place that the person mostly comes from.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime

from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.decide.interpreter.interpreter import Explained, explain
from caddrel.core.decide.interpreter.judge import Beside
from caddrel.core.facts.facts import AddressData, Facts, Origin, Setting
from caddrel.core.facts.types import Value
from caddrel.core.inventory.completion import complete
from caddrel.core.inventory.index import Entry, Inventory
from caddrel.core.rulebook.model import Rulebook

PLAIN: Mapping[str, Value] = {"auth.credentials": "right", "auth.locked_out": False, "auth.methods": {"pwd": 0.0}}


@dataclass(frozen=True, slots=True)
class Reached:
    """An app, and what a plain sign-in to it comes to."""

    app: str
    facts: Facts
    outcome: str


def usual_device(inventory: Inventory, person: str) -> str | None:
    """Return the device that somebody has: one of the company before one of their own, of several the first by id."""
    owned = inventory.devices_of(person)
    best = min(owned, key=lambda each: (each.facts.get("device.owner") != "company", each.id), default=None)
    return best.id if best is not None else None


def reach(
    compiled: CompiledRulebook,
    inventory: Inventory,
    person: str,
    now: datetime,
    given: Mapping[str, Value],
    address_data: AddressData | None = None,
    apps: list[str] | None = None,
) -> list[Reached]:
    """Return what a plain sign-in of a person to each app comes to, in order of app.

    Parameters
    ----------
    given
        What is known of it beside that it is plain: the device, the address.
    apps
        Those that are asked about; all of the inventory without it.
    """
    found = []
    for app in sorted(inventory.apps) if apps is None else apps:
        facts = plain_facts(compiled, inventory, person, app, now, given, address_data)
        found.append(Reached(app, facts, compiled.outcome(facts)))
    return found


def plain_facts(
    compiled: CompiledRulebook,
    inventory: Inventory,
    person: str,
    app: str,
    now: datetime,
    given: Mapping[str, Value],
    address_data: AddressData | None = None,
) -> Facts:
    """Return the facts of a plain sign-in of a person to an app; parameters are those of `reach`."""
    rulebook = compiled.rulebook
    said = {**PLAIN, **given, "person.id": person, "app.id": app, "time.at": now}
    facts = complete(
        said, rulebook.catalogue, rulebook.settings.assume, inventory, Setting.REHEARSAL, now, address_data
    )
    entry: Entry | None = inventory.people.get(person)
    if entry is not None and entry.is_off(now):
        facts.values["auth.credentials"], facts.origins["auth.credentials"] = "wrong", Origin.INVENTORY
    return facts


def decided(
    rulebook: Rulebook, compiled: CompiledRulebook, reached: Reached, beside: Beside | None = None
) -> Explained:
    """Return the decision on a sign-in with its explanation, by the interpreter.

    Policies that the index leaves out are surely not about it, whatever else is known (`evaluator.considered`), so they
    say nothing: of very many the interpreter goes through the others alone.

    Parameters
    ----------
    rulebook
        The one that was compiled, maybe with titles of apps.
    beside
        What is known from the same sign-in to other apps, and is added to.
    """
    speaking = {id: rulebook.policies[id] for id in sorted(compiled.considered(reached.facts))}
    explained = explain(replace(rulebook, policies=speaking), reached.facts, beside=beside)
    if explained.decision.outcome != reached.outcome:
        raise AssertionError(f"{reached.app}: {reached.outcome}, and the interpreter {explained.decision.outcome}")
    return explained
