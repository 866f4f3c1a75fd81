"""A replay of stored records: read in stretches, decided under rulebooks, counted.

Not here: jobs (`views.replays`), and what a replay is asked for (`replay.request`).
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

import msgspec
import numpy as np

from caddrel.core.columnar.batch import Batch, Rows
from caddrel.core.columnar.fact_groups import GROUPS
from caddrel.core.columnar.own_facts import AGES
from caddrel.core.columnar.rulebook import ColumnarRulebook, Decisions
from caddrel.core.decide.decision import MEANING, RuleRef
from caddrel.core.decide.interpreter.interpreter import decide
from caddrel.core.facts.facts import Facts, Origin
from caddrel.core.facts.record import facts_from_json
from caddrel.core.facts.types import Signals, Value
from caddrel.core.replay.breakdown import Breakdown
from caddrel.core.replay.columns import Entry, Own, Recorded, RecordedColumns
from caddrel.core.replay.facts import as_now, reassumed
from caddrel.core.replay.tally import Attempts, Changed, Side, Tally, outcomes_of
from caddrel.core.rulebook.model import OUTCOMES, Rulebook
from caddrel.core.signals.evaluate import Notice, is_computed, nothing_known, noticing
from caddrel.core.signals.history import History, past_of
from caddrel.service.state.context import State
from caddrel.store.moments import from_stored
from caddrel.store.queries import Query

AT_ONCE = 20_000
# Of each stretch so many are decided by the interpreter too, and of those that are not certain so many are asked why.
MOST_LOOKED_AT, MOST_ASKED = 40, 100
_own = msgspec.json.Decoder(Own)


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
        self._documents: dict[str, dict[int, Any]] = {}
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
        for rows in self._state.signins.replayed(self._query, AT_ONCE):
            self._read_documents(rows)
            recorded = _recorded(rows)
            if self._recorded is not None:
                before, meaning = self._recorded.side(rows, recorded)
                self.tally.meaning += meaning
            else:
                assert self._before is not None
                before = self._before.side(rows, recorded)
            after = self._after.side(rows, recorded, self.lacking)
            places = {row.id: place for place, row in enumerate(rows)}
            for changed in self.tally.add(_attempts(rows), before, after):
                facts = self._after.facts(places[changed.id])
                if changed.person is not None:
                    # The earliest come first, so that the last of each stays.
                    self.last[changed.person] = facts
                self.by.add(changed, facts)
                yield changed
            done += len(rows)
            progress(done)

    def _read_documents(self, rows: Sequence[Any]) -> None:
        for kind in (*GROUPS, "decision"):
            column = "decision" if kind == "decision" else f"{kind}_facts"
            known = self._documents.setdefault(kind, {})
            missing = {getattr(row, column) for row in rows} - known.keys()
            if missing:
                known.update(self._state.signins.documents(kind, missing))

    def document(self, kind: str, number: int) -> Any:
        """Return a bundle of facts, or a decision, as JSON."""
        return self._documents[kind][number]

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
        self._columns = RecordedColumns(under.rulebook.settings.assume, self._entry)
        self._signals = _Signals(replay, under.rulebook)
        self._batch: Batch | None = None

    def _entry(self, group: str, number: int) -> Entry:
        rulebook, state = self._under.rulebook, self._replay.state
        facts = facts_from_json({"values": {}, **self._replay.document(group, number)}, rulebook.catalogue)
        if self._under.now and group != "signals":
            inventory = state.inventories.current()
            return as_now(
                facts, group, rulebook.catalogue, rulebook.settings.assume, inventory, state.addresses, state.clock()
            )
        return reassumed(facts, group, rulebook.settings.assume), {}

    def side(self, rows: Sequence[Any], recorded: Recorded, lacking: Counter[str] | None = None) -> Side:
        """Return what records come to.

        Parameters
        ----------
        lacking
            Is told which facts are missing where it is not certain what comes of an attempt.
        """
        batch = self._batch = self._signals.put(self._columns.batch(recorded), rows)
        found = self._ready.decide(batch)
        self._look_again(batch, found, rows)
        if lacking is not None:
            for row in np.flatnonzero(~found.certain)[:MOST_ASKED]:
                lacking.update(decide(self._under.rulebook, batch.facts(int(row))).unknown)
        return Side(found.outcomes, list(found.deciding()), found.certain)

    def facts(self, row: int) -> Facts:
        """Return the facts of one of the records that were asked about last."""
        assert self._batch is not None
        return self._batch.facts(row)

    def _look_again(self, batch: Batch, found: Decisions, rows: Sequence[Any]) -> None:
        """Have the interpreter decide some of them: what it says otherwise is a fault here, and nothing to be shown."""
        for row in range(0, len(rows), max(1, len(rows) // MOST_LOOKED_AT)):
            again = decide(self._under.rulebook, batch.facts(row))
            outcome = OUTCOMES[found.outcomes[row]]
            if (again.outcome, again.certain) != (outcome, bool(found.certain[row])):
                raise AssertionError(f"{rows[row].id}: columns say {outcome}, the interpreter {again.outcome}")


class _RecordedSide:
    """What was recorded; of decisions of another meaning what their revision comes to by the present one."""

    def __init__(self, replay: LogReplay) -> None:
        self._replay = replay
        self._revisions: dict[int, _RulebookSide] = {}

    def side(self, rows: Sequence[Any], recorded: Recorded) -> tuple[Side, int]:
        """Return what was recorded, and how many outcomes differ for the change of meaning alone."""
        outcomes = outcomes_of(row.outcome for row in rows)
        deciding: dict[RuleRef, list[int]] = {}
        older: dict[int, list[int]] = {}
        for place, row in enumerate(rows):
            document = self._replay.document("decision", row.decision)
            if document.get("meaning", 1) != MEANING:
                older.setdefault(row.revision, []).append(place)
                continue
            for ref in document["deciding"]:
                deciding.setdefault(RuleRef(ref["policy"], ref["rule"]), []).append(place)
        found = [(ref, np.array(places)) for ref, places in deciding.items()]
        meaning = 0
        for revision, places in older.items():
            at = np.array(places)
            again = self._side(revision).side([rows[place] for place in places], _some(recorded, places))
            meaning += int((outcomes[at] != again.outcomes).sum())
            outcomes[at] = again.outcomes
            found += [(ref, at[mine]) for ref, mine in again.deciding]
        return Side(outcomes, found), meaning

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

    def put(self, batch: Batch, rows: Sequence[Any]) -> Batch:
        """Return the batch with its signals as they are under the rulebook."""
        anew = [place for place, row in enumerate(rows) if not self._recorded(row.revision)]
        if not anew:
            return batch
        entries = list(batch.entries["signals"])
        codes: Rows = batch.codes["signals"].copy()
        places: dict[Signals | None, int] = {}
        for place in anew:
            origin = entries[batch.codes["signals"][place]].origins.get("signals")
            if origin is Origin.REPORTED:
                continue
            found = self._of(batch, place, rows[place])
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

    def _of(self, batch: Batch, place: int, row: Any) -> Signals | None:
        if not is_computed(self._rulebook, None):
            return None
        if row.person is None:
            return nothing_known(self._rulebook, "person.id")[0].signals
        facts = Facts({}, {})
        for group in ("person", "device", "network", "attempt"):
            entry = batch.entries[group][batch.codes[group][place]]
            facts.values.update(entry.values)
            facts.coordinates = facts.coordinates or entry.coordinates
        past = past_of(facts, from_stored(row.at), row.id, row.outcome)
        return self._notice(past, self._history(row.person))[0].signals

    def _history(self, person: str) -> History:
        if person not in self._histories:
            # All of them: a filter leaves attempts out of the replay, and not out of the person's history.
            self._histories[person] = History(self._replay.state.signins.pasts(person, self._replay.end()))
        return self._histories[person]


def _recorded(rows: Sequence[Any]) -> Recorded:
    ages = dict(zip(AGES, ("state_age", "listed_for", "auth_age"), strict=True))
    return Recorded(
        [row.at for row in rows],
        {group: [getattr(row, f"{group}_facts") for row in rows] for group in GROUPS},
        {name: [getattr(row, column) for row in rows] for name, column in ages.items()},
        [_own.decode(row.own) for row in rows],
    )


def _some(recorded: Recorded, places: Sequence[int]) -> Recorded:
    return Recorded(
        [recorded.moments[place] for place in places],
        {group: [numbers[place] for place in places] for group, numbers in recorded.numbers.items()},
        {name: [ages[place] for place in places] for name, ages in recorded.ages.items()},
        [recorded.own[place] for place in places],
    )


def _attempts(rows: Sequence[Any]) -> Attempts:
    people, devices = (np.array([getattr(row, name) for row in rows], object) for name in ("person", "device"))
    return Attempts([row.id for row in rows], people, devices, np.array([row.at for row in rows], np.int64))
