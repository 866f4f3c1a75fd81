"""Where each group of a person comes from: by a membership of their own, or through other groups."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from caddrel.core.inventory.index import Entry, Inventory


@dataclass(frozen=True, slots=True)
class Membership:
    """A group that somebody is in.

    Attributes
    ----------
    through
        The groups that lead to it, the one with the membership of their own first; empty where that is this one.
    until
        When it ends by itself, None when it lasts: of several ways in the one that lasts longest counts.
    """

    group: str
    through: tuple[str, ...] = ()
    until: datetime | None = None


def memberships(inventory: Inventory, person: Entry, at: datetime) -> list[Membership]:
    """Return every group that a person is in at a moment, as `Inventory.groups_of` has them, in order of id.

    Of several ways into a group the one that lasts is told, else the one that ends last; of these the shortest.
    """
    lasting = person.facts.get("person.groups", frozenset())
    own: list[Membership] = [Membership(group) for group in sorted(lasting if isinstance(lasting, frozenset) else ())]
    ending = [(group, until) for group, until in person.groups_until if at < until]
    own += [Membership(group, (), until) for group, until in sorted(ending, key=lambda each: each[1], reverse=True)]
    found: dict[str, Membership] = {}
    # Ways that last come first and are followed to their end: what comes later adds only what they did not reach.
    for start in own:
        todo = [start]
        for each in todo:
            if each.group in found:
                continue
            found[each.group] = each
            group = inventory.groups.get(each.group)
            through = (*each.through, each.group)
            todo += [Membership(parent, through, each.until) for parent in (group.member_of if group else ())]
    return [found[group] for group in sorted(found)]
