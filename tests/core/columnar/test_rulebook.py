"""The columnar evaluator by itself; that it agrees with the interpreter is held in `decide/test_evaluators_agree`."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import pytest
from tests.columns import assert_columns_agree

from caddrel.core.columnar.rulebook import ColumnarRulebook
from caddrel.core.facts.facts import Facts, Origin
from caddrel.core.replay.columns import batch_of
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source


def test_nothing_is_decided_of_no_attempts() -> None:
    rulebook = read_rulebook(Source("r", "caddrel: 1")).or_raise()
    found = ColumnarRulebook(rulebook).decide(batch_of([]))
    assert len(found.outcomes) == len(found.certain) == 0
    assert list(found.deciding()) == []


ZONES = ["Europe/Oslo", "America/St_Johns", "Asia/Kolkata", "Africa/Monrovia"]


@pytest.mark.parametrize("zone", ZONES)
def test_schedules_turn_at_the_second_also_where_clocks_change_or_offsets_had_seconds(zone: str) -> None:
    text = f"""
caddrel: 1
schedules: {{shift: {{zone: {zone}, hours: {{mon-sun: ["00:30-02:15", "22:00-23:45"]}}}}}}
policies: {{p: {{mode: enforced, rules: [{{when: during shift, then: block}}]}}}}
"""
    rulebook = read_rulebook(Source("r", text)).or_raise()
    attempts = []
    # Around changes of clocks; in Monrovia the offset had seconds until 1972.
    for start in (
        datetime(2026, 10, 25, tzinfo=UTC),
        datetime(2026, 3, 29, tzinfo=UTC),
        datetime(1971, 5, 2, tzinfo=UTC),
    ):
        for minutes in range(0, 24 * 60, 5):
            for seconds in (-0.000001, 0, 0.5, 29.5, 30):
                at = start + timedelta(minutes=minutes, seconds=seconds)
                attempts.append(Facts({"time.at": at}, {"time.at": Origin.REPORTED}))
    assert_columns_agree(rulebook, attempts)
