"""Compares the evaluators on many random rulebooks and attempts: `python tools/fuzz.py [CASES]`."""

from __future__ import annotations

import sys
import time

from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st
from tests.core.decide.test_evaluators_agree import assert_evaluators_agree
from tests.strategies import attempts, rulebooks

EACH = 40


def main(cases: int) -> None:
    """Run at least `cases` comparisons; a disagreement is shrunk and raised."""
    done = 0
    began = time.perf_counter()

    @settings(
        max_examples=-(-cases // EACH),
        deadline=None,
        database=None,
        phases=[Phase.generate, Phase.shrink],
        suppress_health_check=list(HealthCheck),
    )
    @given(rulebooks(), st.lists(attempts(), min_size=EACH, max_size=EACH))
    def compare(text: str, several: list[dict[str, object]]) -> None:
        nonlocal done
        assert_evaluators_agree(text, several)
        done += len(several)

    compare()
    print(f"{done:,} cases agree, in {time.perf_counter() - began:.0f} s")


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 100_000)
