"""What recorded facts are under what another rulebook assumes."""

from __future__ import annotations

from typing import Any

import pytest

from caddrel.core.facts.facts import Facts, Origin
from caddrel.core.replay.facts import reassumed

REPORTED, ASSUMED = Origin.REPORTED, Origin.ASSUMED


@pytest.mark.parametrize(
    ("recorded", "assume", "expected"),
    [
        ({}, {}, {}),
        ({"risk.attempt": ("low", REPORTED)}, {}, {"risk.attempt": ("low", REPORTED)}),
        # What was reported counts, whatever is assumed; what was assumed then counts no more.
        ({"risk.attempt": ("low", REPORTED)}, {"risk.attempt": "none"}, {"risk.attempt": ("low", REPORTED)}),
        ({"risk.attempt": ("low", ASSUMED)}, {}, {}),
        ({"risk.attempt": ("low", ASSUMED)}, {"risk.attempt": "none"}, {"risk.attempt": ("none", ASSUMED)}),
        ({"risk.attempt": ("low", ASSUMED)}, {"risk.attempt": "low"}, {"risk.attempt": ("low", ASSUMED)}),
        # What is assumed now and was not then.
        ({}, {"risk.attempt": "none"}, {"risk.attempt": ("none", ASSUMED)}),
        (
            {"risk.attempt": ("low", ASSUMED)},
            {"risk.attempt": "low", "operation": "sign-in"},
            {"risk.attempt": ("low", ASSUMED), "operation": ("sign-in", ASSUMED)},
        ),
        (
            {"risk.attempt": ("low", ASSUMED), "operation": ("sign-in", ASSUMED)},
            {"risk.attempt": "low"},
            {"risk.attempt": ("low", ASSUMED)},
        ),
    ],
)
@pytest.mark.parametrize("strange", [{}, {"client.kind": "odd"}])
def test_what_is_assumed_now_stands_for_what_was_assumed_then(
    recorded: dict[str, Any], assume: dict[str, Any], expected: dict[str, Any], strange: dict[str, Any]
) -> None:
    values = {name: value for name, (value, _) in recorded.items()}
    facts = Facts(values, {name: origin for name, (_, origin) in recorded.items()}, not_understood=strange)
    # Nobody knows what was meant: nothing is assumed in its place.
    found = reassumed(facts, {**assume, "client.kind": "browser"} if strange else assume)
    assert {name: (value, found.origins[name]) for name, value in found.values.items()} == expected
    assert found.not_understood == strange
    assert facts.values == values
