"""Proofs: a guarantee, rules that do nothing, two rulebooks compared, the whole check-up; processor time."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable
from dataclasses import replace
from datetime import UTC, datetime
from typing import Any

from bench.calibration import just_now
from bench.company import Company
from bench.result import Result
from caddrel.core.garbage import collect_seldom
from caddrel.core.language.formulas import parse_effect
from caddrel.core.prove.check_up import check_up
from caddrel.core.prove.comparison import changes
from caddrel.core.prove.dead_rules import idle
from caddrel.core.prove.guarantees import Prover, prove
from caddrel.core.prove.safeguards import Company as Checked
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source

GUARANTEE = "caddrel: 1\nguarantees:\n  proven: {for: {people: ['kind:guest']}, at_least: require mfa}\n"
# Seconds that one question may take.
LONGEST = 600.0


def run() -> Iterable[Result]:
    """Yield the results: milliseconds of processor time at 500 policies, and how many times that at 2,000."""
    # As the service does, and its processes.
    collect_seldom()
    few, many = _Questions(500), _Questions(2_000)
    for name, goal in (
        ("a guarantee", 550.0),
        ("a guarantee, its rulebook asked about before", 50.0),
        ("formulas once a policy is edited", 20.0),
        ("all rules that do nothing", 2500.0),
        ("one policy taken out, compared", 750.0),
        ("the whole check-up", 1500.0),
    ):
        took = _milliseconds(few.asked(name))
        yield Result(f"{name}, 500 policies, ms", took, "below", goal, just_now())
        more = _milliseconds(many.asked(name))
        yield Result(
            f"{name}, 2,000 policies against 500", more / took, "below", 6.0, "processor time, one after another"
        )


class _Questions:
    """Questions about a rulebook of so many policies."""

    def __init__(self, policies: int) -> None:
        sources = [Source("bench", Company(policies).text), Source("guarantee", GUARANTEE)]
        rulebook = self._rulebook = read_rulebook(sources).or_raise()
        (self._guarantee,) = rulebook.guarantees.values()
        id, policy = next((id, each) for id, each in rulebook.policies.items() if each.mode == "enforced")
        self._off = replace(rulebook, policies={**rulebook.policies, id: replace(policy, mode="off")})
        now = datetime(2026, 11, 23, tzinfo=UTC)
        self._company = Checked(rulebook, None, now, ["sensitive"], ["administration"])
        self._warm = Prover(rulebook, [self._guarantee], None, _left())

    def asked(self, name: str) -> Callable[[], Any]:
        """Return what answers a question; all but one from nothing."""
        rulebook, guarantee = self._rulebook, self._guarantee
        match name:
            case "a guarantee":
                return lambda: prove(rulebook, guarantee, None, _left())
            case "a guarantee, its rulebook asked about before":
                self._warm.prove(guarantee)
                return lambda: self._warm.prove(guarantee)
            case "formulas once a policy is edited":
                self._warm.prove(guarantee)
                return self._edit
            case "all rules that do nothing":
                return lambda: idle(rulebook, None, _left())
            case "one policy taken out, compared":
                return lambda: list(changes(self._off, rulebook, None, _left()))
            case _:
                return lambda: list(check_up(self._company, _left()))

    def _edit(self) -> None:
        """Have one policy block where it asked for something, and let everybody else in."""
        rulebook = self._rulebook
        id, policy = next((id, each) for id, each in rulebook.policies.items() if each.mode == "enforced")
        effect, _ = parse_effect("block")
        assert effect is not None
        rules = tuple(replace(rule, effect=effect) for rule in policy.rules[:1])
        edited = replace(rulebook, policies={**rulebook.policies, id: replace(policy, rules=rules)})
        found = self._warm.edited(edited, [self._guarantee], _left())
        assert found is not None
        assert found.is_warm


def _left() -> Callable[[], float]:
    until = time.monotonic() + LONGEST
    return lambda: until - time.monotonic()


def _milliseconds(question: Callable[[], Any]) -> float:
    began = time.process_time()
    question()
    return (time.process_time() - began) * 1000
