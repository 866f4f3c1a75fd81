"""A change of a rule that changes an outcome is found by comparing; `make fuzz` looks at every one of the demo's."""

from __future__ import annotations

from tests.core.prove.mutations import assert_found, mutations


def test_a_mutation_that_changes_an_outcome_is_found() -> None:
    few = mutations()[5::24]
    assert sum(map(assert_found, few)) >= 2
