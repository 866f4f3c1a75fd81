"""Runs benchmarks; `python -m bench [NAME …]` puts their figures into bench/results.json and docs/benchmarks.md.

Figures of benchmarks that were not chosen stay as they are.
"""

from __future__ import annotations

import json
import sys
from dataclasses import asdict
from pathlib import Path
from typing import Any

from bench import cases, decisions, door, grid, log, pages, parquet, proofs, replay, sessions

ROOT = Path(__file__).parent.parent
RESULTS = ROOT / "bench" / "results.json"
_ALL = (decisions, cases, grid, replay, proofs, parquet, log, sessions, door, pages)
_RUNS = {module.__name__.rpartition(".")[2]: module.run for module in _ALL}
_HEAD = """# Benchmarks

Written by `make bench`. Ratios compare two things in one run on one machine;
they hold elsewhere, absolute times do not.

| figure | value | goal | met | remark |
|---|---|---|---|---|
"""


def main() -> None:
    """Run what is chosen, everything without a choice, and write the table."""
    results: dict[str, list[dict[str, Any]]] = json.loads(RESULTS.read_text(encoding="utf-8"))
    for name, run in _RUNS.items():
        if sys.argv[1:] and name not in sys.argv[1:]:
            continue
        results[name] = []
        for result in run():
            results[name].append({**asdict(result), "met": result.met})
            sys.stdout.write(f"{_line(results[name][-1])}\n")
    RESULTS.write_text(json.dumps(results, indent=2) + "\n", encoding="utf-8")
    lines = [_line(result) for name in _RUNS for result in results.get(name, [])]
    (ROOT / "docs" / "benchmarks.md").write_text(_HEAD + "\n".join(lines) + "\n", encoding="utf-8")


def _line(result: dict[str, Any]) -> str:
    goal = "" if result["goal"] is None else f"{'≤' if result['better'] == 'below' else '≥'} {result['goal']:g}"
    met = {True: "yes", False: "no", None: ""}[result["met"]]
    return f"| {result['name']} | {result['ratio']:.3g} | {goal} | {met} | {result['note']} |"


main()
