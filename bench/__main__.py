"""Runs benchmarks; `python -m bench [NAME …]` puts their figures into bench/results.json and docs/benchmarks.md.

Figures of benchmarks that were not chosen stay as they are.
"""

from __future__ import annotations

import json
import sys
from concurrent.futures import ProcessPoolExecutor
from dataclasses import asdict
from multiprocessing import get_context
from pathlib import Path
from typing import Any

from bench.figures import NAMES, figures

ROOT = Path(__file__).parent.parent
RESULTS = ROOT / "bench" / "results.json"
_HEAD = """# Benchmarks

Written by `make bench`. Ratios compare two things in one run on one machine;
they hold elsewhere, absolute times do not.

| figure | value | goal | met | remark |
|---|---|---|---|---|
"""


def main() -> None:
    """Run what is chosen, everything without a choice, and write the table."""
    results: dict[str, list[dict[str, Any]]] = json.loads(RESULTS.read_text(encoding="utf-8"))
    for name in NAMES:
        if sys.argv[1:] and name not in sys.argv[1:]:
            continue
        results[name] = []
        # In a process of its own: what one benchmark leaves in memory is not the next one's.
        with ProcessPoolExecutor(1, get_context("spawn")) as alone:
            for result in alone.submit(figures, name).result():
                results[name].append({**asdict(result), "met": result.met})
                sys.stdout.write(f"{_line(results[name][-1])}\n")
    RESULTS.write_text(json.dumps(results, indent=2) + "\n", encoding="utf-8")
    lines = [_line(result) for name in NAMES for result in results.get(name, [])]
    (ROOT / "docs" / "benchmarks.md").write_text(_HEAD + "\n".join(lines) + "\n", encoding="utf-8")


def _line(result: dict[str, Any]) -> str:
    goal = "" if result["goal"] is None else f"{'≤' if result['better'] == 'below' else '≥'} {result['goal']:g}"
    met = {True: "yes", False: "no", None: ""}[result["met"]]
    return f"| {result['name']} | {result['ratio']:.3g} | {goal} | {met} | {result['note']} |"


if __name__ == "__main__":
    main()
