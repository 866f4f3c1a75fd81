"""Tightening curves, counted one by one; and the choices that are worth trying."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from caddrel.core.facts.attempts import read_facts
from caddrel.core.facts.facts import Facts, Origin
from caddrel.core.replay.columns import batch_of
from caddrel.core.replay.recorded import Coded
from caddrel.core.replay.tightening_curve import MOST_CHOICES, Curve, Observed, Variants, choices, ordered
from caddrel.core.rulebook.edit.limits import LimitRefused, find_limit, limits_of
from caddrel.core.rulebook.edit.objects import objects_of
from caddrel.core.rulebook.model import OUTCOMES
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source
from caddrel.core.words.pieces import plain
from caddrel.core.words.tightening_curve import tightening_words

SOURCES = [
    Source(
        "r",
        """caddrel: 1
standards:
  tablet: {checks: {patched: {must: device.os_version is at least 15}}}
  whole: {checks: {all: {must: device passes tablet}}}
signals:
  far: {kind: far-away, km: 500}
attributes: {person.attributes.pay: number}
policies:
  pay:
    mode: off
    rules:
      - {when: person.attributes.pay is at least 9999999, then: block}
  tablets: {mode: shadow, rules: [{when: not device passes whole, then: block}]}
  risky: {mode: enforced, rules: [{when: person.risk is at least high or device.state_age is above 30d, then: block}]}
  travel: {mode: enforced, rules: [{when: signals has far, then: require mfa within 12h}]}
""",
    )
]
RULEBOOK, OBJECTS = read_rulebook(SOURCES).or_raise(), objects_of(SOURCES)
LIMITS = {limit.address: limit for limit in limits_of(RULEBOOK, OBJECTS)}
VERSION = LIMITS["standards.tablet.patched"]
level = st.integers(0, 2)


def _variants(address: str) -> Variants:
    return Variants(RULEBOOK, SOURCES, OBJECTS, LIMITS[address])


@given(
    st.lists(
        st.tuples(
            st.sampled_from(["ines", "bruno", None]), level, st.lists(level, min_size=1, max_size=1),
            st.lists(level, min_size=4, max_size=4),
        ),
        max_size=25,
    )
)  # fmt: skip
def test_whom_a_choice_hits_is_counted_once_and_not_whom_every_choice_hits(rows: list[Any]) -> None:
    curve = Curve(VERSION, ["13", "14", "15", "16"])
    for start in range(0, len(rows), 9):
        some = rows[start : start + 9]
        before, without = (np.array(column, np.uint8) for column in ([r[1] for r in some], [r[2][0] for r in some]))
        after = [np.array([row[3][place] for row in some], np.uint8) for place in range(4)]
        people = Coded.of(row[0] for row in some)
        curve.add(before, [without], after, people, people)
    assert curve.attempts == len(rows)
    for place, point in enumerate(curve.points):
        hit = []
        for person, before_row, without_row, after_row in rows:
            was, now = OUTCOMES[before_row], OUTCOMES[after_row[place]]
            makes_a_difference = after_row[place] > min([*without_row, *after_row])
            if makes_a_difference and OUTCOMES.index(now) > OUTCOMES.index(was):
                hit.append((person, now))
        assert point.hit.count == len(hit)
        assert point.stopped.count == sum(now == "blocked" for _, now in hit)
        assert point.asked.count == sum(now == "challenged" for _, now in hit)
        assert point.hit.people == {person for person, _ in hit if person is not None}
    few = curve.strictest(2)
    good = [point for point in curve.points if len(point.hit.people) < 2]
    assert (few is None) is (not good)
    assert few is None or few.hit.count == max(point.hit.count for point in good)
    nobody = curve.strictest(1)
    assert (nobody is None) is all(point.hit.count for point in curve.points)
    shown = curve.shown()
    assert any(point.current for point in shown)
    left_out = [point for point in curve.points if point not in shown]
    told = {(point.stopped.count, point.asked.count) for point in shown}
    assert all((point.stopped.count, point.asked.count) in told for point in left_out)
    assert plain(tightening_words(curve, 2)).endswith(".")


def _seen(address: str, fact: str, values: list[Any]) -> Observed:
    observed = Observed(LIMITS[address])
    several = []
    for value in values:
        read = read_facts({fact: value} if value is not None else {}, RULEBOOK.catalogue)
        several.append(Facts(read, dict.fromkeys(read, Origin.REPORTED)))
    observed.add(batch_of(several), np.arange(len(several)))
    return observed


def test_choices_are_values_that_occurred_or_that_people_choose() -> None:
    seen = _seen(VERSION.address, "device.os_version", ["14.2", "16", None, "14.2", "9"])
    assert choices(VERSION, seen) == ["9", "14.2", "15", "16"]
    ages = "policies.risky.r1.when:2"
    assert choices(LIMITS[ages], _seen(ages, "device.state_age", ["10d", "40d"])) == ["7d", "14d", "30d", "60d"]
    assert choices(LIMITS["policies.risky.r1.when"], None) == ["none", "low", "medium", "high"]
    assert "12h" in choices(LIMITS["policies.travel.r1.then"], None)
    assert choices(LIMITS["signals.far.km"], None)[:3] == ["10", "25", "50"]
    pay = "policies.pay.r1.when"
    seen = _seen(pay, "person.attributes.pay", [1234567.5, 2])
    assert choices(LIMITS[pay], seen) == ["2", "1234567.5", "9999999"]
    many = _seen(VERSION.address, "device.os_version", [f"{n}.1" for n in range(1, 200)])
    thinned = choices(VERSION, many)
    assert (thinned[0], thinned[-1]) == ("1.1", "199.1")
    assert 10 < len(thinned) <= MOST_CHOICES


@pytest.mark.parametrize(
    ("values", "code"), [(["16", "odd"], "wrong-value"), ([str(n) for n in range(99)], "too-many-choices")]
)
def test_choices_that_are_none_are_refused(values: list[str], code: str) -> None:
    with pytest.raises(LimitRefused) as refused:
        ordered(VERSION, values)
    assert refused.value.diagnostic.code == code


def test_policies_in_shadow_count_where_the_limit_is_theirs() -> None:
    mine = _variants(VERSION.address)
    assert mine.counted == ["tablets"]
    assert mine.of("16").policies["tablets"].mode == "enforced"
    other = _variants("policies.risky.r1.when")
    assert (other.counted, other.of("low").policies["tablets"].mode) == ([], "shadow")
    # No level is above the highest: without the policy nobody is hit by it.
    assert [each.policies["risky"].mode for each in other.without()] == ["enforced", "enforced", "off"]
    assert find_limit(list(LIMITS.values()), "signals.far.km").value == "500"
    assert len(_variants("signals.far.km").without()) == 2
