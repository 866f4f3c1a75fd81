"""On small rulebooks what is proven is what comes of trying every attempt; `make fuzz` tries twenty thousand."""

from __future__ import annotations

from hypothesis import HealthCheck, given, settings
from tests.core.prove.enumerated import Small, assert_proven_is_enumerated, small


@given(small())
@settings(max_examples=15, suppress_health_check=list(HealthCheck), deadline=None)
def test_what_is_proven_is_what_trying_everything_says(case: Small) -> None:
    assert_proven_is_enumerated(case)
