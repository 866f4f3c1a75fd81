"""Replaying a log: many attempts decided at once, against the compiled evaluator deciding each."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator

import numpy as np

from bench.calibration import just_now
from bench.company import Company
from bench.result import Result
from caddrel.core.columnar.batch import Batch, MethodColumns
from caddrel.core.columnar.rulebook import ColumnarRulebook
from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.replay.columns import batch_of
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source

ROWS, DIFFERENT = 500_000, 3_000


def run() -> Iterator[Result]:
    """Yield the figures: processor time, and a loop of the same minute beside the absolute one."""
    for policies in (20, 200):
        rulebook = read_rulebook(Source("r", Company(policies).text)).or_raise()
        attempts = Company(policies).attempts(rulebook, DIFFERENT)
        batch = _many(batch_of(attempts), ROWS)
        columns, compiled = ColumnarRulebook(rulebook), CompiledRulebook(rulebook)
        together = _best(lambda batch=batch, columns=columns: list(columns.decide(batch).deciding())) / ROWS  # type: ignore[misc]
        alone = _best(lambda compiled=compiled, attempts=attempts: [compiled.decide(a) for a in attempts]) / DIFFERENT  # type: ignore[misc]
        said = f"{1 / together / 1e6:.2f} million a CPU second; {just_now()}"
        yield Result(f"replay, {policies} policies: compiled / columns", alone / together, "above", None, said)


def _many(batch: Batch, count: int) -> Batch:
    """Return so many attempts put together by chance from the groups of facts of some."""
    rng = np.random.default_rng(1)
    rows = rng.integers(0, batch.count, count)
    codes = {group: rng.integers(0, len(entries), count) for group, entries in batch.entries.items()}
    methods = batch.methods
    return Batch(
        count,
        batch.entries,
        codes,
        batch.moments[rows],
        batch.timed[rows],
        {name: ages[rows] for name, ages in batch.ages.items()},
        MethodColumns(
            methods.known[rows],
            methods.partly[rows],
            methods.used[rows],
            {name: ages[rows] for name, ages in methods.ages.items()},
            methods.default_age[rows],
        ),
        batch.live[rows],
    )


def _best(work: Callable[[], object]) -> float:
    found = []
    for _ in range(3):
        began = time.process_time()
        work()
        found.append(time.process_time() - began)
    return min(found)
