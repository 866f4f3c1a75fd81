"""Proofs: a guarantee, rules that do nothing, two rulebooks compared, the whole check-up; processor time."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable
from dataclasses import replace
from datetime import UTC, datetime
from typing import Any

from bench.company import Company
from bench.result import Result
from caddrel.core.prove.check_up import check_up
from caddrel.core.prove.comparison import changes
from caddrel.core.prove.dead_rules import idle
from caddrel.core.prove.guarantees import prove
from caddrel.core.prove.safeguards import Company as Checked
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source

GUARANTEE = "caddrel: 1\nguarantees:\n  proven: {for: {people: ['kind:guest']}, at_least: require mfa}\n"
# Seconds that one question may take.
LONGEST = 120.0


def run() -> Iterable[Result]:
    """Yield the results: milliseconds of processor time at 500 policies."""
    sources = [Source("bench", Company(500).text), Source("guarantee", GUARANTEE)]
    rulebook = read_rulebook(sources).or_raise()
    (guarantee,) = rulebook.guarantees.values()
    id, policy = next((id, each) for id, each in rulebook.policies.items() if each.mode == "enforced")
    off = replace(rulebook, policies={**rulebook.policies, id: replace(policy, mode="off")})
    company = Checked(sources, rulebook, None, datetime(2026, 11, 23, tzinfo=UTC), ["sensitive"], ["administration"])
    for name, goal, question in (
        ("a guarantee", 550.0, lambda: prove(rulebook, guarantee, None, _left())),
        ("all rules that do nothing", 2500.0, lambda: idle(rulebook, None, _left())),
        ("one policy taken out, compared", 750.0, lambda: list(changes(off, rulebook, None, _left()))),
        ("the whole check-up", 1500.0, lambda: list(check_up(company, _left()))),
    ):
        yield Result(f"{name}, 500 policies, ms", _milliseconds(question), "below", goal, "from nothing; CPU time")


def _left() -> Callable[[], float]:
    until = time.monotonic() + LONGEST
    return lambda: until - time.monotonic()


def _milliseconds(question: Callable[[], Any]) -> float:
    began = time.process_time()
    question()
    return (time.process_time() - began) * 1000
