"""The benchmarks by name, and what each measures."""

from __future__ import annotations

from bench import cases, decisions, directory, door, grid, log, pages, parquet, proofs, replay, sessions
from bench.result import Result

_ALL = (decisions, cases, grid, replay, proofs, parquet, log, sessions, door, directory, pages)
_RUNS = {module.__name__.rpartition(".")[2]: module.run for module in _ALL} | {"log-of-five-million": log.run_long}
NAMES = tuple(_RUNS)


def figures(name: str) -> list[Result]:
    """Return what a benchmark measures."""
    return list(_RUNS[name]())
