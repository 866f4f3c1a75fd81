"""One decision at a time: compiled and interpreted, against a straight-line function written for the same rulebook."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable, Sequence
from functools import partial
from typing import Any

from bench.calibration import just_now
from bench.company import Company
from bench.result import Result
from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.decide.interpreter.interpreter import Others, explain
from caddrel.core.decide.trace import trace_json
from caddrel.core.facts.facts import Facts
from caddrel.core.garbage import collect_seldom
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source

GOALS = {20: None, 200: 0.5, 1000: 0.3}


def best(work: Callable[[Any], Any], inputs: Sequence[Any], times: int = 7) -> float:
    """Return the CPU seconds that one piece of work takes: the shortest of several runs over all inputs."""
    return best_of([(work, inputs)], times)[0]


def best_of(works: Sequence[tuple[Callable[[Any], Any], Sequence[Any]]], times: int = 15) -> list[float]:
    """Return the same for several pieces of work whose runs take turns, so that a slow moment hits all alike."""
    found: list[list[float]] = [[] for _ in works]
    for _ in range(times):
        for (work, inputs), seconds in zip(works, found, strict=True):
            began = time.process_time()
            for given in inputs:
                work(given)
            seconds.append((time.process_time() - began) / len(inputs))
    return [min(seconds) for seconds in found]


def run() -> Iterable[Result]:
    """Yield the results."""
    # As a service does.
    collect_seldom()
    for count, goal in GOALS.items():
        company = Company(count)
        rulebook = read_rulebook(Source("bench", company.text)).or_raise()
        attempts = company.attempts(rulebook, 2000)
        straight, compiled = company.straight(), CompiledRulebook(rulebook)
        _assert_same(straight, compiled, attempts)
        by_hand, decided = best_of([(straight, [a.values for a in attempts]), (compiled.decide, attempts)])
        note = f"{decided * 1e6:.1f} µs a decision, by hand {by_hand * 1e6:.1f} µs; all facts known, index warm"
        yield Result(f"one decision, {count} policies, compiled / by hand", decided / by_hand, "below", goal, note)
        began = time.process_time()
        CompiledRulebook(rulebook)
        compiling = time.process_time() - began
        yield Result(
            f"compiling {count} policies, seconds", compiling, "below", 0.1 if count == 200 else None, "CPU time"
        )
        if count == 200:
            traced = best(partial(_traced, rulebook, Others()), attempts[:100], 9)
            yield Result("interpreter with full trace, 200 policies, ms", traced * 1000, "below", 2.0, "CPU time")
    text = Company(1000).text
    reading = best(read_rulebook, [Source("bench", text)], 5)
    note = f"{len(text) / 1e6:.1f} MB of JSON; {just_now()}"
    yield Result("reading and checking 1,000 policies, seconds", reading, "below", 0.4, note)
    yield from growth()


def _traced(rulebook: Rulebook, others: Others, facts: Facts) -> dict[str, Any]:
    return trace_json(explain(rulebook, facts, others=others))


def growth() -> Iterable[Result]:
    """Yield how a decision grows with groups and places, each ten times as many."""
    base = _decision_time(Company(200))
    for name, larger in (
        ("policies", Company(2000)),
        ("groups", Company(200, groups=800)),
        ("places", Company(200, places=200)),
        ("apps", Company(200, apps=600)),
    ):
        yield Result(
            f"one decision with ten times the {name}", _decision_time(larger) / base, "below", None, "200 policies"
        )


def _decision_time(company: Company) -> float:
    rulebook = read_rulebook(Source("bench", company.text)).or_raise()
    attempts = company.attempts(rulebook, 1000)
    compiled = CompiledRulebook(rulebook)
    return best(compiled.decide, attempts, 3)


def _assert_same(straight: Any, compiled: CompiledRulebook, attempts: list[Facts]) -> None:
    for attempt in attempts:
        outcome, deciding = straight(attempt.values)
        decision = compiled.decide(attempt)
        said = [(d.policy, d.rule) for d in decision.deciding]
        assert (decision.outcome, said) == (outcome, deciding), (decision, outcome, deciding)
