"""What stored records come to on one side of a replay: under a rulebook, or as they were recorded.

Not here: what both sides come to together (`log_replay`, `tightening_curve`).
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from caddrel.core.columnar.batch import Batch, Flags, Rows, different_of, moment_of
from caddrel.core.columnar.fact_groups import GROUPS, group_of
from caddrel.core.columnar.rulebook import ColumnarRulebook, Decisions
from caddrel.core.decide.decision import MEANING, Decision, RuleRef
from caddrel.core.decide.interpreter.interpreter import Others, explain
from caddrel.core.facts.facts import Facts, Origin
from caddrel.core.facts.types import Signals, Value
from caddrel.core.replay.columns import Entry, RecordedColumns, batch_of
from caddrel.core.replay.facts import as_now, reassumed
from caddrel.core.replay.recorded import Numbers, Recorded
from caddrel.core.replay.tally import Side
from caddrel.core.rulebook.model import OUTCOMES, Rulebook
from caddrel.core.signals.evaluate import Notice, is_computed, nothing_known, noticing
from caddrel.core.signals.history import History, past_of
from caddrel.service.state.context import State
from caddrel.store.queries import Query

# Records whose signals are worked out anew are taken so many at once: that takes long, and may be cancelled.
ANEW_AT_ONCE = 5_000
# So many of the first part of a replay are decided by the interpreter too, and so many of each other part; and so many
# of those that are not certain are asked why, of a part and in all. Each costs as much as thousands in columns.
LOOKED_AT_FIRST, LOOKED_AT, ASKED_OF_PART, MOST_ASKED = 16, 5, 12, 24


@dataclass(frozen=True, slots=True)
class Under:
    """A rulebook that is replayed; `now` where the inventory counts as it is now."""

    rulebook: Rulebook
    now: bool = False


@dataclass(frozen=True, slots=True)
class ReplayedLog:
    """The records that a query finds."""

    state: State
    query: Query

    def ids(self, seqs: Numbers) -> list[str]:
        """Return the ids of records by their numbers."""
        return self.state.signins.columns.ids(seqs)

    def parts(self, sides: Sequence[RulebookSide]) -> Iterator[Recorded]:
        """Yield the records, the earliest first: small parts where a side works signals out anew, one after another."""
        for several in self.state.signins.columns.read(self.query):
            if len(several) <= ANEW_AT_ONCE or all(side.as_recorded(several) for side in sides):
                yield several
            else:
                for start in range(0, len(several), ANEW_AT_ONCE):
                    yield several.taken(slice(start, start + ANEW_AT_ONCE))


class RulebookSide:
    """What records come to under a rulebook.

    Parameters
    ----------
    like
        Another side whose rulebook assumes the same and knows the same facts: what was read of records serves both.
    """

    def __init__(self, log: ReplayedLog, under: Under, like: RulebookSide | None = None) -> None:
        self._log, self._under = log, under
        self._ready = ColumnarRulebook(under.rulebook)
        mine = under.rulebook.settings.assume
        self._assumed = {group: {n: v for n, v in mine.items() if group_of(n) == group} for group in GROUPS}
        self.columns: RecordedColumns = RecordedColumns(mine, self._entries_of) if like is None else like.columns
        self.histories: dict[str, History] = {} if like is None else like.histories
        self._signals = ReplayedSignals(log, under.rulebook, self.histories)
        self._first, self._asked = True, 0
        self._others = Others()
        # The records that were asked about last.
        self.batch: Batch = batch_of([])

    def as_recorded(self, recorded: Recorded) -> bool:
        """Tell whether the signals of records count as they were recorded."""
        return self._signals.as_recorded(recorded)

    def _entries_of(self, group: str, numbers: Sequence[int]) -> list[Entry]:
        read = self._log.state.bundles.facts(self._under.rulebook.catalogue, numbers)
        return [self._entry(group, facts) for facts in read]

    def _entry(self, group: str, facts: Facts) -> Entry:
        rulebook, state = self._under.rulebook, self._log.state
        if self._under.now and group != "signals":
            inventory = state.inventories.current()
            return as_now(
                facts, group, rulebook.catalogue, rulebook.settings.assume, inventory, state.addresses, state.clock()
            )
        return reassumed(facts, self._assumed[group]), {}

    def side(self, recorded: Recorded, lacking: Counter[str] | None = None) -> Side:
        """Return what records come to.

        Parameters
        ----------
        lacking
            Is told which facts are missing where it is not certain what comes of an attempt.
        """
        found = self.decisions(recorded, lacking)
        return Side(found.outcomes, found.deciding, found.certain)

    def decisions(self, recorded: Recorded, lacking: Counter[str] | None = None) -> Decisions:
        """Return the decisions on records; `lacking` as of `side`."""
        batch = self.batch = self._signals.put(self.columns.batch(recorded), recorded)
        found = self._ready.decide(batch)
        asked = frozenset[int]() if lacking is None else self._asked_of(found)
        wanted, self._first = LOOKED_AT_FIRST if self._first else LOOKED_AT, False
        # Those that are asked what they lack are looked at again with it; half are from all over the part.
        others = max(wanted // 2, wanted - len(asked))
        rows = range(0, batch.count, max(1, batch.count // others))
        for row in sorted({*rows, *asked}):
            decision = self._look_again(batch.facts(row), row, found, recorded)
            if lacking is not None and row in asked:
                lacking.update(decision.unknown)
        return found

    def _asked_of(self, found: Decisions) -> frozenset[int]:
        """Return some of the attempts of which it is not certain what comes, from all over the part.

        Those that follow one another are mostly of the same kind.
        """
        uncertain = np.flatnonzero(~found.certain)
        most = min(len(uncertain), ASKED_OF_PART, MOST_ASKED - self._asked)
        self._asked += most
        return frozenset(uncertain[:: max(1, len(uncertain) // most)][:most].tolist()) if most else frozenset()

    def _look_again(self, facts: Facts, row: int, found: Decisions, recorded: Recorded) -> Decision:
        """Have the interpreter decide one of them: what it says otherwise is a fault here, and nothing to be shown."""
        again = explain(self._under.rulebook, facts, others=self._others).decision
        outcome = OUTCOMES[found.outcomes[row]]
        if (again.outcome, again.certain) != (outcome, bool(found.certain[row])):
            wrong = f"columns say {outcome}, the interpreter {again.outcome}"
            raise AssertionError(f"record {recorded.seqs[row]}: {wrong}")
        return again


class RecordedSide:
    """What was recorded; of decisions of another meaning what their revision comes to by the present one."""

    def __init__(self, log: ReplayedLog) -> None:
        self._log = log
        self._revisions: dict[int, RulebookSide] = {}

    def side(self, recorded: Recorded) -> tuple[Side, int]:
        """Return what was recorded, and how many outcomes differ for the change of meaning alone."""
        outcomes = recorded.outcomes.copy()
        numbers, codes = different_of(recorded.decisions)
        found = self._log.state.signins.documents("decision", numbers.tolist())
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

    def _side(self, revision: int) -> RulebookSide:
        side = self._revisions.get(revision)
        if side is None:
            rulebook = self._log.state.rulebooks.get(revision).rulebook
            side = self._revisions[revision] = RulebookSide(self._log, Under(rulebook))
        return side


class ReplayedSignals:
    """The signals of records under a rulebook: as recorded where they are defined alike, else worked out anew."""

    def __init__(self, log: ReplayedLog, rulebook: Rulebook, histories: dict[str, History]) -> None:
        self._log, self._rulebook, self._histories = log, rulebook, histories
        self._alike: dict[int, bool] = {}
        self._notice: Notice = noticing(rulebook)
        # The records that were asked about last, and the revisions of them that define signals otherwise.
        self._asked: tuple[Recorded | None, list[int]] = (None, [])

    def as_recorded(self, recorded: Recorded) -> bool:
        """Tell whether all revisions under which records were decided define signals as the rulebook does."""
        return not self._others(recorded)

    def _others(self, recorded: Recorded) -> list[int]:
        if self._asked[0] is not recorded:
            numbers = different_of(recorded.revisions)[0].tolist()
            self._asked = recorded, [number for number in numbers if not self._recorded(number)]
        return self._asked[1]

    def put(self, batch: Batch, recorded: Recorded) -> Batch:
        """Return the batch with its signals as they are under the rulebook."""
        others = self._others(recorded)
        if not others:
            return batch
        anew = np.flatnonzero(np.isin(recorded.revisions, others))
        ids = self._log.ids(recorded.seqs[anew])
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
            there = self._log.state.rulebooks.get(revision).rulebook.signals
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
            self._histories[person] = History(self._log.state.signins.pasts(person, self._log.query.until))
        return self._histories[person]
