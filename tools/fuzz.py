"""Compares the evaluators on many random rulebooks and attempts, and proofs with trying everything.

`python tools/fuzz.py [CASES [RULEBOOKS]]`: so many attempts are decided, about as many completed in parts, what is
proven of random rulebooks is held against as many, and of so many small rulebooks everything is proven; then every
change of a rule of the demo's rulebook is compared.
"""

from __future__ import annotations

import random
import sys
import time
from collections import Counter
from collections.abc import Iterator
from typing import Any

from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st
from tests.core.columnar import test_live_completion as live
from tests.core.decide.test_evaluators_agree import assert_evaluators_agree
from tests.core.prove import test_proofs as proofs
from tests.core.prove.enumerated import Small, assert_proven_is_enumerated, small
from tests.core.prove.mutations import assert_found, mutations
from tests.strategies import attempts, rulebooks

EACH, SAMPLE = 40, 500
_MANY: dict[str, Any] = {
    "deadline": None,
    "database": None,
    "phases": [Phase.generate, Phase.shrink],
    "suppress_health_check": list(HealthCheck),
}


def main(cases: int, proven: int) -> None:
    """Compare; a disagreement is shrunk and raised."""
    _decide(cases)
    _complete(cases)
    _sample(cases)
    _prove(proven)
    _mutate()


def _decide(cases: int) -> None:
    done = 0
    began = time.perf_counter()

    @settings(max_examples=-(-cases // EACH), **_MANY)
    @given(rulebooks(), st.lists(attempts(), min_size=EACH, max_size=EACH))
    def compare(text: str, several: list[dict[str, object]]) -> None:
        nonlocal done
        assert_evaluators_agree(text, several)
        done += len(several)

    compare()
    print(f"{done:,} cases agree, in {time.perf_counter() - began:.0f} s")


def _complete(cases: int) -> None:
    began = time.perf_counter()
    several = settings(max_examples=-(-cases // 10), **_MANY)(
        given(st.sampled_from(range(len(live.RULEBOOKS))), live.steps())(_inside(live.test_completed_in_parts))
    )
    several()
    print(f"some {cases:,} requests are completed alike, in {time.perf_counter() - began:.0f} s")


class _Drawn(list[dict[str, object]]):
    """Attempts that are counted as they are looked at: of what does not hold nothing is to be tried."""

    def __init__(self, some: list[dict[str, object]], seen: Counter[str], what: str) -> None:
        super().__init__(some)
        self._seen, self._what = seen, what

    def __iter__(self) -> Iterator[dict[str, object]]:
        for each in super().__iter__():
            self._seen[self._what] += 1
            yield each


def _sample(cases: int) -> None:
    began, several, seen = time.perf_counter(), list[dict[str, object]](), Counter[str]()
    never, alike, holds = map(
        _inside,
        (
            proofs.test_a_rule_that_never_fires_fires_for_nobody,
            proofs.test_rulebooks_of_one_meaning_decide_alike,
            proofs.test_what_holds_is_broken_by_nobody,
        ),
    )

    @settings(max_examples=30, **_MANY)
    @given(st.lists(attempts(), min_size=EACH, max_size=EACH))
    def fill(some: list[dict[str, object]]) -> None:
        several.extend(some)

    # Of every second rulebook some guarantee holds, and of all something can be compared.
    @settings(max_examples=-(-cases // (SAMPLE // 4)), **_MANY)
    @given(rulebooks(), st.data(), st.integers(0, 1 << 30))
    def compare(text: str, data: st.DataObject, seed: int) -> None:
        drawn = random.Random(seed)  # noqa: S311 - the same for the same seed

        def some(what: str) -> list[dict[str, object]]:
            return _Drawn(drawn.sample(several, SAMPLE), seen, what)

        never(text, some("never fires or changes nothing"))
        alike(text, data, some("the same or otherwise"))
        for bound in proofs.BOUNDS:
            for whom in ("", "kind:guest", "group:a"):
                holds(text, bound, whom, some("holds"))

    fill()
    compare()
    tried = ", ".join(f"{what}: {count:,}" for what, count in seen.items())
    print(f"no attempt contradicts what is proven ({tried}), in {time.perf_counter() - began:.0f} s")


def _inside(test: Any) -> Any:
    """Return what a test does with what is drawn for it."""
    return test.hypothesis.inner_test


def _prove(rulebooks: int) -> None:
    began = time.perf_counter()

    @settings(max_examples=max(1, rulebooks), **_MANY)
    @given(small())
    def compare(case: Small) -> None:
        assert_proven_is_enumerated(case)

    compare()
    print(f"of {rulebooks:,} rulebooks everything is proven as it is, in {time.perf_counter() - began:.0f} s")


def _mutate() -> None:
    began = time.perf_counter()
    seen = sum(map(assert_found, mutations()))
    took = time.perf_counter() - began
    print(f"{seen} of {len(mutations())} changes of a rule change an outcome, all found by comparing, in {took:.0f} s")


if __name__ == "__main__":
    given_numbers = [int(each) for each in sys.argv[1:]]
    main(*[*given_numbers, *(100_000, 20_000)[len(given_numbers) :]])
