"""The columnar evaluator held to the interpreter."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from caddrel.core.columnar.batch import Batch
from caddrel.core.columnar.rulebook import ColumnarRulebook
from caddrel.core.columnar.stances import REASONS
from caddrel.core.decide.decision import Decision, RuleRef
from caddrel.core.decide.interpreter.interpreter import decide
from caddrel.core.facts.facts import Facts
from caddrel.core.replay.columns import batch_of
from caddrel.core.rulebook.model import OUTCOMES, Rulebook


def assert_columns_agree(rulebook: Rulebook, several: Sequence[Facts]) -> None:
    """Assert that the columnar evaluator decides attempts together as the interpreter does each.

    In two batches, of which the second adds entries to those of the first: what was found out stays true. And all of
    them thrice: of rows between which no difference is seen one is decided, if there are few enough that differ.
    """
    whole, first = batch_of(several), len(several) // 2
    ready = ColumnarRulebook(rulebook)
    decisions = [decide(rulebook, facts) for facts in several]
    # They stand in the order of the attempts that have them first.
    entries = {
        group: list(each[: max(whole.codes[group][:first], default=-1) + 1]) for group, each in whole.entries.items()
    }
    _agree(ready, replace(whole.taken(np.arange(first)), entries=entries), several[:first], decisions[:first])
    for group, grown in entries.items():
        grown.extend(whole.entries[group][len(grown) :])
    rest = replace(whole.taken(np.arange(first, whole.count)), entries=entries)
    _agree(ready, rest, several[first:], decisions[first:])
    _agree(ready, whole.taken(np.tile(np.arange(whole.count), 3)), [*several] * 3, decisions * 3)


def _agree(ready: ColumnarRulebook, batch: Batch, several: Sequence[Facts], decisions: Sequence[Decision]) -> None:
    found = ready.decide(batch)
    asked = np.arange(batch.count) % 3 != 1
    for wanted in (None, asked):
        deciding: list[list[RuleRef]] = [[] for _ in several]
        for ref, rows in found.deciding(wanted):
            for row in rows:
                deciding[row].append(ref)
        for row, decision in enumerate(decisions):
            if wanted is None or wanted[row]:
                assert deciding[row] == list(decision.deciding), several[row].values
            else:
                assert not deciding[row]
    reasons, each, together = found.reasons, found.each, found.together
    for row, (facts, decision) in enumerate(zip(several, decisions, strict=True)):
        shadow = {id: OUTCOMES[levels[row]] for id, levels in each.items()}
        said = (
            OUTCOMES[found.outcomes[row]], REASONS[reasons[row]], bool(found.certain[row]), shadow,
            OUTCOMES[together[row]],
        )  # fmt: skip
        expected = (
            decision.outcome, decision.reason, decision.certain, dict(decision.shadow.each), decision.shadow.together,
        )  # fmt: skip
        assert said == expected, facts.values
