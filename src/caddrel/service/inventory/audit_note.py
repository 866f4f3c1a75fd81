"""What a change of the inventory did, in short: who got or lost which role, group or factor."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from itertools import chain
from typing import Any

from caddrel.core.inventory.index import Entry, Inventory
from caddrel.service.inventory.imports import ImportPlan

LONGEST = 900
_SETS = {"person.roles": "role", "person.groups": "group", "person.factors": "factor"}


def of_entries(before: Inventory, noun: str, entries: Iterable[Any]) -> str:
    """Return what objects that are about to be taken in change."""
    return _short(_changes(before, noun, entries))


def of_plan(plan: ImportPlan) -> str:
    """Return what an import changes."""
    return _short(
        chain(*(_changes(plan.before, noun, entries) for noun, entries in plan.entries.items()), _going(plan))
    )


def _going(plan: ImportPlan) -> Iterator[str]:
    for noun, ids in plan.gone.items():
        yield from (removed(plan.before, noun, id) for id in ids)


def _short(changes: Iterable[str]) -> str:
    found, left_out = "", 0
    for change in changes:
        if len(found) + len(change) > LONGEST:
            left_out += 1
        else:
            found += f"; {change}" if found else change
    return f"{found}; and {left_out} more" if left_out else found


def removed(before: Inventory, noun: str, id: str) -> str:
    """Return what taking out an object takes away."""
    there = getattr(before, noun).get(id)
    held = (
        [f"{word} {name}" for fact, word in _SETS.items() for name in sorted(_held(there, fact))]
        if isinstance(there, Entry)
        else []
    )
    return f"{id}: removed{f', who had the {chr(44).join(held)}' if held else ''}"[:LONGEST]


def _changes(before: Inventory, noun: str, entries: Iterable[Any]) -> Iterator[str]:
    there = getattr(before, noun)
    for entry in entries:
        old = there.get(entry.id)
        if old is None:
            yield f"{entry.id}: new"
            continue
        if noun == "people":
            yield from _memberships(old, entry)
        elif old != entry:
            yield f"{entry.id}: changed"


def _memberships(old: Entry, new: Entry) -> Iterator[str]:
    for fact, word in _SETS.items():
        was, now = _held(old, fact), _held(new, fact)
        yield from (f"{new.id} got the {word} {name}" for name in sorted(now - was))
        yield from (f"{new.id} lost the {word} {name}" for name in sorted(was - now))
    if old.off != new.off:
        yield f"{new.id} {'is off' if new.off is not None else 'is back'}"
    for fact in ("person.kind", "person.unit", "person.risk"):
        if old.facts.get(fact) != new.facts.get(fact):
            yield f"{new.id}: {fact} is {new.facts.get(fact, 'not known')} now"


def _held(entry: Entry, fact: str) -> frozenset[str]:
    held = entry.facts.get(fact, frozenset())
    ending = {f"{group} until {until.isoformat()}" for group, until in entry.groups_until}
    return (held if isinstance(held, frozenset) else frozenset()) | (ending if fact == "person.groups" else set())
