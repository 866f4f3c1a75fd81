"""The columnar evaluator by itself; that it agrees with the interpreter is held in `decide/test_evaluators_agree`."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from itertools import product
from zlib import crc32

import pytest
from tests.columns import assert_columns_agree

from caddrel.core.columnar import layout, rulebook
from caddrel.core.columnar.rulebook import ColumnarRulebook
from caddrel.core.facts.facts import Facts, Origin
from caddrel.core.facts.types import Value
from caddrel.core.replay.columns import batch_of
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source


def test_nothing_is_decided_of_no_attempts() -> None:
    found = ColumnarRulebook(read_rulebook(Source("r", "caddrel: 1")).or_raise()).decide(batch_of([]))
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
    assert_columns_agree(read_rulebook(Source("r", text)).or_raise(), attempts)


LAID = """caddrel: 1
settings: {stance: closed}
apps: {till: {stance: closed}}
policies:
  all: {mode: enforced, rules: [{then: allow}]}
  some: {mode: enforced, people: [group:a], apps: [till, post], rules: [{when: client.vetted, then: block}]}
  few:
    mode: enforced
    people: [group:b, where: person.kind is guest]
    except_people: [group:c]
    apps: [post]
    rules:
      - {when: risk.attempt is high, then: block}
      - {when: client.vetted, then: require mfa}
      - {when: risk.attempt is known, then: allow, keep: {idle_at_most: 1h}}
      - {then: require mfa within 15m}
  enrolling: {mode: enforced, operations: [enrol-factor], apps: [post], rules: [{then: require mfa}]}
  hidden: {mode: shadow, people: [group:c], apps: [till], rules: [{when: not client.vetted, then: block}]}
"""


@pytest.mark.parametrize("pairs", [0, 4])
@pytest.mark.parametrize("mostly", [0.0, 2.0])
def test_however_attempts_are_laid_out_and_rules_are_walked(
    pairs: int, mostly: float, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(layout, "_PAIRS", pairs)
    monkeypatch.setattr(rulebook, "_MOSTLY", mostly)
    said: dict[str, list[Value | None]] = {
        "person.groups": [None, frozenset(), *(frozenset(each) for each in ("a", "b", "c", "ab", "bc"))],
        "person.kind": [None, "guest"],
        "app.id": [None, "till", "post", "other"],
        "operation": ["sign-in", "enrol-factor"],
        "client.vetted": [None, True, False],
        "risk.attempt": [None, "low", "high"],
    }
    attempts = []
    for values in product(*said.values()):
        known = {name: value for name, value in zip(said, values, strict=True) if value is not None}
        # Not everybody was everywhere.
        groups = values[0] if isinstance(values[0], frozenset) else ()
        if crc32(f"{sorted(groups)} {values[1:4]}".encode()) % 3:
            attempts.append(Facts(known, dict.fromkeys(known, Origin.REPORTED)))
    assert_columns_agree(read_rulebook(Source("r", LAID)).or_raise(), attempts)
