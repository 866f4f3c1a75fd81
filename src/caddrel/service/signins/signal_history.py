"""Signals over the log: looking back at a person's earlier records, and working out again what a late one changes."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from datetime import datetime, timedelta

from caddrel.core.columnar.attempt import Bundled
from caddrel.core.columnar.fact_groups import GROUPS
from caddrel.core.decide.decision import Decision
from caddrel.core.facts.facts import Facts
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.signals.evaluate import Notice, add_signals, is_computed, nothing_known, noticing
from caddrel.core.signals.history import History, Past, needed_history, past_of, past_of_bundled
from caddrel.service.state.caches import ByObject, Cache, Caches
from caddrel.service.state.context import State
from caddrel.store.signins import SigninStore

MOST_PEOPLE = 20_000
MOST_RULEBOOKS = 16
_PERSON, _SIGNALS = GROUPS.index("person"), GROUPS.index("signals")


class Histories:
    """The recent attempts of many people, read from the log when first asked for and kept up to date.

    All who add records share one, and hold the log's lock while they do.

    Attributes
    ----------
    let_go
        Grows whenever attempts are let go of. What an import decided and has not stored by then is missed when they
        are read again: it must have what came after them worked out once more.
    """

    def __init__(self, signins: SigninStore, caches: Caches) -> None:
        self._signins = signins
        self._needed: int | None = 0
        self._asked_last: Rulebook | None = None
        self._kept: Cache[str, History] = caches.make("histories", MOST_PEOPLE)
        self._noticing: ByObject[Rulebook, Notice] = ByObject(caches.make("signals", MOST_RULEBOOKS))
        self._late: dict[str, datetime] = {}
        # What is decided and waits to be stored, by id, with its person.
        self._unstored: dict[str, tuple[str, Past]] = {}
        self.let_go = 0

    def notice(self, rulebook: Rulebook, facts: Facts, id: str) -> None:
        """Add the signals of an attempt to its facts."""
        if rulebook.signals:
            add_signals(rulebook, facts, self._of(facts), id, self._noticing.once(rulebook, noticing))

    def take_in(
        self, rulebook: Rulebook, attempts: Iterable[tuple[str, Bundled]], decide: Callable[[Bundled], Decision]
    ) -> list[Decision]:
        """Work out the signals of attempts of a log, each with its id; decide them, and look back at them from then on.

        Parameters
        ----------
        attempts
            In order of time; each is there for those that come after it.
        """
        if self._needed == 0:
            return [self._of_nobody(rulebook, attempt, decide) for _, attempt in attempts]
        notice, needed, of_person, late = (
            self._noticing.once(rulebook, noticing),
            self._needed,
            self._of_person,
            self._late,
        )
        decisions = []
        said, computed = None, False
        for id, attempt in attempts:
            bundles = attempt.bundles
            (person,) = bundles[_PERSON].told
            if not isinstance(person, str):
                decisions.append(self._of_nobody(rulebook, attempt, decide))
                continue
            history, past = of_person(person), past_of_bundled(attempt, id)
            if bundles[_SIGNALS] is not said:
                said = bundles[_SIGNALS]
                computed = is_computed(rulebook, said.origins.get("signals"))
            if computed:
                attempt.noticed = notice(past, history)
            decision = decide(attempt)
            if past.let_in and decision.outcome != "allowed":
                past = past._replace(let_in=False)
            if history.add(past, needed):
                late[person] = min(past.at, late.get(person, past.at))
            decisions.append(decision)
        return decisions

    def _of_nobody(self, rulebook: Rulebook, attempt: Bundled, decide: Callable[[Bundled], Decision]) -> Decision:
        """Decide an attempt with nothing to look back at: the person is not known, or no signal asks for any."""
        if is_computed(rulebook, attempt.bundles[_SIGNALS].origins.get("signals")):
            attempt.noticed = nothing_known(rulebook, "person.id")
        return decide(attempt)

    def add(self, facts: Facts, at: datetime, id: str, outcome: str) -> None:
        """Take in an attempt that has been decided; one that others came after makes those due again."""
        person = facts.values.get("person.id")
        if self._needed == 0 or not isinstance(person, str):
            return
        past = past_of(facts, at, id, outcome)
        if self._of_person(person).add(past, self._needed):
            self._late[person] = min(at, self._late.get(person, at))
        self._unstored[id] = (person, past)

    def stored(self, ids: Iterable[str]) -> None:
        """Take note that attempts wait no more: stored, or they will never be. May be told without the lock."""
        for id in ids:
            self._unstored.pop(id, None)

    def waits_for(self, person: str) -> bool:
        """Tell whether an attempt of a person waits to be stored."""
        return any(who == person for who, _ in list(self._unstored.values()))

    def look_back(self, rulebooks: Iterable[Rulebook]) -> None:
        """Say which rulebooks' signals are going to be asked: they tell how far to look back."""
        rulebooks = list(rulebooks)
        if len(rulebooks) == 1 and rulebooks[0] is self._asked_last:
            # As far as that one needs it is looked back already: it only ever becomes more.
            return
        needed = needed_history(rulebooks)
        self._asked_last = rulebooks[-1] if rulebooks else None
        if self._needed is not None and (needed is None or needed > self._needed):
            self._needed = needed
            self._kept.clear()
            self.let_go += 1

    def drop(self, person: str) -> None:
        """Read a person's attempts anew when they are asked for next: what came of them has changed."""
        self._kept.pop(person, None)
        self.let_go += 1

    def clear(self) -> None:
        """Begin anew from what the log holds."""
        self._kept.clear()
        self._late = {}
        self.let_go += 1

    def late(self) -> dict[str, datetime]:
        """Return the people whose later signals may have changed since the last time this was asked, and from when."""
        found, self._late = self._late, {}
        return found

    def _of(self, facts: Facts) -> History:
        person = facts.values.get("person.id")
        return self._of_person(person) if isinstance(person, str) else History()

    def _of_person(self, person: str) -> History:
        history = self._kept.get(person)
        if history is None:
            # In this order: what is stored meanwhile is found twice, and not missed.
            waiting = [past for who, past in list(self._unstored.values()) if who == person]
            found = newest(self._signins, person, self._needed)
            there = {past.id for past in found}
            history = self._kept[person] = History([*found, *(past for past in waiting if past.id not in there)])
        return history


def newest(signins: SigninStore, person: str, needed: int | None, before: datetime | None = None) -> list[Past]:
    """Return as much of a person's newest attempts as signals look back at."""
    found: list[Past] = []
    let_in = tried = 0
    for past in signins.pasts(person, before):
        if needed is not None and let_in >= needed and tried >= needed:
            break
        found.append(past)
        let_in += past.let_in
        tried += past.credentials is not None
    return found


def notice_now(state: State, rulebook: Rulebook, facts: Facts, id: str = "") -> None:
    """Add the signals of an attempt that is not in the log, or is looked at again under another rulebook."""
    person, at = facts.values.get("person.id"), facts.values.get("time.at")
    if not rulebook.signals:
        return
    history = History()
    if isinstance(person, str) and isinstance(at, datetime):
        # Attempts at the very same moment come before or after by their ids, so they are read too.
        until = at + timedelta(microseconds=1)
        history = History(newest(state.signins, person, needed_history([rulebook]), until))
    add_signals(rulebook, facts, history, id)
