"""Runs all benchmarks; `python -m bench` writes bench/results.json and docs/benchmarks.md."""

from __future__ import annotations

import json
import sys
from dataclasses import asdict
from pathlib import Path

from bench import decisions, door, log, pages

ROOT = Path(__file__).parent.parent
_HEAD = """# Benchmarks

Written by `make bench`. Ratios compare two things in one run on one machine;
they hold elsewhere, absolute times do not.

| figure | value | goal | met | remark |
|---|---|---|---|---|
"""


def main() -> None:
    """Run everything and write the table."""
    results = []
    lines = []
    wanted = {"decisions": decisions.run, "log": log.run, "door": door.run, "pages": pages.run}
    chosen = [run for name, run in wanted.items() if not sys.argv[1:] or name in sys.argv[1:]]
    for result in (found for run in chosen for found in run()):
        results.append(asdict(result))
        goal = "" if result.goal is None else f"{'≤' if result.better == 'below' else '≥'} {result.goal:g}"
        met = {True: "yes", False: "no", None: ""}[result.met]
        lines.append(f"| {result.name} | {result.ratio:.3g} | {goal} | {met} | {result.note} |")
        sys.stdout.write(f"{result.name}: {result.ratio:.3g} {goal} {met}  ({result.note})\n")
    (ROOT / "bench" / "results.json").write_text(json.dumps({"results": results}, indent=2) + "\n", encoding="utf-8")
    (ROOT / "docs" / "benchmarks.md").write_text(_HEAD + "\n".join(lines) + "\n", encoding="utf-8")


main()
