"""Sessions decided again when something that they hang on has changed: still in, in after another proof, or ended.

Beside all else, in a thread of its own. What it is about is found by an index (whose, from which device, to which
app), so that one change costs what it touches. A change that would end more sessions than may end unasked, or an
administrator's, ends none of them until somebody has looked. How far it has gone stands in the log's file, in the same
commit as what came of it: after a restart it goes on from there.
Not here: what a session is decided by (`decisions.session_facts`).
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping
from dataclasses import replace
from datetime import datetime, timedelta
from itertools import islice

import structlog

from caddrel.core.decide.decision import Decision
from caddrel.core.facts.attempts import AttemptRefused
from caddrel.core.facts.facts import TO_COME
from caddrel.core.inventory.index import NOUNS, Inventory
from caddrel.core.language.printer import print_item
from caddrel.core.lockout_check.check import keyholders_of
from caddrel.core.logs.references import number_for, spelled
from caddrel.core.rulebook.model import Rulebook
from caddrel.service.decisions.live_facts import Present
from caddrel.service.decisions.session_facts import facts_now, look_again
from caddrel.service.decisions.sessions import AGAIN, strictest, why_ended
from caddrel.service.problems import ServiceError, not_found
from caddrel.service.state.data_folder import DataFolder
from caddrel.service.state.rulebook_cache import Published
from caddrel.service.streams.teller import Teller, changed
from caddrel.service.streams.touched import ALL, Touched, together, touched_by, touched_by_objects
from caddrel.store.door_sessions import DoorSession, Outcome
from caddrel.store.held_changes import HeldChange
from caddrel.store.inventory import Changes

# Seconds between looks at whether anything has changed, and at what the time has brought; and so long after a change
# who made it is known.
EVERY, AT_LEAST, SETTLED = 0.1, 0.5, 0.15
SEPARATOR = "; "
# So many are decided before doors have their turn; so many are written at a time.
TURN, AT_ONCE = 100, 2_000
# Sessions that are looked at again because of the time alone, at a time.
MOST_DUE = 2_000
# Whoever was let in by what was in force a moment ago may be stored only now: they are looked at once more.
STRAGGLERS, STRAGGLING = timedelta(seconds=30), timedelta(seconds=3)
REVISION, INVENTORY = "decided-revision", "decided-inventory"
_log = structlog.get_logger("caddrel.sessions")


class Reevaluation:
    """Decides sessions again; one for the whole service.

    Parameters
    ----------
    settle
        Waits until sign-ins that are decided are stored.
    expire
        Takes back what was told for a time that is over.
    give_way
        Lets doors go first; called now and then.
    """

    def __init__(
        self,
        data: DataFolder,
        settle: Callable[[], None],
        expire: Callable[[], int],
        give_way: Callable[[], None] = lambda: None,
    ) -> None:
        self._data = data
        self._give_way = give_way
        self._settle = settle
        self._expire = expire
        self._teller = Teller(data)
        self._stopped = threading.Event()
        self._thread: threading.Thread | None = None
        # Held while sessions are decided again: what is held is decided about by nobody else meanwhile.
        self._deciding = threading.Lock()
        self._again_at: datetime | None = None
        self._open: tuple[bool, ...] | None = None
        # What the audit trail told at the last look.
        self._audited = 0
        self.decided = 0

    def begin(self) -> None:
        """Begin to look for changes."""
        self._thread = threading.Thread(target=self._run, name="caddrel-sessions", daemon=True)
        self._thread.start()

    def stop(self) -> None:
        """End what goes on."""
        self._stopped.set()
        if self._thread is not None:
            self._thread.join()

    def _run(self) -> None:
        data, seen, looked = self._data, None, 0.0
        while not self._stopped.wait(EVERY):
            try:
                current = data.rulebooks.current()
                now = current.revision.number if current is not None else 0, data.inventory.version()
                # Where neither has changed, only the time may have brought something.
                if now == seen and time.monotonic() - looked < AT_LEAST:
                    continue
                self.look()
                seen, looked = now, time.monotonic()
            except Exception as error:  # noqa: BLE001 - a full disk now is no reason not to look again
                _log.error("sessions.failed", exc_info=error)
                self._stopped.wait(1.0)

    def look(self) -> None:
        """Decide again what has changed since the last look, and what is due."""
        data = self._data
        if data.rulebooks.current() is None:
            return
        self._expire()
        number, version = data.rulebooks.need_current().revision.number, data.inventory.version()
        seen = data.marks.get(REVISION), data.marks.get(INVENTORY)
        now = data.clock()
        if seen != (number, version):
            # Whoever changes the inventory writes down afterwards that they did; a revision tells who made it.
            if seen[1] != version:
                self._stopped.wait(SETTLED)
            self._settle()
            self._changed(seen, (number, version), now)
            self._audited = data.audit.head()[0]
            self._again_at = now + STRAGGLING
        elif self._again_at is not None and now >= self._again_at:
            self._again_at = None
            # What is held stays so: this is the same change.
            late = (each for each in data.door_sessions.seen_since(now - STRAGGLERS) if each.held is None)
            self._decide(late, "what was changed at that moment", now, {}, hold=True)
        self._in_time(now)

    def _changed(self, seen: tuple[int | None, int | None], new: tuple[int, int], now: datetime) -> None:
        data, marks = self._data, dict(zip((REVISION, INVENTORY), new, strict=True))
        published = data.rulebooks.need_current()
        if seen[0] is None or seen[1] is None:
            # Before the first look nobody was in by what is kept.
            self._teller.know(now, marks, new[0])
            return
        changes = data.inventory.since(seen[1]) if seen[1] != new[1] else None
        touched, because = self._touched(published, seen[0], changes)
        if changes is not None:
            self._teller.of_changes(changes, because, now)
        sessions = data.door_sessions.touched(touched.people, touched.devices, touched.apps) if touched else iter(())
        self._decide(sessions, because, now, marks, hold=True)
        # Last: it asks of every device, and nobody is put out by it.
        self._teller.of_standards(published.revision.number, because, now)

    def _touched(self, published: Published, seen: int, changes: Changes | None) -> tuple[Touched, str]:
        """Return which sessions a change may touch, and what has changed in words."""
        data, said, found = self._data, [], []
        revision = published.revision
        if seen != revision.number:
            said.append(f"revision {revision.number}, published by {revision.published_by}: {revision.why[:200]}")
            found.append(touched_by(data.rulebooks.get(seen).rulebook, published.rulebook) if seen else ALL)
        if changes is not None:
            ids = {noun: changed(changes, noun) for noun in NOUNS}
            said += self._who(ids)
            found.append(touched_by_objects(ids, published.rulebook))
        return together(found), "; ".join(said)

    def _who(self, ids: Mapping[str, Collection[str]]) -> Iterator[str]:
        """Yield, by noun, which ids of the inventory changed, with who did it where the audit trail says so."""
        data, now = self._data, self._data.clock()
        since = now - timedelta(seconds=30)
        for noun, some in ids.items():
            if not some:
                continue
            targets = [f"/api/v1/{noun}", "/api/v1/inventory", *_PATHS.get(noun, ())]
            entries = data.audit.done(since, now + timedelta(seconds=1), targets)
            new = [e for e in entries if e.note and e.seq > self._audited]
            mine = [e for e in new if any(id in e.target or id in e.note for id in some)]
            noted = list(dict.fromkeys(f"{entry.who}: {entry.note[:200]}" for entry in mine[:3]))
            few = ", ".join(sorted(some)[:3]) + (f" and {len(some) - 3} more" if len(some) > 3 else "")
            yield f"{noun} {few} changed{f' ({SEPARATOR.join(noted)})' if noted else ''}"

    def _in_time(self, now: datetime) -> None:
        """Decide again what is due by the time alone."""
        data = self._data
        self._teller.in_time(now)
        rulebook = data.rulebooks.need_current().rulebook
        open_ = _turned(rulebook, now)
        if self._open is not None and open_ != self._open:
            # A schedule has opened or closed, or a policy's time has come or gone.
            self._decide(data.door_sessions.touched(apps=None), "a schedule or a policy's time has turned", now, {})
        self._open = open_
        while not self._stopped.is_set():
            due = data.door_sessions.due(now, MOST_DUE)
            if due:
                self._decide(due, "time", now, {})
            if len(due) < MOST_DUE:
                return

    def _decide(
        self,
        sessions: Iterable[DoorSession],
        because: str,
        now: datetime,
        marks: Mapping[str, int],
        *,
        hold: bool = False,
    ) -> None:
        with self._deciding:
            outcomes: list[Outcome] = []
            left = iter(sessions)
            while turn := list(islice(left, TURN)):
                self._give_way()
                outcomes += self.outcomes(turn, because, now)
            self.decided += len(outcomes)
            # What a held change is about is left alone, until somebody has decided or something else changes.
            if not hold:
                outcomes = [each for each in outcomes if each.session.held is None]
            else:
                outcomes = self._held_back(outcomes, because, now)
            news = [each for each in outcomes if _is_news(each, now)]
            for first in range(0, max(1, len(news)), AT_ONCE):
                some = news[first : first + AT_ONCE]
                # How far it has gone goes with the last of it: what is cut off in between is done again.
                self._apply(some, now, marks if first + AT_ONCE >= len(news) else {})

    def _apply(self, outcomes: list[Outcome], now: datetime, marks: Mapping[str, int]) -> None:
        data = self._data
        done = data.door_sessions.settle(outcomes, now, marks)
        ended = [each for each in done if each.ends and each.by == AGAIN]
        if ended:
            few = ", ".join(sorted({each.session.person for each in ended})[:5])
            note = f"{len(ended)} ended, of {few}: {ended[0].because}"
            data.audit.add(now, "Caddrel", "decided sessions again", "/api/v1/sessions", "done", note[:1000])

    def outcomes(self, sessions: Iterable[DoorSession], because: str, now: datetime) -> list[Outcome]:
        """Return what sessions come to now; nothing becomes of them by that."""
        published = self._data.rulebooks.need_current()
        present = Present.of(self._data, published.rulebook, now)
        return [_outcome(published, present, session, because) for session in sessions]

    # What is held.

    def _held_back(self, outcomes: list[Outcome], because: str, now: datetime) -> list[Outcome]:
        """Return outcomes with those that are held marked as such, where a change ends more than it may unasked."""
        data = self._data
        ending = [each for each in outcomes if each.ends and each.by == AGAIN]
        if not ending:
            return outcomes
        most = data.settings.hold_sessions
        mighty = sorted(self._administrators({each.session.person for each in ending}, now))
        why = ""
        if len(ending) > most:
            why = f"it would end {len(ending)} sessions; more than {most} are looked at first"
        elif mighty:
            why = f"it would end sessions of those who administer: {', '.join(mighty[:5])}"
        if not why:
            return outcomes
        number = data.held_changes.add(now, because[:2000], why)
        ends = {each.session.id for each in ending}
        return [
            Outcome(each.session, because=each.because, held=number, keep=each.keep)
            if each.session.id in ends
            else each
            for each in outcomes
        ]

    def _administrators(self, people: Collection[str], now: datetime) -> set[str]:
        """Return who of some people holds keys, or the role of administrators."""
        data = self._data
        inventory, rulebook = data.inventories.current(), data.rulebooks.need_current().rulebook
        keyholders = {entry.id for entry in keyholders_of(rulebook, inventory, now)}
        return {id for id in people if id in keyholders or "administrator" in _roles(inventory, id)}

    def held(self) -> list[tuple[HeldChange, list[DoorSession]]]:
        """Return the changes about which nobody has decided, with the sessions that each would end."""
        data, found = self._data, []
        for each in data.held_changes.open():
            sessions = list(data.door_sessions.held_by(each.number))
            if sessions:
                found.append((each, sessions))
            else:
                self._over(each.number)
        return found

    def _over(self, number: int) -> None:
        """Close a held change whose sessions have ended by themselves meanwhile, or were decided at the door."""
        # One that is just being held is added before its sessions are marked.
        if self._deciding.acquire(blocking=False):
            try:
                if next(self._data.door_sessions.held_by(number), None) is None:
                    self._data.held_changes.decide(number, "over", "Caddrel", self._data.clock())
            finally:
                self._deciding.release()

    def carry_out(self, number: int, by: str) -> int:
        """End what a held change ends, as it would be now; return how many sessions.

        Raises
        ------
        ServiceError
            When there is none, or somebody has decided already.
        """
        data, now = self._data, self._data.clock()
        with self._deciding:
            change = self._undecided(number)
            outcomes = self.outcomes(data.door_sessions.held_by(number), f"{change.because}, looked at by {by}", now)
            self._apply(outcomes, now, {})
            # Afterwards: cut off in between it is still to be decided about, and nothing is held for good.
            self._data.held_changes.decide(number, "carried out", by, now)
        return sum(each.ends for each in outcomes)

    def spare(self, number: int, by: str) -> int:
        """Leave the sessions of a held change as they are, until something else changes or their next request.

        Raises
        ------
        ServiceError
            When there is none, or somebody has decided already.
        """
        with self._deciding:
            self._undecided(number)
            self._data.held_changes.decide(number, "spared", by, self._data.clock())
            return sum(1 for _ in self._data.door_sessions.held_by(number))

    def _undecided(self, number: int) -> HeldChange:
        change = self._data.held_changes.get(number)
        if change is None:
            raise not_found(f"held change {number}", "see caddrel sessions held")
        if change.verdict:
            raise ServiceError(409, "decided-already", f"{change.decided_by} has decided: {change.verdict}")
        return change


def _outcome(published: Published, present: Present, session: DoorSession, because: str) -> Outcome:
    """Return what a session comes to now."""
    now = present.now
    limit = why_ended(session, session.door, now)
    if limit:
        return Outcome(session, True, limit, because=f"its limit: {limit}")
    if not session.facts:
        # Of an earlier release, which did not keep what it was decided by: its next request decides.
        return Outcome(session)
    try:
        facts = facts_now(present, session)
    except AttemptRefused as refused:
        return Outcome(session, True, AGAIN, because=f"what was reported cannot be read any more: {refused}")
    # Most are let in, and nothing is told: the reference is put in where something is.
    facts.reference = TO_COME
    decision = published.compiled.decide(facts)
    if decision.outcome == "blocked":
        # What the person is told is what they would have been told at the door.
        tells = tuple(tell.text for tell in decision.tell)
        if any(TO_COME in text for text in tells):
            reference = spelled(number_for(session.signin))
            tells = tuple(text.replace(TO_COME, reference) for text in tells)
        return Outcome(session, True, AGAIN, tells, f"{_rules(decision)}, because of {because}")
    # Limits only become stricter, as they do when its door asks again.
    keep: Mapping[str, int | bool] = strictest(session.keep, decision.keep)
    stricter = session
    if keep != session.keep:
        stricter = replace(session, keep=keep)
        limit = why_ended(stricter, session.door, now)
        if limit:
            return Outcome(session, True, AGAIN, because=f"its limit is shorter: {limit}, because of {because}")
    again = look_again(present, stricter)
    if decision.outcome == "challenged":
        asks = tuple(print_item(item) for item in decision.outstanding)
        same = session.asks == asks
        why = session.because if same else f"{_rules(decision)}, because of {because}"
        return Outcome(session, asks=asks, because=why, look_again=again, keep=keep)
    return Outcome(session, look_again=again, keep=keep)


def _is_news(outcome: Outcome, now: datetime) -> bool:
    """Tell whether anything of a session is another than it was: of most nothing is, and to write costs the most."""
    session = outcome.session
    if outcome.ends or outcome.asks != session.asks or outcome.held != session.held:
        return True
    if outcome.keep is not None and outcome.keep != session.keep:
        return True
    due, again = session.look_again, outcome.look_again
    return again is not None and (due is None or due <= now or again < due)


# Where else the audit trail tells of a change.
_PATHS: Mapping[str, tuple[str, ...]] = {
    "people": ("/scim/v2/Users", "/ssf/"),
    "groups": ("/scim/v2/Groups",),
    "devices": ("/ssf/",),
}


def _turned(rulebook: Rulebook, now: datetime) -> tuple[bool, ...]:
    """Return which schedules are open and which policies' times have come."""
    schedules = [each.is_open(now.astimezone(each.zone)) for each in rulebook.schedules.values()]
    windows = [policy.scope.active for policy in rulebook.policies.values() if policy.scope.active is not None]
    active = [(each.start is None or each.start <= now) and (each.end is None or now < each.end) for each in windows]
    return (*schedules, *active)


def _roles(inventory: Inventory, id: str) -> Collection[str]:
    person = inventory.people.get(id)
    held = person.facts.get("person.roles") if person is not None else None
    return held if isinstance(held, frozenset) else ()


def _rules(decision: Decision) -> str:
    """Return the rules that decide, in a few words."""
    named = [f"{ref.policy} / {ref.rule}" for ref in decision.deciding[:3]]
    word = "blocked" if decision.outcome == "blocked" else "asked for more"
    return f"{word} by {', '.join(named)}" if named else f"{word}: {decision.reason or 'nothing opens it'}"
