"""The language: canonical forms, and every diagnostic with its place and hint."""

from __future__ import annotations

from dataclasses import dataclass, field

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.loading import CASES
from tests.strategies import conditions, effects

from caddrel.core.diagnostics import Diagnostic
from caddrel.core.facts.catalogue import FACTS, Catalogue, attribute_spec
from caddrel.core.facts.types import FactType
from caddrel.core.language.checker import Scope, check_condition, check_formula
from caddrel.core.language.formulas import Effect, parse_effect
from caddrel.core.language.nodes import Condition
from caddrel.core.language.operators import OPERATORS, Op
from caddrel.core.language.parser import parse_condition
from caddrel.core.language.printer import print_condition, print_effect

SCOPE = Scope(
    Catalogue({"person.attributes.clearance": attribute_spec("person.attributes.clearance", FactType.NUMBER)}),
    {
        "places": ["office"],
        "standards": ["tablet"],
        "schedules": ["shore"],
        "notices": ["terms"],
        "signals": ["new-device"],
        "proofs": ["strong"],
    },
)


@dataclass
class Case:
    text: str
    canonical: str | None = None
    problems: list[str] = field(default_factory=list)


def _load(name: str) -> list[Case]:
    cases: list[Case] = []
    for line in (CASES / "language" / name).read_text(encoding="utf-8").splitlines():
        mark, text = line[:1], line[2:]
        if mark == ">":
            cases.append(Case(text))
        elif mark == "=":
            cases[-1].canonical = text
        elif mark == "!":
            cases[-1].problems.append(text)
    for case in cases:
        assert (case.canonical is None) == bool(case.problems), f"{case.text!r} expects nothing, or both"
    return cases


def _said(problem: Diagnostic) -> str:
    column = problem.extent.start + 1 if problem.extent else 0
    return f"{problem.code} {column}"


def _assert_said(problems: list[Diagnostic], expected: list[str]) -> None:
    assert [_said(p) for p in problems] == [e.partition(":")[0] for e in expected]
    for problem, line in zip(problems, expected, strict=True):
        assert line.partition(": ")[2] in problem.hint


@pytest.mark.parametrize("case", _load("conditions.txt"), ids=lambda c: c.text or "nothing")
def test_condition(case: Case) -> None:
    tree, problems = parse_condition(case.text)
    if tree is not None:
        tree, problems = check_condition(tree, SCOPE)
    if case.canonical is None:
        _assert_said(problems, case.problems)
        return
    assert tree is not None
    assert not problems
    assert print_condition(tree) == case.canonical
    assert parse_condition(case.canonical)[0] == tree


@pytest.mark.parametrize("case", _load("effects.txt"), ids=lambda c: c.text)
def test_effect(case: Case) -> None:
    effect, problems = parse_effect(case.text)
    if effect is not None and effect.formula is not None:
        problems = check_formula(effect.formula, SCOPE)
    if case.canonical is None:
        _assert_said(problems, case.problems)
        return
    assert effect is not None
    assert not problems
    assert print_effect(effect) == case.canonical


@given(conditions())
def test_printing_and_parsing_a_condition_gives_it_back(tree: Condition) -> None:
    text = print_condition(tree)
    parsed, problems = parse_condition(text)
    assert not problems
    assert parsed == tree
    assert parsed is not None
    assert print_condition(parsed) == text


@given(effects())
def test_printing_and_parsing_an_effect_gives_it_back(effect: Effect) -> None:
    parsed, problems = parse_effect(print_effect(effect))
    assert not problems
    assert parsed == effect


@given(st.text(max_size=60))
@settings(max_examples=300)
def test_any_text_is_read_or_refused_with_a_place(text: str) -> None:
    for tree, problems in (parse_condition(text), parse_effect(text)):
        assert (tree is None) == bool(problems)
        for problem in problems:
            assert problem.extent is None or 0 <= problem.extent.start <= problem.extent.end <= max(len(text), 1)


@pytest.mark.parametrize("text", ["(" * 10_000, "not " * 10_000, "device.managed and " * 5_000 + "(" * 60])
def test_deep_nesting_is_refused_and_not_a_crash(text: str) -> None:
    tree, problems = parse_condition(text)
    assert tree is None
    assert problems[0].code in {"too-deep", "condition-too-long"}


def test_every_operator_fits_a_fact_and_every_fact_has_an_operator() -> None:
    assert set(OPERATORS) == set(Op)
    for spec in FACTS.values():
        assert any(spec.type in row.types for row in OPERATORS.values())
    for row in OPERATORS.values():
        assert row.types
        assert row.doc
