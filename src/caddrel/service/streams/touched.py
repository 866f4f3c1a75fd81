"""Which sessions a change may touch, told from the change alone: what is left out comes to the same as before.

A session hangs on its person, device and app, on the rulebook, on groups and address lists, and on the time. What
hangs on none of what has changed is not decided again. Not here: what the time alone changes (`session_facts`).
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass

from caddrel.core.rulebook.model import Rulebook


@dataclass(frozen=True, slots=True)
class Touched:
    """Which sessions a change may touch: of some people, devices and apps; of all with None for the apps."""

    people: frozenset[str] = frozenset()
    devices: frozenset[str] = frozenset()
    apps: frozenset[str] | None = frozenset()

    def __bool__(self) -> bool:
        return self.apps is None or bool(self.people or self.devices or self.apps)


ALL = Touched(apps=None)


def touched_by(before: Rulebook, after: Rulebook) -> Touched:
    """Return which sessions another rulebook may touch.

    Where policies alone differ, and those name apps, only the sessions to those: a policy that does not name an app
    is not asked about it, so that its outcome there hangs on the others.
    """
    if not before.differs_in_policies_alone(after):
        return ALL
    apps: set[str] = set()
    for id in before.policies.keys() | after.policies.keys():
        pair = before.policies.get(id), after.policies.get(id)
        if pair[0] == pair[1]:
            continue
        for policy in pair:
            if policy is None:
                continue
            if any(selector.kind != "app" for selector in policy.scope.apps):
                return ALL
            apps.update(selector.id for selector in policy.scope.apps)
    return Touched(apps=frozenset(apps))


def touched_by_objects(ids: Mapping[str, Collection[str]], rulebook: Rulebook) -> Touched:
    """Return which sessions other objects of the inventory may touch, by noun the ids that came, went or changed."""
    reads_lists = any(place.parts.lists or place.without.lists for place in rulebook.places.values())
    # Within which other groups a group is concerns whoever is in it: who those are was another answer before.
    if ids.get("groups") or (ids.get("lists") and reads_lists):
        return ALL
    return Touched(*(frozenset(ids.get(noun, ())) for noun in ("people", "devices", "apps")))


def together(parts: Collection[Touched]) -> Touched:
    """Return which sessions several changes may touch."""
    if any(each.apps is None for each in parts):
        return ALL
    return Touched(
        *(frozenset().union(*(getattr(each, name) for each in parts)) for name in ("people", "devices", "apps"))
    )
