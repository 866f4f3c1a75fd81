"""A log in a file, decided under one rulebook and another, or held against what it recorded.

Its attempts are completed as those of any log; signals that it does not report are worked out over its own attempts.
Not here: stored records, and reading the file.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from caddrel.core.columnar.batch import Batch
from caddrel.core.columnar.rulebook import ColumnarRulebook, Decisions
from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.diagnostics import Diagnostic, shorten
from caddrel.core.facts.attempts import AttemptRefused, read_told_facts
from caddrel.core.facts.facts import Facts, Origin, Setting
from caddrel.core.inventory.completion import complete
from caddrel.core.inventory.index import Inventory
from caddrel.core.replay.columns import batch_of
from caddrel.core.replay.recorded import Coded
from caddrel.core.replay.tally import Attempts, Changed, Side, Tally, outcomes_of
from caddrel.core.rulebook.model import OUTCOMES, Rulebook
from caddrel.core.signals.evaluate import add_signals, is_computed, noticing
from caddrel.core.signals.history import History, past_of


@dataclass(frozen=True, slots=True)
class Line:
    """One attempt of the file.

    Attributes
    ----------
    recorded
        The outcome that the file has for it, empty when it has none.
    """

    id: str
    facts: Mapping[str, Any]
    recorded: str = ""


def read_line(document: Any, number: int) -> Line:
    """Return an attempt of a log: ``{"id", "facts", "recorded": {"outcome"}}``; without an id it has its number.

    Raises
    ------
    AttemptRefused
        When it is none.
    """
    if not isinstance(document, dict) or not isinstance(document.get("facts"), dict):
        raise AttemptRefused([Diagnostic("wrong-type", "a line holds one object with `id` and `facts`")])
    id = document.get("id", number)
    recorded = document.get("recorded")
    outcome = recorded.get("outcome", "") if isinstance(recorded, dict) else ""
    if outcome and outcome not in OUTCOMES:
        message = f"`{shorten(str(outcome))}` is no outcome"
        raise AttemptRefused([Diagnostic("wrong-value", message, ", ".join(OUTCOMES), path="recorded.outcome")])
    return Line(str(id), document["facts"], outcome)


class FileReplay:
    """Replays attempts of a file.

    Parameters
    ----------
    before
        None for what the file recorded.
    """

    def __init__(self, before: Rulebook | None, after: Rulebook, inventory: Inventory | None = None) -> None:
        self._before, self._after, self._inventory = before, after, inventory
        self.tally = Tally()
        # The ids of attempts that cannot be read as facts, with what is wrong first.
        self.refused: list[tuple[str, Diagnostic]] = []

    def run(self, lines: Sequence[Line]) -> Iterator[Changed]:
        """Replay the attempts that can be read; yields those that come out otherwise, in their order."""
        read = [(line, facts) for line in lines if (facts := self._read(line)) is not None]
        lines = [line for line, _ in read]
        ids = [line.id for line in lines]
        before, after = [facts for _, (facts, _) in read], [facts for _, (_, facts) in read]
        let_in = [line.recorded == "allowed" if line.recorded else None for line in lines]
        if self._before is None:
            _work_out(self._after, after, ids, let_in)
            old = Side(outcomes_of(line.recorded for line in lines), lambda _: ())
        else:
            let_in = _work_out(self._before, before, ids, let_in)
            if dict(self._before.signals) == dict(self._after.signals):
                # Defined alike they are alike, whatever else the rulebooks assume.
                _copy(before, after)
            else:
                _work_out(self._after, after, ids, let_in)
            old = _side(ColumnarRulebook(self._before).decide(batch_of(before)))
        batch = batch_of(after)
        new = _side(ColumnarRulebook(self._after).decide(batch))
        yield from self.tally.add(_attempts(ids, after, batch), old, new)

    def _read(self, line: Line) -> tuple[Facts, Facts] | None:
        """Return the facts of an attempt under either rulebook, None when they cannot be read."""
        try:
            after = self._facts(line, self._after)
            return (after if self._before is None else self._facts(line, self._before)), after
        except AttemptRefused as refused:
            self.refused.append((line.id, refused.problems[0]))
            return None

    def _facts(self, line: Line, rulebook: Rulebook) -> Facts:
        told, strange = read_told_facts(line.facts, rulebook.catalogue)
        assume = rulebook.settings.assume
        return complete(told, rulebook.catalogue, assume, self._inventory, Setting.LOG, not_understood=strange)


def _work_out(
    rulebook: Rulebook, several: Sequence[Facts], ids: Sequence[str], let_in: Sequence[bool | None]
) -> list[bool | None]:
    """Add the signals that are not reported, person by person in order of time; returns who was let in.

    Who was let in is as recorded; what has no record is decided here.
    """
    found = list(let_in)
    if not rulebook.signals:
        if None not in found:
            return found
        outcomes = ColumnarRulebook(rulebook).decide(batch_of(several)).outcomes
        return [bool(outcome == 0) if said is None else said for said, outcome in zip(found, outcomes, strict=True)]
    compiled, ready = CompiledRulebook(rulebook), noticing(rulebook)
    histories: dict[object, History] = {}
    for place in sorted(range(len(several)), key=lambda place: (_at(several[place]), ids[place])):
        facts, person = several[place], several[place].values.get("person.id")
        history = histories.setdefault(person, History()) if isinstance(person, str) else History()
        if is_computed(rulebook, facts.origins.get("signals")):
            add_signals(rulebook, facts, history, ids[place], ready)
        if found[place] is None:
            found[place] = compiled.outcome(facts) == "allowed"
        at = facts.values.get("time.at")
        if isinstance(at, datetime):
            history.add(past_of(facts, at, ids[place], "allowed" if found[place] else "blocked"), None)
    return found


def _at(facts: Facts) -> float:
    at = facts.values.get("time.at")
    return at.timestamp() if isinstance(at, datetime) else float("-inf")


def _copy(before: Sequence[Facts], after: Sequence[Facts]) -> None:
    for one, other in zip(before, after, strict=True):
        if one.origins.get("signals") is Origin.COMPUTED:
            other.values["signals"], other.origins["signals"] = one.values["signals"], Origin.COMPUTED


def _side(found: Decisions) -> Side:
    return Side(found.outcomes, found.deciding, found.certain)


def _attempts(ids: Sequence[str], several: Sequence[Facts], batch: Batch) -> Attempts:
    people, devices = (
        Coded.of(value if isinstance(value := facts.values.get(name), str) else None for facts in several)
        for name in ("person.id", "device.id")
    )
    return Attempts(lambda rows: [ids[row] for row in rows], people, devices, batch.moments)
