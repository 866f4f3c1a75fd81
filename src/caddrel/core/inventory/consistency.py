"""What does not fit together in an inventory: names of what is not there, circles, ids that are nearly the same.

Not here: what is wrong with one object by itself (`reader`).
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Mapping
from dataclasses import dataclass, field
from itertools import filterfalse
from typing import Any

from caddrel.core.diagnostics import Diagnostic, did_you_mean, shorten
from caddrel.core.facts.layers import Layers
from caddrel.core.facts.types import fold
from caddrel.core.inventory.index import NOUNS, ONE_OF, Entry, Group, Inventory

MOST_TOLD = 100


def inconsistencies(
    before: Inventory, after: Inventory, changed: Mapping[str, Collection[Any]], gone: Mapping[str, Collection[str]]
) -> list[Diagnostic]:
    """Return what a change makes inconsistent; errors are what would be wrong, warnings what is told.

    Parameters
    ----------
    changed, gone
        By noun the objects that are added or replaced, and the ids of those that are taken out.
    """
    found: list[Diagnostic] = []
    for noun in NOUNS:
        new = [each.id for each in changed.get(noun, ()) if each.id not in getattr(before, noun)]
        found += _ids(noun, new, getattr(after, noun))
    for group in changed.get("groups", ()):
        found += _group(after, group)
    for person in changed.get("people", ()):
        found += _person(after, person)
    for device in changed.get("devices", ()):
        found += _device(after, device)
    for id in gone.get("groups", ()):
        left = sum(id in group.member_of for group in after.groups.values())
        if left:
            said = f"{left} {'group is' if left == 1 else 'groups are'} members of `{shorten(id)}`, which goes"
            found.append(_warning("unknown-group", said, f"groups.{id}"))
    return found


def _ids(noun: str, new: list[str], there: Mapping[str, Any]) -> Iterator[Diagnostic]:
    """Yield ids that would be taken for one another, or for what they are not."""
    if not new:
        return
    alike = _alike(there)
    for id in new:
        others = [each for each in alike(_folded(id)) if each != id and each in there]
        if others:
            said = f"`{shorten(id)}` and `{shorten(others[0])}` differ in letters' case or spaces alone"
            yield Diagnostic("ids-alike", said, f"one {ONE_OF[noun]} has one id", path=f"{noun}.{id}")
        if id != id.strip():
            hint = f'write "{shorten(id.strip())}"'
            yield Diagnostic("bad-id", f"`{shorten(id)}` begins or ends with a space", hint, path=f"{noun}.{id}")
        elif any(c.isspace() for c in id):
            yield _warning("odd-id", f"the id `{shorten(id)}` holds a space", f"{noun}.{id}")


def _folded(id: str) -> str:
    return fold(" ".join(id.split()))


@dataclass(slots=True, eq=False)
class _Folded:
    """Ids by their folded form: those of a mapping, and of what was laid over it since.

    Attributes
    ----------
    known
        All of them, with some that are gone.
    """

    below: Mapping[str, Any]
    seen: set[str] = field(default_factory=set)
    ids: dict[str, list[str]] = field(default_factory=dict)
    known: set[str] = field(default_factory=set)

    def add(self, ids: Collection[str]) -> None:
        for id in ids:
            self.ids.setdefault(_folded(id), []).append(id)
        self.known.update(ids)

    def laid_into(self, below: Mapping[str, Any]) -> _Folded | None:
        """Return those of another mapping, where it is this one with what was laid over it; None where it is not."""
        new = below.keys() - self.known
        # One of other things has few ids in common with it; one that is empty is folded as quickly anew.
        if 2 * len(new) >= len(below) or len(self.known) > 2 * len(below) + _MOST_SEEN:
            return None
        found = _Folded(below, set(), self.ids, self.known)
        found.add(new)
        return found


# One change after another follows from the same mapping.
_kept: list[_Folded] = []
_MOST_KEPT, _MOST_SEEN = 8, 10_000


def _alike(there: Mapping[str, Any]) -> Callable[[str], list[str]]:
    """Return what gives the ids that a folded one stands for; some may be gone, or of what was never carried out.

    Several may ask at once: whatever an id is looked for among was added before, by whoever asks if by nobody else.
    """
    below, above = (there.below(), there.above()) if isinstance(there, Layers) else (there, ())
    found = next((each for each in _kept if each.below is below), None)
    if found is None:
        found = _folded_ids(below)
        if isinstance(there, Layers):
            # Held with its mapping, so that no other comes to stand in its place in memory.
            _kept.insert(0, found)
            del _kept[_MOST_KEPT:]
    new = list(filterfalse(found.seen.__contains__, above))
    found.add(new)
    # Only now: nobody takes for added what is not.
    found.seen.update(new)
    if len(found.seen) > _MOST_SEEN:
        # Of changes that were refused their ids would stay.
        _kept[:] = [each for each in _kept if each is not found]
    return lambda folded: list(dict.fromkeys(found.ids.get(folded, ())))


def _folded_ids(below: Mapping[str, Any]) -> _Folded:
    """Return the ids of a mapping by their folded form.

    Folding everybody's takes long, and most are known from the mapping that was laid into this one: that is held no
    longer, as nothing follows from it any more but what is just being looked at.
    """
    for each in _kept[:]:
        if (found := each.laid_into(below)) is not None:
            _kept[:] = [other for other in _kept if other is not each]
            return found
    found = _Folded(below)
    found.add(below.keys())
    return found


def _group(after: Inventory, group: Group) -> Iterator[Diagnostic]:
    for parent in group.member_of:
        if parent not in after.groups:
            yield _unknown(f"groups.{group.id}", "group", parent, after.groups)
        elif parent == group.id or group.id in after.closure([parent]):
            said = f"the group `{shorten(group.id)}` would be within itself, through `{shorten(parent)}`"
            hint = "everybody in any of them would be in all of them: take one membership out"
            yield Diagnostic("group-circle", said, hint, path=f"groups.{group.id}.member_of")


def _person(after: Inventory, person: Entry) -> Iterator[Diagnostic]:
    held = person.facts.get("person.groups", frozenset())
    named = {*(held if isinstance(held, frozenset) else ()), *(group for group, _ in person.groups_until)}
    for group in sorted(named - set(after.groups)) if named else ():
        yield _unknown(f"people.{person.id}.groups", "group", group, after.groups)


def _device(after: Inventory, device: Entry) -> Iterator[Diagnostic]:
    if device.person and device.person not in after.people:
        yield _unknown(f"devices.{device.id}.person", "person", device.person, after.people)


def _unknown(path: str, what: str, name: str, there: Collection[str]) -> Diagnostic:
    # Among very many names looking for one that is near takes longer than it helps.
    hint = did_you_mean(name, list(there), "it counts from when there is one") if len(there) < 2_000 else ""
    code = "unknown-group" if what == "group" else "unknown-owner"
    return _warning(code, f"the inventory has no {what} `{shorten(name)}`", path, hint)


def _warning(code: str, message: str, path: str, hint: str = "") -> Diagnostic:
    return Diagnostic(code, message, hint, path=path, severity="warning")
