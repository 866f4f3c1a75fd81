"""Signals over the log: looking back at a person's earlier records, and working out again what a late one changes."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Iterable
from dataclasses import replace
from datetime import datetime, timedelta
from typing import TYPE_CHECKING

from caddrel.core.decide.decision import decision_json
from caddrel.core.facts.completion import Facts, Origin
from caddrel.core.facts.record import facts_from_json, facts_json
from caddrel.core.logs.causes import cause_of
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.signals.history import History, Past, needed_history, past_of
from caddrel.core.signals.noticing import add_signals
from caddrel.service.records import columns_of, lists_of
from caddrel.store.signins import SigninRecord, SigninStore

if TYPE_CHECKING:
    from caddrel.service.deps import Deps

MOST_PEOPLE = 10_000


class Histories:
    """The recent attempts of many people, read from the log when first asked for and kept up to date.

    Parameters
    ----------
    rulebooks
        The rulebooks whose signals are going to be asked; they tell how far to look back.
    """

    def __init__(self, signins: SigninStore, rulebooks: Iterable[Rulebook]) -> None:
        self._signins = signins
        self._needed = needed_history(rulebooks)
        self._kept: OrderedDict[str, History] = OrderedDict()
        self._late: dict[str, datetime] = {}

    def notice(self, rulebook: Rulebook, facts: Facts, id: str) -> None:
        """Add the signals of an attempt to its facts."""
        if rulebook.signals:
            add_signals(rulebook, facts, self._of(facts), id)

    def add(self, facts: Facts, at: datetime, id: str, outcome: str) -> None:
        """Take in an attempt that has been decided; one that others came after makes those due again."""
        person = facts.values.get("person.id")
        if self._needed == 0 or not isinstance(person, str):
            return
        history = self._of(facts)
        if history.is_late(at, id):
            self._late[person] = min(at, self._late.get(person, at))
        history.add(past_of(facts, at, id, outcome))
        history.trim(self._needed)

    def late(self) -> dict[str, datetime]:
        """Return the people whose later signals may have changed since the last time this was asked, and from when."""
        found, self._late = self._late, {}
        return found

    def _of(self, facts: Facts) -> History:
        person = facts.values.get("person.id")
        if not isinstance(person, str):
            return History()
        history = self._kept.get(person)
        if history is None:
            history = self._kept[person] = History(newest(self._signins, person, self._needed))
            if len(self._kept) > MOST_PEOPLE:
                self._kept.popitem(last=False)
        else:
            self._kept.move_to_end(person)
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


def notice_now(deps: Deps, rulebook: Rulebook, facts: Facts, id: str = "") -> None:
    """Add the signals of an attempt that is not in the log, or is looked at again under another rulebook."""
    person, at = facts.values.get("person.id"), facts.values.get("time.at")
    if not rulebook.signals:
        return
    history = History()
    if isinstance(person, str) and isinstance(at, datetime):
        # Attempts at the very same moment come before or after by their ids, so they are read too.
        until = at + timedelta(microseconds=1)
        history = History(newest(deps.signins, person, needed_history([rulebook]), until))
    add_signals(rulebook, facts, history, id)


def catch_up(deps: Deps) -> int:
    """Work out again the signals and decisions that late records may have changed; returns how many changed."""
    changed = 0
    for person, since in deps.signins.due():
        with deps.log_lock:
            records = list(_again(deps, person, since))
            deps.signins.settle(person, since, records)
        changed += len(records)
    return changed


def _again(deps: Deps, person: str, since: datetime) -> Iterable[SigninRecord]:
    """Yield a person's records from a moment on that come out otherwise than they are stored."""
    in_force = [deps.rulebooks.get(number).rulebook for _, number in deps.revisions.in_force()]
    needed = needed_history(in_force)
    history = History(newest(deps.signins, person, needed, since))
    for record in deps.signins.of_person(person, since):
        number = int(record.columns["revision"])
        published = deps.rulebooks.get(number)
        rulebook = published.rulebook
        facts = facts_from_json(record.facts, rulebook.catalogue)
        if facts.origins.get("signals") is not Origin.REPORTED:
            add_signals(rulebook, facts, history, record.id)
        decision = published.compiled.decide(facts)
        history.add(past_of(facts, record.at, record.id, decision.outcome))
        history.trim(needed)
        kept, decided = facts_json(facts, lists_of(rulebook)), decision_json(decision)
        cause = cause_of(rulebook, facts, decision)
        key = cause.key if cause is not None else None
        if kept != record.facts or decided != record.decision or key != record.cause_key:
            columns = {**record.columns, **columns_of(facts, decision, number, cause)}
            changed = SigninRecord(record.id, record.reference, record.at, columns, record.digest, kept, decided)
            yield replace(changed, cause=cause)
