"""Attempts as columns, from completed facts one by one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime
from typing import Any

import numpy as np

from caddrel.core.columnar.batch import Batch, MethodColumns, Rows, age_columns, moment_columns
from caddrel.core.columnar.fact_groups import GROUPS, group_of
from caddrel.core.columnar.own_facts import AGES
from caddrel.core.columnar.rulebook import ColumnarRulebook
from caddrel.core.columnar.stances import REASONS
from caddrel.core.decide.decision import RuleRef
from caddrel.core.decide.interpreter.interpreter import decide
from caddrel.core.facts.facts import Facts
from caddrel.core.rulebook.model import OUTCOMES, Rulebook


def batch_of(attempts: Sequence[Facts]) -> Batch:
    """Return attempts as a batch; those that have a group of facts in common share its entry."""
    entries: dict[str, list[Facts]] = {group: [] for group in GROUPS}
    codes: dict[str, list[int]] = {group: [] for group in GROUPS}
    known: dict[Any, int] = {}
    for facts in attempts:
        for group in GROUPS:
            values = {n: v for n, v in facts.values.items() if group_of(n) == group and n != "auth.methods"}
            parts = sorted((name, repr(value), repr(getattr(value, "open", None))) for name, value in values.items())
            key = (group, repr(parts), facts.app_listed, id(facts.lists) if facts.lists else 0)
            if key not in known:
                known[key] = len(entries[group])
                entries[group].append(replace(facts, values=values))
            codes[group].append(known[key])
    at = [_moment(facts.values.get("time.at")) for facts in attempts]
    moments, timed = moment_columns(at)
    columns: dict[str, Rows] = {group: np.array(found, np.intp) for group, found in codes.items()}
    return Batch(
        len(attempts),
        entries,
        columns,
        moments,
        timed,
        age_columns([[_number(facts.values.get(name)) for name in AGES] for facts in attempts]),
        MethodColumns.of([_methods(facts) for facts in attempts], [facts.default_age for facts in attempts]),
        np.array([facts.live for facts in attempts], np.bool_),
    )


def _moment(value: object) -> datetime | None:
    return value if isinstance(value, datetime) else None


def _number(value: object) -> float | None:
    return value if isinstance(value, int | float) else None


def _methods(facts: Facts) -> dict[str, float | None] | None:
    found = facts.values.get("auth.methods")
    return found if isinstance(found, dict) else None


def assert_columns_agree(rulebook: Rulebook, several: Sequence[Facts]) -> None:
    """Assert that the columnar evaluator decides attempts together as the interpreter does each."""
    found = ColumnarRulebook(rulebook).decide(batch_of(several))
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
