"""Of rows between which no difference is seen one is decided; rows that differ in any one thing come to their own."""

from __future__ import annotations

import json
import random
from collections import ChainMap
from collections.abc import Iterator
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from typing import Any

import numpy as np
import pytest
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st
from tests.columns import assert_columns_agree
from tests.strategies import WINDOWS, attempts, conditions, items, one_test, rulebooks

from caddrel.core.columnar.batch import different_of, limits_reached
from caddrel.core.columnar.group_tables import Groups, GroupTables
from caddrel.core.columnar.open_hours import open_at
from caddrel.core.columnar.row_classes import RowClasses
from caddrel.core.facts.attempts import read_told_facts
from caddrel.core.facts.facts import Facts, Setting
from caddrel.core.facts.types import PartlyKnown, PartlyRead, Signals, Value
from caddrel.core.inventory.completion import complete
from caddrel.core.language.formulas import Effect
from caddrel.core.language.nodes import Surely
from caddrel.core.language.printer import print_condition, print_effect
from caddrel.core.replay.columns import batch_of
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source

NOW = datetime(2026, 11, 1, 9, tzinfo=UTC)


def _variants(rulebook: Rulebook, attempt: dict[str, Any], other: dict[str, Any]) -> Iterator[Facts]:
    """Yield an attempt, and it with each one thing about it as it is of another, or unknown."""

    def completed(given: dict[str, Any], setting: Setting = Setting.OFFLINE) -> Facts:
        told, strange = read_told_facts(given, rulebook.catalogue)
        assume = rulebook.settings.assume
        return complete(told, rulebook.catalogue, assume, None, setting, NOW, not_understood=strange)

    yield completed(attempt)
    for name in sorted({*attempt, *other}):
        without = {fact: value for fact, value in attempt.items() if fact != name}
        yield completed(without)
        if name in other:
            yield completed({**without, name: other[name]})
    yield completed(attempt, Setting.LIVE)
    facts = completed(attempt)
    for live, listed in ((False, False), (True, False), (True, True)):
        yield replace(facts, live=live, app_listed=listed)
    for age in (7.0, 5_000.0, None):
        yield replace(facts, default_age=age)

    def with_(name: str, value: Value) -> Facts:
        return replace(facts, values={**facts.values, name: value})

    for name in [*facts.values]:
        yield replace(facts, values={fact: value for fact, value in facts.values.items() if fact != name})
    for name, values in _TOLD.items():
        yield from (with_(name, value) for value in values)
    groups, fired = facts.values.get("person.groups"), facts.values.get("signals")
    if isinstance(groups, frozenset):
        yield with_("person.groups", PartlyKnown(groups, {"a", "none"} - groups))
    if isinstance(fired, frozenset):
        yield with_("signals", Signals(fired - {"fast"}, {"fast"}))
    methods: Any = facts.values.get("auth.methods") or {"otp": None}
    yield with_("auth.methods", PartlyRead(methods))
    for name in ("pwd", "hwk", "password-changed", next(iter(methods))):
        for age in (None, 30.0, 90_000.0):
            made = with_("auth.methods", {**methods, name: age})
            yield from (made, replace(made, default_age=None))
    at = facts.values.get("time.at")
    if isinstance(at, datetime):
        for by in (timedelta(microseconds=1), timedelta(hours=7), timedelta(days=2), timedelta(days=-9_000)):
            yield with_("time.at", at + by)


_TOLD: dict[str, list[Value]] = {
    "auth.credentials": ["wrong", "right"], "auth.locked_out": [True, False], "operation": ["sign-in", "enrol-device"],
}  # fmt: skip


@st.composite
def _seen_apart(draw: st.DrawFn) -> str:
    """Draw rulebooks whose policies are many, each in shadow and about one thing: of each it shows what comes of it."""
    document = json.loads(draw(rulebooks()))
    policies: dict[str, Any] = {}
    for name, policy in document["policies"].items():
        for number, rule in enumerate(policy["rules"]):
            policies[f"{name}-{number}"] = {**policy, "rules": [rule]}
    # Now and then nothing but what is required asks for anything.
    many = draw(st.sampled_from([20, 20, 20, 0]))
    tests = st.lists(st.one_of(one_test(""), conditions()), min_size=many, max_size=many)
    for number, test in enumerate(draw(tests)):
        # What may be so blocks, and what surely is: false, unknown and true are all told apart.
        for word, when in (("may", test), ("sure", Surely(test))):
            policies[f"t{number}-{word}"] = {"rules": [{"when": print_condition(when), "then": "block"}]}
    for number, item in enumerate(draw(st.lists(items(), min_size=12, max_size=12))):
        policies[f"i{number}"] = {"rules": [{"then": print_effect(Effect("require", item))}]}
    for number, window in enumerate(WINDOWS):
        policies[f"w{number}"] = {"active": window, "rules": [{"then": "block"}]}
    for name, prefix in (("people", "person."), ("apps", "app.")):
        for number, test in enumerate(draw(st.lists(one_test(prefix), min_size=6, max_size=6))):
            scope = {name: [{"where": print_condition(test)}]}
            policies[f"{name}-{number}"] = {**scope, "rules": [{"then": "block"}]}
    enforced = draw(st.sampled_from([*policies])) if draw(st.integers(0, 3)) == 3 else ""
    for name, policy in policies.items():
        policy["mode"] = "enforced" if name == enforced else "shadow"
    return json.dumps({**document, "policies": policies if draw(st.integers(0, 9)) else {}})


# Of several together, so that most facts are known.
_FULL = st.lists(attempts(), min_size=8, max_size=8).map(lambda several: dict(ChainMap(*several)))


@settings(max_examples=30, suppress_health_check=list(HealthCheck), deadline=None, phases=[Phase.generate])
@given(_seen_apart(), _FULL, _FULL)
def test_what_differs_in_one_thing_comes_to_what_is_its_own(
    text: str, attempt: dict[str, Any], other: dict[str, Any]
) -> None:
    rulebook = read_rulebook(Source("r", text)).or_raise()
    assert_columns_agree(rulebook, list(_variants(rulebook, attempt, other)))


_REQUIRE = {"mode": "enforced", "people": ["everyone"], "apps": ["every-app"]}
_AT, _LATER = "2026-11-01T09:00:00Z", "2026-11-01T21:00:00Z"
_TABLET = {"tablet": {"checks": {"age": {"must": "device.state_age is at most 30d", "fix": "Report."}}}}


@pytest.mark.parametrize(
    ("document", "several"),
    [
        (
            {"settings": {"stance": "closed"}},
            [{}, {"operation": "sign-in"}, {"operation": "enrol-device"}],
        ),
        (
            {"policies": {"p": {**_REQUIRE, "rules": [{"then": "require mfa within 15m"}]}}},
            [{"auth.methods": {"pwd": 10.0, "otp": age}} for age in (None, 60.0, 900.0, 900.25, 90_000.0)]
            + [{}, {"auth.methods": {}}],
        ),
        (
            {
                "standards": _TABLET,
                "policies": {"p": {**_REQUIRE, "rules": [{"then": "require device passes tablet"}]}},
            },
            [{"device.state_age": age} for age in (5.0, 2_592_000.0, 2_592_000.25, 5_000_000.0)] + [{}],
        ),
        (
            {"policies": {"p": {**_REQUIRE, "rules": [{"when": "auth.age is below 1h", "then": "block"}]}}},
            [{"auth.age": age} for age in (3_599.75, 3_600.0, 3_600.25)] + [{}],
        ),
        (
            {"policies": {"p": {**_REQUIRE, "rules": [{"then": "block"}], "active": {"from": _AT, "until": _LATER}}}},
            [
                {"time.at": datetime.fromisoformat(end) + timedelta(microseconds=by)}
                for end in (_AT, _LATER)
                for by in (-1, 0, 1)
            ],
        ),
    ],
)
def test_what_is_asked_in_one_place_alone_is_told_apart(document: dict[str, Any], several: list[Any]) -> None:
    rulebook = read_rulebook(Source("r", json.dumps({"caddrel": 1, **document}))).or_raise()
    usual: dict[str, Any] = {"person.id": "a", "app.id": "x", "person.factors": frozenset({"password"})}
    for given_ in (usual, usual | {"operation": "sign-in"}):
        # Whichever of those that are alike comes first stands for all of them.
        for ordered in (several, several[::-1]):
            assert_columns_agree(rulebook, [Facts({**given_, **each}, {}) for each in ordered])


_CLOSE = st.integers(-9, 9)
_APART = st.integers(-(1 << 62), 1 << 62)


@given(st.lists(st.one_of(_CLOSE, st.integers(40, 90))) | st.lists(_APART), st.sampled_from([np.int64, np.int8]))
def test_different_numbers_are_those_that_sorting_finds(numbers: list[int], kind: type[np.signedinteger[Any]]) -> None:
    column = np.array([n % 100 for n in numbers] if kind is np.int8 else numbers, kind)
    different, places = different_of(column)
    assert different.tolist() == sorted(set(column.tolist()))
    assert different[places].tolist() == column.tolist()


_NUMBERS = st.lists(st.integers(-30, 30), max_size=40)


@given(_NUMBERS, _NUMBERS, st.booleans())
def test_as_many_limits_are_reached_as_are_no_greater(limits: list[int], values: list[int], whole: bool) -> None:
    column: Any = np.array(values, np.int64) if whole else np.array([np.nan if v > 25 else v for v in values], float)
    found = limits_reached(np.array(sorted(limits), column.dtype), column)
    assert found.tolist() == [sum(limit <= value for limit in limits) for value in column.tolist()]


def test_one_of_many_that_are_alike_is_decided() -> None:
    rulebook = read_rulebook(Source("r", "caddrel: 1")).or_raise()
    alike = [Facts({"person.id": f"p{i % 700}", "app.id": "x"}, {}) for i in range(2_000)]
    batch = batch_of(alike)
    groups = Groups(rulebook)
    found = RowClasses(rulebook, [], groups).of(batch, GroupTables(rulebook, groups, {}, batch.entries))
    assert found is not None
    first, like = found
    assert (first.tolist(), set(like.tolist())) == ([0], {0})


_SCHEDULES = """
caddrel: 1
schedules:
  night: {zone: ZONE, hours: {mon: ["22:30-06:10"], sat: ["00:00-24:00"], sun: ["01:30-02:45"]}}
  day:
    zone: ZONE
    hours: {mon-fri: ["08:00-12:00", "13:00-17:30"]}
    closed: [2026-03-30]
    open: {2026-10-25: ["02:15-03:05"]}
"""


@settings(max_examples=30, deadline=None)
@given(
    st.sampled_from(
        ["Europe/Oslo", "America/St_Johns", "Australia/Lord_Howe", "Asia/Kathmandu", "Pacific/Apia", "America/Caracas"]
    ),
    st.integers(0, 1 << 30),
)
def test_a_schedule_is_open_at_many_moments_as_it_is_at_each(zone: str, seed: int) -> None:
    rulebook = read_rulebook(Source("r", _SCHEDULES.replace("ZONE", zone))).or_raise()
    drawn = random.Random(seed)
    begin, end = datetime(1979, 12, 1, tzinfo=UTC), datetime(2037, 1, 1, tzinfo=UTC)
    moments = [begin + timedelta(minutes=drawn.randrange((end - begin) // timedelta(minutes=1))) for _ in range(60)]
    # Around where clocks change in some zone, and at the ends of the calendar.
    # In two of these zones that is within an hour of the clocks of others.
    on_the_hour = (datetime(2026, 3, 29, 1, tzinfo=UTC), datetime(2026, 10, 25, 1, tzinfo=UTC), begin)
    within_it = (datetime(2026, 4, 4, 15, tzinfo=UTC), datetime(2026, 10, 3, 15, 30, tzinfo=UTC))
    for near, by in (*((near, 200_000) for near in on_the_hour), *((near, 3_600) for near in within_it)):
        moments += [near + timedelta(seconds=drawn.randrange(-by, by)) for _ in range(60)]
    moments += [datetime(1900, 1, 5, 3, tzinfo=UTC), datetime(9999, 12, 29, 23, 59, tzinfo=UTC)]
    batch = batch_of([Facts({"time.at": at}, {}) for at in moments] + [Facts({}, {})])
    for schedule in rulebook.schedules.values():
        expected = [2 if schedule.is_open(at.astimezone(schedule.zone)) else 0 for at in moments]
        assert open_at(schedule, batch).tolist() == [*expected, 1]
    assert open_at(next(iter(rulebook.schedules.values())), batch_of([])).tolist() == np.zeros(0).tolist()
