"""Puts what others are told of people and devices: of a change, of other standards, and when somebody's time has come.

What is told is the difference to what was told last, put with what is told then: nothing is told twice, and what is cut
off is told at the next look. Not here: what a difference is (`news`), and what is told of sessions.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Collection, Iterable, Iterator, Mapping
from datetime import datetime

from caddrel.core.inventory.index import Entry
from caddrel.service.state.data_folder import DataFolder
from caddrel.service.streams.news import State, known_after, news, states
from caddrel.store.inventory import Changes

# The revision by whose standards devices were told of last.
STANDARDS = "told-standards"
# What is known of people who are not in the inventory any more.
_GONE: State = {"off": True, "risk": None, "factors": [], "groups": [], "roles": []}


class Teller:
    """Puts events of people and devices; one for the whole service."""

    def __init__(self, data: DataFolder) -> None:
        self._data = data
        # Until when those were told of whose time had come, and when whose time comes.
        self._until: datetime | None = None
        self._moments: tuple[Mapping[str, Entry], list[tuple[datetime, str]]] | None = None

    def know(self, now: datetime, marks: Mapping[str, int], revision: int) -> None:
        """Take everybody as they are, and tell nobody: before the first look nobody was told anything."""
        published, inventory = self._data.rulebooks.need_current(), self._data.inventories.current()
        known = states(published.rulebook, inventory, inventory.people, (), now)
        self._data.door_sessions.settle([], now, {**marks, STANDARDS: revision}, told=_there(known))

    def of_changes(self, changes: Changes, because: str, now: datetime) -> None:
        """Put what is told of a change of the inventory."""
        people, devices, groups = (changed(changes, noun) for noun in ("people", "devices", "groups"))
        inventory = self._data.inventories.current()
        # Within which others a group is changes what everybody in it is a member of.
        within = {person.id for group in groups for person in inventory.members_of(group, now)}
        self._tell(people | within, devices, because, now)

    def of_standards(self, revision: int, because: str, now: datetime) -> None:
        """Put what is told of devices that pass other standards than they did, or do not pass them any more."""
        data, mark = self._data, {STANDARDS: revision}
        told = data.marks.get(STANDARDS)
        if told == revision:
            return
        published = data.rulebooks.need_current()
        if told is not None and published.rulebook.differs_in_policies_alone(data.rulebooks.get(told).rulebook):
            data.door_sessions.settle([], now, mark)
            return
        self._tell((), list(data.inventories.current().devices), because, now, mark)

    def in_time(self, now: datetime) -> None:
        """Put what is told of those whose time has come since the last look: who has left, whose membership has ended.

        At the first look after a start also of those whose time came before.
        """
        people, since = self._data.inventories.current().people, self._until
        if self._moments is None or self._moments[0] is not people.below():
            # Most of the inventory stays the same from one change to the next.
            self._moments = people.below(), sorted(_moments(people.below().values()))
        moments = self._moments[1]
        first = 0 if since is None else bisect_right(moments, since, key=lambda each: each[0])
        due = {id for _, id in moments[first : bisect_right(moments, now, key=lambda each: each[0])]}
        # Who has changed since may be in both: what is told is only what is news.
        new = (person for id in people.above() if (person := people.get(id)) is not None)
        due |= {id for at, id in _moments(new) if (since is None or since < at) and at <= now}
        if due:
            self._tell(due, (), "the time has come", now)
        self._until = now

    def _tell(
        self,
        people: Collection[str],
        devices: Collection[str],
        because: str,
        now: datetime,
        marks: Mapping[str, int] | None = None,
    ) -> None:
        data = self._data
        rulebook, inventory = data.rulebooks.need_current().rulebook, data.inventories.current()
        known = {
            (noun, id): state
            for noun, ids in (("people", people), ("devices", devices))
            for id, state in data.outbox.last_told(noun, ids).items()
        }
        new = states(rulebook, inventory, people, devices, now)
        events = [
            event
            for (noun, id), state in sorted(new.items())
            for event in news(noun, id, known.get((noun, id)), state, now, because)
        ]
        knows = {key: known_after(known.get(key), state) if key[0] == "people" else state for key, state in new.items()}
        told = {key: state for key, state in _there(knows).items() if state != known.get(key)}
        if events or told or marks:
            data.door_sessions.settle([], now, marks or {}, events, told)


def changed(changes: Changes, noun: str) -> set[str]:
    """Return the ids of everything of a noun that came, went or changed."""
    return {str(each["id"]) for each in changes.came.get(noun, ())} | set(changes.went.get(noun, ()))


def _moments(people: Iterable[Entry]) -> Iterator[tuple[datetime, str]]:
    for person in people:
        if person.off is not None:
            yield person.off, person.id
        yield from ((until, person.id) for _, until in person.groups_until)


def _there(found: Mapping[tuple[str, str], State | None]) -> dict[tuple[str, str], State]:
    # Of somebody who is gone it stays known that they were told to be off.
    return {
        key: state if state is not None else {**_GONE} for key, state in found.items() if state or key[0] == "people"
    }
