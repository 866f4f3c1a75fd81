"""Signals: each kind by hand, unknown ones, and forgetting what nobody asks for."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.loading import CASES, signal_cases

from caddrel.core.decide.compiled.evaluator import CompiledRulebook
from caddrel.core.decide.interpreter.interpreter import decide
from caddrel.core.facts.attempts import read_facts
from caddrel.core.facts.facts import Facts, Origin
from caddrel.core.facts.record import facts_from_json, facts_json
from caddrel.core.facts.types import Signals
from caddrel.core.inventory.completion import complete
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source
from caddrel.core.signals.evaluate import add_signals, notice
from caddrel.core.signals.history import History, Past, needed_history

NOW = datetime(2026, 11, 2, 12, 0, tzinfo=UTC)


def _rulebook(signals: str, policies: str = "{}") -> Rulebook:
    return read_rulebook(Source("r", f"caddrel: 1\nsignals: {signals}\npolicies: {policies}\n")).or_raise()


def _facts(rulebook: Rulebook, given: dict[str, Any], at: list[float] | None = None) -> Facts:
    said = {"person.id": "ines.faro", "time.at": NOW.isoformat(), **given}
    facts = complete(read_facts(said, rulebook.catalogue), rulebook.catalogue, {})
    facts.coordinates = (at[0], at[1]) if at else None
    return facts


def _truths(rulebook: Rulebook, facts: Facts, history: History, id: str) -> dict[str, str]:
    told, values = notice(rulebook, facts, history, id)
    return {name: noticed["truth"] for name, noticed in told.noticed(values).items()}


def _past(number: int, minutes: float, **given: Any) -> Past:
    if "coordinates" in given:
        given["coordinates"] = tuple(given["coordinates"])
    fields = {"let_in": True, "credentials": "right", **given}
    return Past(NOW - timedelta(minutes=minutes), f"a{number:03}", **fields)


@pytest.mark.parametrize("case", signal_cases(CASES / "signals.yaml"), ids=lambda c: c["title"])
def test_each_kind(case: dict[str, Any]) -> None:
    rulebook = _rulebook(case["signals"])
    history = History(_past(i, ago, **fields) for i, (ago, fields) in enumerate(case["log"]))
    facts = _facts(rulebook, case.get("attempt", {}), case.get("at"))
    assert _truths(rulebook, facts, history, "now") == case["expect"]


NEW = "{new: {kind: first-seen, of: device.id}, fast: {kind: travel-speed, above_kmh: 900}}"


def test_attempts_at_one_moment_are_in_the_order_of_their_ids() -> None:
    rulebook = _rulebook(NEW)
    history = History([Past(NOW, "b", True, "right", device="t2")])
    facts = _facts(rulebook, {"device.id": "t1"})
    before, itself, after = (_truths(rulebook, facts, history, id)["new"] for id in ("a", "b", "c"))
    assert (before, itself, after) == ("false", "false", "true")


@pytest.mark.parametrize("missing", ["person.id", "time.at"])
def test_without_person_or_moment_nothing_is_known(missing: str) -> None:
    rulebook = _rulebook(NEW)
    facts = _facts(rulebook, {"device.id": "t1"})
    del facts.values[missing]
    add_signals(rulebook, facts, History(), "a")
    signals = facts.values["signals"]
    assert isinstance(signals, Signals)
    assert not signals
    assert signals.open == {"new", "fast"}
    assert facts.noticed["new"]["missing"] == missing


def test_reported_signals_are_the_whole_truth() -> None:
    rulebook = _rulebook(NEW)
    facts = _facts(rulebook, {"device.id": "t1", "signals": ["fast"]})
    add_signals(rulebook, facts, History([_past(1, 5, device="t2")]), "a")
    assert facts.values["signals"] == {"fast"}
    assert facts.origins["signals"] is Origin.REPORTED


@pytest.mark.parametrize(
    ("condition", "truth"),
    [
        ("signals has new", "true"),
        ("signals has fast", "unknown"),
        ("signals has calm", "false"),
        ("signals has any of [fast, new]", "true"),
        ("signals has any of [fast, calm]", "unknown"),
        ("signals has all of [fast, new]", "unknown"),
        ("signals has all of [fast, calm]", "false"),
        ("signals has none of [fast, calm]", "unknown"),
        ("signals has none of [new, fast]", "false"),
        ("signals has none of [calm]", "true"),
        ("not signals has fast", "unknown"),
        ("surely signals has fast", "false"),
        ("signals is known", "false"),
        ("signals is unknown", "true"),
    ],
)
def test_each_signal_has_a_truth_of_its_own(condition: str, truth: str) -> None:
    policies = f"{{p: {{mode: enforced, rules: [{{when: '{condition}', then: block}}]}}}}"
    calm = NEW.replace("}}", "}, calm: {kind: far-away, km: 100}}")
    rulebook = _rulebook(calm, policies)
    facts = _facts(rulebook, {"device.id": "t1"})
    add_signals(rulebook, facts, History([_past(1, 5, device="t2", coordinates=[0, 0])]), "a")
    signals = facts.values["signals"]
    assert isinstance(signals, Signals)
    facts.values["signals"] = Signals(signals, signals.open - {"calm"})
    again = facts_from_json(facts_json(facts, ()), rulebook.catalogue)
    assert again.noticed == facts.noticed
    for each in (facts, again):
        decision = decide(rulebook, each)
        assert CompiledRulebook(rulebook).decide(each) == decision
        expected = {"true": ("blocked", True), "false": ("allowed", True), "unknown": ("blocked", False)}
        assert (decision.outcome, decision.certain) == expected[truth]
        assert decision.unknown == (() if decision.certain else ("signals",))


@given(st.lists(st.tuples(st.booleans(), st.sampled_from(["right", "wrong", None])), max_size=300), st.data())
def test_what_is_forgotten_is_never_looked_back_at(kinds: list[tuple[bool, str | None]], data: st.DataObject) -> None:
    signals = """{
      new: {kind: first-seen, of: device.id, history: 7},
      hit: {kind: failed-attempts, at_least: 2, within: 10m, history: 5}}"""
    rulebook = _rulebook(signals)
    devices = data.draw(st.lists(st.sampled_from("abcdef"), min_size=len(kinds), max_size=len(kinds)))
    pasts = [
        _past(i, (len(kinds) - i) / 4, let_in=let_in, credentials=credentials, device=device)
        for i, ((let_in, credentials), device) in enumerate(zip(kinds, devices, strict=True))
    ]
    trimmed = History()
    for past in pasts:
        trimmed.add(past, needed_history([rulebook]))
    facts = _facts(rulebook, {"device.id": "a"})
    truths = [_truths(rulebook, facts, h, "z") for h in (History(pasts), trimmed)]
    assert truths[0] == truths[1]
