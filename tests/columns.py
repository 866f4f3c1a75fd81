"""The columnar evaluator held to the interpreter."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from caddrel.core.columnar.batch import Batch
from caddrel.core.columnar.rulebook import ColumnarRulebook
from caddrel.core.columnar.stances import REASONS
from caddrel.core.decide.decision import RuleRef
from caddrel.core.decide.interpreter.interpreter import decide
from caddrel.core.facts.facts import Facts
from caddrel.core.replay.columns import batch_of
from caddrel.core.rulebook.model import OUTCOMES, Rulebook


def assert_columns_agree(rulebook: Rulebook, several: Sequence[Facts]) -> None:
    """Assert that the columnar evaluator decides attempts together as the interpreter does each.

    In two batches, of which the second adds entries to those of the first: what was found out stays true.
    """
    whole, first = batch_of(several), len(several) // 2
    ready = ColumnarRulebook(rulebook)
    # They stand in the order of the attempts that have them first.
    entries = {
        group: list(each[: max(whole.codes[group][:first], default=-1) + 1]) for group, each in whole.entries.items()
    }
    _agree(rulebook, ready, replace(whole.taken(np.arange(first)), entries=entries), several[:first])
    for group, grown in entries.items():
        grown.extend(whole.entries[group][len(grown) :])
    _agree(rulebook, ready, replace(whole.taken(np.arange(first, whole.count)), entries=entries), several[first:])


def _agree(rulebook: Rulebook, ready: ColumnarRulebook, batch: Batch, several: Sequence[Facts]) -> None:
    found = ready.decide(batch)
    deciding: list[list[RuleRef]] = [[] for _ in several]
    for ref, rows in found.deciding():
        for row in rows:
            deciding[row].append(ref)
    for row, facts in enumerate(several):
        decision = decide(rulebook, facts)
        shadow = {id: OUTCOMES[levels[row]] for id, levels in found.each.items()}
        said = (
            OUTCOMES[found.outcomes[row]], REASONS[found.reasons[row]], bool(found.certain[row]), deciding[row], shadow,
            OUTCOMES[found.together[row]],
        )  # fmt: skip
        wanted = (
            decision.outcome, decision.reason, decision.certain, list(decision.deciding), dict(decision.shadow.each),
            decision.shadow.together,
        )  # fmt: skip
        assert said == wanted, facts.values
