"""What feeds have told, as facts of the inventory: for as long as it is believed, and then as it was before.

Of several feeds that tell a person's risk the highest is believed; whom a feed has put off a feed brings back, and
nobody else.
Not here: whether a feed is to be believed (`receiver`).
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from functools import partial
from typing import Any

from caddrel.core.facts.values import show_moment
from caddrel.core.inventory.patch import is_off, not_off, off_now, with_member, without_member
from caddrel.core.words.pieces import counted
from caddrel.service.inventory.changes import ANYBODY, InventoryChanges
from caddrel.service.state.data_folder import DataFolder
from caddrel.store.feeds import Feed
from caddrel.store.told import ToldRisk

LEVELS = ("none", "low", "medium", "high")
# From here on somebody is a member of the group of those whom a feed tells to be in danger.
_TARGETED = "medium"
LASTS = 168


@dataclass(slots=True)
class ToldFacts:
    """Turns what feeds tell into facts; one for the whole service."""

    data: DataFolder
    inventory: InventoryChanges
    # Held while what is told of somebody is worked out: of two feeds at once, each would take the other's word for that
    # of whoever is in charge, and what was so before would never come back.
    _one: threading.Lock = field(default_factory=threading.Lock)

    def risk(self, feed: Feed, person: str, level: str, now: datetime, *, at_least: bool = False) -> str:
        """Take a feed's word of a person's risk; return what was done, in words.

        Parameters
        ----------
        at_least
            What the feed has told before stays where it is higher.
        """
        until = now + timedelta(hours=feed.document.get("lasts_hours", LASTS))
        with self._one:
            if self._overruled(person):
                # Whoever is in charge has said another since: of what feeds have told before nothing is left.
                for each in self.data.told.risks(person):
                    self.data.told.forget(each)
                self.data.told.forget_before(person)
            before = next((each for each in self.data.told.risks(person) if each.feed == feed.name), None)
            if at_least and before is not None and before.until > now:
                level = max(level, before.level, key=LEVELS.index)
            self.data.told.tell(ToldRisk(person, feed.name, level, until))
            self._settle(person, now)
            member = self._targeted(feed, person, level, before, until)
        return f"the risk of {person} is {level} until {show_moment(until)[:16]}{member}"

    def _overruled(self, person: str) -> bool:
        """Tell whether a person's risk is another by now than feeds have made it."""
        entry, lent = self.data.inventory.get("people", person), self.data.told.before(person)
        return lent is not None and (entry is None or entry.document.get("risk") != lent[0])

    def _targeted(self, feed: Feed, person: str, level: str, before: ToldRisk | None, until: datetime) -> str:
        """Have a person be a member of the group of those in danger as long as that is believed."""
        group = feed.document.get("targeted", "")
        if not group:
            return ""
        ends = {show_moment(each.until) for each in [before] if each is not None}

        def make(document: Mapping[str, Any]) -> Mapping[str, Any] | None:
            held = next((each for each in document.get("groups") or [] if _id(each) == group), None)
            # Who is a member otherwise stays one, whatever a feed says.
            if held is not None and not (isinstance(held, Mapping) and held.get("until") in ends):
                return None
            if LEVELS.index(level) >= LEVELS.index(_TARGETED):
                return with_member(document, group, show_moment(until))
            return without_member(document, group)

        return f", in {group} as long" if self._change("people", person, make) else ""

    def _settle(self, person: str, now: datetime) -> None:
        """Have a person's risk be the highest that feeds tell; what it was before once they tell nothing."""
        entry, lent = self.data.inventory.get("people", person), self.data.told.before(person)
        if entry is None:
            return
        levels = [each.level for each in self.data.told.risks(person) if each.until > now]
        if levels:
            highest = max(levels, key=LEVELS.index)
            self.data.told.keep_before(person, highest, entry.document.get("risk") if lent is None else lent[1])
            self._change("people", person, partial(_with, key="risk", value=highest))
        elif lent is not None:
            self._change("people", person, partial(_with, key="risk", value=lent[1]))
            self.data.told.forget_before(person)

    def put_off(self, feed: Feed, person: str, now: datetime) -> str:
        """Put a person off, and end their sessions; return what was done, in words."""
        with self._one:
            entry = self.data.inventory.get("people", person)
            document = entry.document if entry is not None else {}
            if not is_off(document, now) or document["off"] in self.data.told.off_by(person).values():
                self.data.told.keep_off(person, feed.name, str(off_now(document, now)["off"]))
            self._change("people", person, lambda each: off_now(each, now))
        ended = self.data.door_sessions.end_of(person, now, f"feed {feed.name}")
        return f"{person} is off, {counted(ended, 'session')} ended"

    def bring_back(self, feed: Feed, person: str, now: datetime) -> str:
        """Bring a person back whom this feed has put off; return what was done, in words."""
        with self._one:
            return self._back(feed, person, now)

    def _back(self, feed: Feed, person: str, now: datetime) -> str:
        entry = self.data.inventory.get("people", person)
        by = self.data.told.off_by(person)
        if entry is None or not is_off(entry.document, now):
            for each in by:
                self.data.told.forget_off(person, each)
            return f"{person} is not off"
        since = str(entry.document["off"])
        if by.get(feed.name) != since:
            # Who has left is not brought back by somebody who only knows that they were never locked.
            return f"{person} stays off: {feed.name} has not put them off"
        self.data.told.forget_off(person, feed.name)
        others = sorted(name for name, off in by.items() if off == since and name != feed.name)
        if others:
            return f"{person} stays off: {', '.join(others)} says so"
        self._change("people", person, lambda each: not_off(each, now))
        return f"{person} is back"

    def managed(self, device: str, managed: bool) -> None:
        """Take a feed's word of whether a device is managed as it should be."""
        self._change("devices", device, partial(_with, key="managed", value=managed))

    def expire(self) -> int:
        """Take back the risks that were told for a time that is over; return how many."""
        now = self.data.clock()
        over = self.data.told.over(now)
        for told in over:
            with self._one:
                if not self._overruled(told.person):
                    self._settle(told.person, now)
                self.data.told.forget(told)
                if not self.data.told.risks(told.person):
                    self.data.told.forget_before(told.person)
            entry = self.data.inventory.get("people", told.person)
            level = (entry.document.get("risk") if entry is not None else None) or "not known"
            note = f"what {told.feed} told of the risk of {told.person} is over: it is {level}"
            self.data.audit.add(now, "Caddrel", "took a risk back", "/ssf/v1/events", "done", note)
        return len(over)

    def _change(self, noun: str, id: str, make: Callable[[Mapping[str, Any]], Mapping[str, Any] | None]) -> bool:
        """Change an object; tell whether it is another than before.

        Raises
        ------
        ServiceError
            When it is not there.
        """
        there = self.data.inventory.get(noun, id)
        # What a feed tells is told of one: that nobody could administer then is no reason not to believe it.
        changed, _ = self.inventory.change(noun, id, make, None, "a feed has told it", ANYBODY)
        return there is None or changed.version != there.version


def _id(held: Any) -> Any:
    return held.get("id") if isinstance(held, Mapping) else held


def _with(document: Mapping[str, Any], key: str, value: Any) -> dict[str, Any]:
    rest = {name: each for name, each in document.items() if name != key}
    return rest if value is None else {**rest, key: value}
