"""What a change of the inventory means for people: which apps they could open and no longer can, and the other way.

By the decision on a plain sign-in of each person whom the change touches, before and after it.
"""

from __future__ import annotations

import time
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from datetime import datetime

from caddrel.core.facts.types import Value
from caddrel.core.inventory.index import Entry, Inventory
from caddrel.core.reach.apps import reach, usual_device
from caddrel.core.rulebook.model import OUTCOMES
from caddrel.service.inventory.imports import ImportPlan
from caddrel.service.inventory.usual import usual
from caddrel.service.state.data_folder import DataFolder

# Seconds of the processor; who was not come to by then is counted.
LONGEST = 5.0
MOST_TOLD = 200


@dataclass(frozen=True, slots=True)
class Turned:
    """An app that somebody meets otherwise after a change; empty where they or the app are not there."""

    person: str
    app: str
    before: str
    after: str

    @property
    def loses(self) -> bool:
        """Tell whether it is stricter after."""
        return _rank(self.after) > _rank(self.before)


@dataclass(slots=True)
class Outcomes:
    """What turns; `left_out` people were not come to for want of time."""

    people: int = 0
    left_out: int = 0
    turned: list[Turned] = field(default_factory=list)

    def gaining(self) -> int:
        """Return how many people meet something milder."""
        return len({each.person for each in self.turned if not each.loses})

    def losing(self) -> int:
        """Return how many people meet something stricter."""
        return len({each.person for each in self.turned if each.loses})


def _rank(outcome: str) -> int:
    # Nobody gets in who is not there.
    return OUTCOMES.index(outcome) if outcome else len(OUTCOMES) - 1


def outcomes(state: DataFolder, plan: ImportPlan) -> Outcomes:
    """Return what turns by a plan, by the current rulebook; nothing before there is one."""
    published = state.rulebooks.current()
    if published is None:
        return Outcomes()
    now = state.clock()
    touched = sorted(set(_touched(plan, now)))
    found = Outcomes(len(touched))
    until = time.thread_time() + LONGEST
    apps = sorted({*plan.before.apps, *plan.after.apps})
    # Where most sign-ins come from: to look for each person's own would take longer than to decide.
    given = {k: v for k, v in usual(state, published.rulebook, plan.before, "", []).items() if k != "device.id"}
    for place, person in enumerate(touched):
        if time.thread_time() > until:
            found.left_out = len(touched) - place
            break
        sides = [_of(state, inventory, person, now, apps, given) for inventory in (plan.before, plan.after)]
        found.turned += (
            Turned(person, app, sides[0].get(app, ""), sides[1].get(app, ""))
            for app in apps
            if sides[0].get(app, "") != sides[1].get(app, "")
        )
    return found


def _of(
    state: DataFolder, inventory: Inventory, person: str, now: datetime, apps: list[str], usual_: Mapping[str, Value]
) -> dict[str, str]:
    if person not in inventory.people:
        return {}
    device = usual_device(inventory, person)
    given = {**usual_, **({"device.id": device} if device is not None else {})}
    compiled = state.rulebooks.need_current().compiled
    wanted = [app for app in apps if app in inventory.apps]
    found = reach(compiled, inventory, person, now, given, state.addresses, wanted)
    return {each.app: each.outcome for each in found}


def _touched(plan: ImportPlan, now: datetime) -> Iterator[str]:
    """Yield whom a plan touches: by themselves, by a group of theirs, by a device of theirs; by an app everybody."""
    for sides in ("entries", "gone"):
        for each in getattr(plan, sides).get("people", ()):
            yield each.id if isinstance(each, Entry) else each
        for each in getattr(plan, sides).get("groups", ()):
            id = each if isinstance(each, str) else each.id
            for inventory in (plan.before, plan.after):
                yield from (person.id for person in inventory.members_of(id, now))
        for each in getattr(plan, sides).get("devices", ()):
            id = each if isinstance(each, str) else each.id
            for inventory in (plan.before, plan.after):
                device = inventory.devices.get(id)
                if device is not None and device.person:
                    yield device.person
    if plan.entries.get("apps") or plan.gone.get("apps"):
        yield from plan.before.people
        yield from plan.after.people
