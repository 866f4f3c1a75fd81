"""What is asked for, compared: what is proven to be the same is so for attempts that are decided one by one."""

from __future__ import annotations

from random import Random
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from caddrel.core.decide.interpreter.interpreter import explain
from caddrel.core.facts.attempts import read_facts
from caddrel.core.inventory.completion import complete
from caddrel.core.prove.comparison import changes, differs
from caddrel.core.prove.solver import TooLate
from caddrel.core.rulebook.model import Rulebook
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source

HEAD = """caddrel: 1
proofs: {a: {any_of: [[hwk], [sc]]}, b: {any_of: [[otp, face]]}}
notices: {n: {title: N, text: T, version: '1'}, m: {title: M, text: T, version: '1'}}
standards: {s: {checks: {c: {must: device.encrypted, fix: F.}}}}
policies:
"""
ITEMS = [
    "mfa", "mfa within 15m", "mfa within 12h", "mfa within 30d", "proof a", "proof a within 15m", "proof a within 1h",
    "proof b", "notice n", "notice m", "managed device", "new password", "company device", "device passes s",
    "vetted client", "protected client",
]  # fmt: skip
CONDITIONS = ["", "when: risk.attempt is high, ", "when: person.kind is guest, ", "when: client.kind is browser, "]
METHODS = ["pwd", "otp", "hwk", "face", "swk", "sc", "password-changed", "mfa", "sms"]
FACTORS = ["password", "authenticator-app", "security-key", "passkey", "certificate", "push", "text-message"]
FACTS: dict[str, Any] = {
    "risk.attempt": lambda r: r.choice(["low", "medium", "high"]),
    "person.kind": lambda r: r.choice(["guest", "employee"]),
    "client.kind": lambda r: r.choice(["browser", "native"]),
    "auth.methods": lambda r: {m: r.choice([60, 1000, 50000, 3000000]) for m in r.sample(METHODS, r.randint(0, 3))},
    "person.factors": lambda r: r.sample(FACTORS, r.randint(0, 3)),
    "auth.notices": lambda r: r.sample(["n", "m"], r.randint(0, 2)),
    "device.owner": lambda r: r.choice(["company", "personal"]),
    **{name: lambda r: r.random() < 0.5 for name in ("device.managed", "device.encrypted", "client.vetted")},
}


def _formula(random: Random, depth: int = 0) -> str:
    if depth > 1 or random.random() < 0.5:
        return random.choice(ITEMS)
    word = random.choice([" and ", " or "])
    return f"({word.join(_formula(random, depth + 1) for _ in range(random.randint(2, 3)))})"


def _policy(random: Random, number: int) -> str:
    def rule() -> str:
        keep = random.choice(["", "", f", keep: {{session_at_most: {random.choice(['1h', '2h', '8h'])}}}"])
        return f"{{{random.choice(CONDITIONS)}then: require {_formula(random)}{keep}}}"

    rules = ", ".join(rule() for _ in range(random.randint(1, 2)))
    return f"  p{number}: {{mode: enforced, rules: [{rules}]}}"


def _read(policies: list[str]) -> Rulebook:
    return read_rulebook(Source("r", HEAD + "\n".join(policies) + "\n")).or_raise()


def _attempt(random: Random) -> dict[str, Any]:
    return {name: make(random) for name, make in FACTS.items() if random.random() < 0.75}


@given(st.randoms(use_true_random=True), st.integers(2, 4))
@settings(max_examples=15, suppress_health_check=list(HealthCheck), deadline=None)
def test_no_change_in_what_is_outstanding_is_passed_over(random: Random, many: int) -> None:
    before = [_policy(random, number) for number in range(many)]
    changed = random.randrange(many)
    other = [_policy(random, changed)] if random.random() < 0.5 else []
    sides = _read(before), _read([*before[:changed], *other, *before[changed + 1 :]])
    found = list(changes(*sides, None, lambda: 1e6))
    kinds = {change.kind for change in found}
    assert len(kinds) == len(found)
    for change in found:
        assert differs(change.before, change.after)
    for _ in range(80):
        facts = complete(read_facts(_attempt(random), sides[0].catalogue), sides[0].catalogue, {})
        one, two = (explain(side, facts).decision for side in sides)
        assert not differs(one, two) or (one.outcome, two.outcome) in kinds, (before, other, facts.values)


@pytest.mark.parametrize(
    ("asked", "added", "kinds"),
    [
        # What is asked for anyway, and what covers it.
        ("mfa within 15m", "mfa within 12h", set()),
        ("mfa within 15m and notice n", "mfa", set()),
        ("mfa within 15m and (device passes s or proof a)", "mfa within 12h", set()),
        # With a password of an hour ago and one factor the one can be met, and the other not.
        (
            "mfa within 12h",
            "mfa within 15m",
            {("allowed", "challenged"), ("allowed", "blocked"), ("challenged", "blocked"), ("challenged",) * 2},
        ),
        # Of two that do the one that stands first is asked for.
        ("notice n", "notice m or notice n", set()),
        ("notice m or notice n", "notice n", {("allowed", "challenged"), ("challenged",) * 2}),
    ],
)
def test_what_is_asked_for_beside_what_covers_it_changes_nothing(
    asked: str, added: str, kinds: set[tuple[str, str]]
) -> None:
    before = f"  p: {{mode: enforced, rules: [{{then: require {asked}}}]}}"
    after = [before, f"  q: {{mode: enforced, rules: [{{then: require {added}}}]}}"]
    assert {change.kind for change in changes(_read([before]), _read(after), None, lambda: 1e6)} == kinds


def test_many_items_are_compared_too_as_one_by_one() -> None:
    # More candidates than a smallest set is searched among.
    several = [f"  p{n}: {{mode: enforced, rules: [{{then: require mfa within {n + 1}h}}]}}" for n in range(14)]
    before, after = _read(several), _read([*several, "  q: {mode: enforced, rules: [{then: require mfa within 1h}]}"])
    try:
        assert list(changes(before, after, None, lambda: 1e6)) == []
    except TooLate:
        pytest.fail("it was not told")
