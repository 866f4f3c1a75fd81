"""A replay of stored records: read as columns, decided under rulebooks, counted.

Not here: jobs (`views.replays`), and what a replay is asked for (`replay.request`).
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime

import numpy as np

from caddrel.core.columnar.batch import Batch, Flags, Rows, different_of, moment_of
from caddrel.core.columnar.rulebook import ColumnarRulebook, Decisions
from caddrel.core.decide.decision import MEANING, RuleRef
from caddrel.core.decide.interpreter.interpreter import decide
from caddrel.core.facts.bundle_reader import BundleReader
from caddrel.core.facts.facts import Facts, Origin
from caddrel.core.facts.types import Signals, Value
from caddrel.core.replay.breakdown import Breakdown
from caddrel.core.replay.columns import Entry, RecordedColumns, batch_of
from caddrel.core.replay.facts import as_now, reassumed
from caddrel.core.replay.recorded import Numbers, Recorded
from caddrel.core.replay.tally import Attempts, Changed, Side, Tally
from caddrel.core.rulebook.model import OUTCOMES, Rulebook
from caddrel.core.signals.evaluate import Notice, is_computed, nothing_known, noticing
from caddrel.core.signals.history import History, past_of
from caddrel.service.state.context import State
from caddrel.store.queries import Query

# Records whose signals are worked out anew are taken so many at once: that takes long, and may be cancelled.
ANEW_AT_ONCE = 20_000
# Of each part so many are decided by the interpreter too, and of those that are not certain so many are asked why.
MOST_LOOKED_AT, MOST_ASKED = 40, 40


@dataclass(frozen=True, slots=True)
class Under:
    """A rulebook that is replayed; `now` where the inventory counts as it is now."""

    rulebook: Rulebook
    now: bool = False


class LogReplay:
    """Replays the records that a query finds.

    Parameters
    ----------
    before
        None for what was recorded.
    """

    def __init__(self, state: State, query: Query, before: Under | None, after: Under) -> None:
        self._state, self._query = state, query
        self._recorded = _RecordedSide(self) if before is None else None
        self._before = _RulebookSide(self, before) if before is not None else None
        self._after = _RulebookSide(self, after)
        self.tally = Tally()
        self.by = Breakdown(after.rulebook)
        # Of each person whom it hits, the facts of the last attempt that changes, as they are on the new side.
        self.last: dict[str, Facts] = {}
        # Facts that attempts lack on the new side, where it is not certain what comes of them.
        self.lacking: Counter[str] = Counter()

    def run(self, progress: Callable[[int], None]) -> Iterator[Changed]:
        """Replay everything; yields the attempts that come out otherwise, the earliest first.

        Parameters
        ----------
        progress
            Is told how many records are done; what it raises ends the replay.
        """
        done = 0
        for several in self._state.signins.columns.read(self._query):
            for recorded in self._at_once(several):
                yield from self._part(recorded)
                done += len(recorded)
                progress(done)

    def _at_once(self, several: Recorded) -> Iterator[Recorded]:
        """Yield records in parts: small ones where signals are worked out anew, one after another."""
        sides = [side for side in (self._before, self._after) if side is not None]
        if len(several) <= ANEW_AT_ONCE or all(side.as_recorded(several) for side in sides):
            yield several
            return
        for start in range(0, len(several), ANEW_AT_ONCE):
            yield several.taken(slice(start, start + ANEW_AT_ONCE))

    def _part(self, recorded: Recorded) -> Iterator[Changed]:
        if self._recorded is not None:
            before, meaning = self._recorded.side(recorded)
            self.tally.meaning += meaning
        else:
            assert self._before is not None
            before = self._before.side(recorded)
        after = self._after.side(recorded, self.lacking)
        attempts = Attempts(
            lambda rows: self.ids(recorded.seqs[rows]), recorded.people, recorded.devices, recorded.moments
        )
        # The earliest come first, so that the last of each stays.
        last: dict[str, int] = {}
        rows: list[int] = []
        for changed in self.tally.add(attempts, before, after):
            rows.append(changed.row)
            if changed.person is not None:
                last[changed.person] = changed.row
            yield changed
        self.last.update((person, self._after.batch.facts(row)) for person, row in last.items())
        self.by.add(self._after.batch, recorded.people, np.array(rows, np.intp))

    def ids(self, seqs: Numbers) -> list[str]:
        """Return the ids of records by their numbers."""
        return self._state.signins.columns.ids(seqs)

    @property
    def state(self) -> State:
        """What may be looked up."""
        return self._state

    def end(self) -> datetime | None:
        """Return before which moment records are replayed, None when up to the newest."""
        return self._query.until


class _RulebookSide:
    """What records come to under a rulebook."""

    def __init__(self, replay: LogReplay, under: Under) -> None:
        self._replay, self._under = replay, under
        self._ready = ColumnarRulebook(under.rulebook)
        self._reader = BundleReader(under.rulebook.catalogue)
        self._columns = RecordedColumns(under.rulebook.settings.assume, self._entries_of)
        self._signals = _Signals(replay, under.rulebook)
        # The records that were asked about last.
        self.batch: Batch = batch_of([])

    def as_recorded(self, recorded: Recorded) -> bool:
        """Tell whether the signals of records count as they were recorded."""
        return self._signals.as_recorded(recorded)

    def _entries_of(self, group: str, numbers: Sequence[int]) -> list[Entry]:
        texts = self._replay.state.signins.bundle_texts(numbers)
        return [self._entry(group, texts[number]) for number in numbers]

    def _entry(self, group: str, text: str) -> Entry:
        rulebook, state = self._under.rulebook, self._replay.state
        facts = self._reader.read(text)
        if self._under.now and group != "signals":
            inventory = state.inventories.current()
            return as_now(
                facts, group, rulebook.catalogue, rulebook.settings.assume, inventory, state.addresses, state.clock()
            )
        return reassumed(facts, group, rulebook.settings.assume), {}

    def side(self, recorded: Recorded, lacking: Counter[str] | None = None) -> Side:
        """Return what records come to.

        Parameters
        ----------
        lacking
            Is told which facts are missing where it is not certain what comes of an attempt.
        """
        batch = self.batch = self._signals.put(self._columns.batch(recorded), recorded)
        found = self._ready.decide(batch)
        self._look_again(batch, found, recorded)
        if lacking is not None:
            for row in np.flatnonzero(~found.certain)[:MOST_ASKED]:
                lacking.update(decide(self._under.rulebook, batch.facts(int(row))).unknown)
        return Side(found.outcomes, found.deciding, found.certain)

    def _look_again(self, batch: Batch, found: Decisions, recorded: Recorded) -> None:
        """Have the interpreter decide some of them: what it says otherwise is a fault here, and nothing to be shown."""
        for row in range(0, batch.count, max(1, batch.count // MOST_LOOKED_AT)):
            again = decide(self._under.rulebook, batch.facts(row))
            outcome = OUTCOMES[found.outcomes[row]]
            if (again.outcome, again.certain) != (outcome, bool(found.certain[row])):
                wrong = f"columns say {outcome}, the interpreter {again.outcome}"
                raise AssertionError(f"record {recorded.seqs[row]}: {wrong}")


class _RecordedSide:
    """What was recorded; of decisions of another meaning what their revision comes to by the present one."""

    def __init__(self, replay: LogReplay) -> None:
        self._replay = replay
        self._revisions: dict[int, _RulebookSide] = {}

    def side(self, recorded: Recorded) -> tuple[Side, int]:
        """Return what was recorded, and how many outcomes differ for the change of meaning alone."""
        outcomes = recorded.outcomes.copy()
        numbers, codes = different_of(recorded.decisions)
        found = self._replay.state.signins.documents("decision", numbers.tolist())
        documents = [found[number] for number in numbers.tolist()]
        older = np.array([document.get("meaning", 1) != MEANING for document in documents], np.bool_)[codes]
        again: list[tuple[Rows, Side]] = []
        meaning = 0
        for revision in np.unique(recorded.revisions[older]):
            at = np.flatnonzero(older & (recorded.revisions == revision))
            side = self._side(int(revision)).side(recorded.taken(at))
            meaning += int((outcomes[at] != side.outcomes).sum())
            outcomes[at] = side.outcomes
            again.append((at, side))

        def deciding(wanted: Flags) -> Iterator[tuple[RuleRef, Rows]]:
            rows = np.flatnonzero(wanted & ~older)
            places: dict[RuleRef, list[int]] = {}
            for row, code in zip(rows, codes[rows], strict=True):
                for ref in documents[code]["deciding"]:
                    places.setdefault(RuleRef(ref["policy"], ref["rule"]), []).append(int(row))
            yield from ((ref, np.array(mine, np.intp)) for ref, mine in sorted(places.items()))
            for at, side in again:
                yield from ((ref, at[mine]) for ref, mine in side.deciding(wanted[at]))

        return Side(outcomes, deciding), meaning

    def _side(self, revision: int) -> _RulebookSide:
        side = self._revisions.get(revision)
        if side is None:
            rulebook = self._replay.state.rulebooks.get(revision).rulebook
            side = self._revisions[revision] = _RulebookSide(self._replay, Under(rulebook))
        return side


class _Signals:
    """The signals of records under a rulebook: as recorded where they are defined alike, else worked out anew."""

    def __init__(self, replay: LogReplay, rulebook: Rulebook) -> None:
        self._replay, self._rulebook = replay, rulebook
        self._alike: dict[int, bool] = {}
        self._notice: Notice = noticing(rulebook)
        self._histories: dict[str, History] = {}

    def as_recorded(self, recorded: Recorded) -> bool:
        """Tell whether all revisions under which records were decided define signals as the rulebook does."""
        return all(self._recorded(int(revision)) for revision in np.unique(recorded.revisions))

    def put(self, batch: Batch, recorded: Recorded) -> Batch:
        """Return the batch with its signals as they are under the rulebook."""
        others = [number for number in np.unique(recorded.revisions) if not self._recorded(int(number))]
        if not others:
            return batch
        anew = np.flatnonzero(np.isin(recorded.revisions, others))
        ids = self._replay.ids(recorded.seqs[anew])
        entries = list(batch.entries["signals"])
        codes: Rows = batch.codes["signals"].copy()
        places: dict[Signals | None, int] = {}
        for place, id in zip(anew, ids, strict=True):
            origin = entries[batch.codes["signals"][place]].origins.get("signals")
            if origin is Origin.REPORTED:
                continue
            found = self._of(batch, int(place), id, recorded)
            if found not in places:
                places[found] = len(entries)
                values: dict[str, Value] = {} if found is None else {"signals": found}
                entries.append(Facts(values, dict.fromkeys(values, Origin.COMPUTED)))
            codes[place] = places[found]
        return Batch(
            batch.count, {**batch.entries, "signals": entries}, {**batch.codes, "signals": codes}, batch.moments,
            batch.timed, batch.ages, batch.methods, batch.live,
        )  # fmt: skip

    def _recorded(self, revision: int) -> bool:
        """Tell whether a revision defines its signals as the rulebook does."""
        if revision not in self._alike:
            there = self._replay.state.rulebooks.get(revision).rulebook.signals
            self._alike[revision] = dict(there) == dict(self._rulebook.signals)
        return self._alike[revision]

    def _of(self, batch: Batch, place: int, id: str, recorded: Recorded) -> Signals | None:
        if not is_computed(self._rulebook, None):
            return None
        person = recorded.people.name(place)
        if person is None:
            return nothing_known(self._rulebook, "person.id")[0].signals
        facts = Facts({}, {})
        for group in ("person", "device", "network", "attempt"):
            entry = batch.entries[group][batch.codes[group][place]]
            facts.values.update(entry.values)
            facts.coordinates = facts.coordinates or entry.coordinates
        past = past_of(facts, moment_of(recorded.moments[place]), id, OUTCOMES[recorded.outcomes[place]])
        return self._notice(past, self._history(person))[0].signals

    def _history(self, person: str) -> History:
        if person not in self._histories:
            # All of them: a filter leaves attempts out of the replay, and not out of the person's history.
            self._histories[person] = History(self._replay.state.signins.pasts(person, self._replay.end()))
        return self._histories[person]
