"""A log in a file under one rulebook and another, against the interpreter deciding each attempt."""

from __future__ import annotations

from collections import Counter
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from tests.strategies import attempts, rulebooks

from caddrel.core.decide.interpreter.interpreter import decide
from caddrel.core.facts.attempts import AttemptRefused, read_told_facts
from caddrel.core.facts.facts import Setting
from caddrel.core.inventory.completion import complete
from caddrel.core.replay.file_log import FileReplay, Line, read_line
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source


def _outcome(rulebook: Rulebook, attempt: dict[str, Any]) -> str:
    told, strange = read_told_facts(attempt, rulebook.catalogue)
    assume = rulebook.settings.assume
    facts = complete(told, rulebook.catalogue, assume, None, Setting.LOG, not_understood=strange)
    return decide(rulebook, facts).outcome


@given(rulebooks(), rulebooks(), st.lists(attempts(), min_size=1, max_size=8))
@settings(max_examples=25, deadline=None, suppress_health_check=list(HealthCheck))
def test_both_sides_are_as_the_interpreter_says(one: str, other: str, several: list[dict[str, Any]]) -> None:
    before, after = (read_rulebook(Source("r", text)).or_raise() for text in (one, other))
    # Signals are given: what is worked out over the file is another test.
    lines = [Line(f"a{i}", {**attempt, "signals": attempt.get("signals", [])}) for i, attempt in enumerate(several)]
    replay = FileReplay(before, after)
    changed = {each.id: (each.before, each.after) for each in replay.run(lines)}
    wanted = {line.id: (_outcome(before, dict(line.facts)), _outcome(after, dict(line.facts))) for line in lines}
    assert changed == {id: pair for id, pair in wanted.items() if pair[0] != pair[1]}
    assert {pair: each.count for pair, each in replay.tally.flows.items()} == dict(Counter(wanted.values()))
    assert replay.refused == []


SIGNALS = """
caddrel: 1
signals: {new: {title: New, kind: first-seen, of: network.country, after: AFTER, history: 5}}
policies: {p: {mode: enforced, rules: [{id: r, when: signals has new, then: block}]}}
"""
START = datetime(2026, 11, 2, 7, tzinfo=UTC)
COUNTRIES = ["NO", "NO", "NO", "IS", "NO", "IS"]


def _log(recorded: list[str]) -> list[Line]:
    # Out of order, as logs are.
    lines = [
        Line(
            f"s{i}", {"person.id": "ines", "network.country": c, "time.at": (START + timedelta(hours=i)).isoformat()}, r
        )
        for i, (c, r) in enumerate(zip(COUNTRIES, recorded, strict=True))
    ]
    return lines[::2] + lines[1::2]


@pytest.mark.parametrize(
    ("recorded", "under", "expected"),
    [
        # The first from Iceland is new; nobody recorded anything, so who was let in is decided under the first
        # rulebook: the blocked one does not count, and the next from there is new again.
        ([""] * 6, ("1", "1"), {}),
        ([""] * 6, ("9", "1"), {"s3": ("allowed", "blocked")}),
        ([""] * 6, ("1", "9"), {"s3": ("blocked", "allowed"), "s5": ("blocked", "allowed")}),
        # By the record the one from Iceland was let in, so the next is not new.
        (["allowed"] * 6, ("9", "1"), {"s3": ("allowed", "blocked")}),
        (["allowed"] * 3 + ["blocked"] * 3, ("9", "1"), {"s3": ("allowed", "blocked"), "s5": ("allowed", "blocked")}),
    ],
)
def test_signals_are_worked_out_over_the_attempts_of_the_file(
    recorded: list[str], under: tuple[str, str], expected: dict[str, tuple[str, str]]
) -> None:
    before, after = (read_rulebook(Source("r", SIGNALS.replace("AFTER", n))).or_raise() for n in under)
    found = FileReplay(before, after).run(_log(recorded))
    assert {each.id: (each.before, each.after) for each in found} == expected


def test_against_what_the_file_recorded() -> None:
    rulebook = read_rulebook(Source("r", SIGNALS.replace("AFTER", "1"))).or_raise()
    replay = FileReplay(None, rulebook)
    assert [(each.id, each.before, each.after) for each in replay.run(_log(["allowed"] * 6))] == [
        ("s3", "allowed", "blocked")
    ]
    assert replay.tally.same == 5


@pytest.mark.parametrize(
    ("document", "code"),
    [
        (7, "wrong-type"),
        ({"id": "a"}, "wrong-type"),
        ({"id": "a", "facts": []}, "wrong-type"),
        ({"id": "a", "facts": {}, "recorded": {"outcome": "fine"}}, "wrong-value"),
    ],
)
def test_what_is_no_attempt_is_refused(document: Any, code: str) -> None:
    with pytest.raises(AttemptRefused) as refused:
        read_line(document, 1)
    assert [problem.code for problem in refused.value.problems] == [code]


def test_attempts_that_cannot_be_read_are_left_out_and_told() -> None:
    rulebook = read_rulebook(Source("r", SIGNALS.replace("AFTER", "1"))).or_raise()
    replay = FileReplay(rulebook, rulebook)
    lines = [Line("bad", {"network.ip": "nowhere"}), Line("good", {"network.country": "NO"})]
    assert list(replay.run(lines)) == []
    assert (replay.tally.attempts.count, [id for id, _ in replay.refused]) == (1, ["bad"])
