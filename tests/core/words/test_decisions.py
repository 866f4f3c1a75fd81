"""Decisions as sentences: what is in the way, and what people want to do."""

from __future__ import annotations

import pytest

from caddrel.core.decide.interpreter.interpreter import explain
from caddrel.core.facts.facts import Facts, Origin
from caddrel.core.facts.types import Value
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source
from caddrel.core.words.decisions import decision_words
from caddrel.core.words.pieces import plain

TEXT = """
caddrel: 1
proofs:
  key: {title: Strong key, any_of: [[hwk]]}
  code: {title: Starter code, any_of: [[starter-code]]}
  face: {title: Face, any_of: [[face]]}
policies:
  enrolment:
    title: Enrolling
    operations: [enrol-device]
    mode: enforced
    rules: [{id: all, then: require %s}]
"""


@pytest.mark.parametrize(
    ("formula", "lacking"),
    [
        ("proof code or proof key", "the proof Starter code or the proof Strong key"),
        ("proof code and proof key", "the proof Starter code and the proof Strong key"),
        ("(proof code and proof key) or proof face", "the proof Starter code, the proof Face and the proof Strong key"),
        ("(proof code and mfa) or proof key", "the proof Starter code or the proof Strong key"),
        ("proof key", "the proof Strong key"),
    ],
)
def test_what_is_in_the_way_is_told_by_what_would_be_enough(formula: str, lacking: str) -> None:
    values: dict[str, Value] = {
        "operation": "enrol-device",
        "person.id": "ines.faro",
        "person.factors": frozenset({"password", "authenticator-app"}),
        "auth.methods": {},
    }
    rulebook = read_rulebook(Source("r", TEXT % formula)).or_raise()
    said = plain(decision_words(explain(rulebook, Facts(values, dict.fromkeys(values, Origin.REPORTED))), "Ines Faro"))
    assert said == f"Ines Faro may not enrol a device: “Enrolling” requires what is not there: {lacking}."


@pytest.mark.parametrize(
    ("given", "start"),
    [
        ({}, "This person may open this app"),
        ({"app.id": "post"}, "This person may open post"),
        ({"operation": "change-password"}, "This person may change the password"),
        ({"operation": "change-password", "app.id": "post"}, "This person may change the password for post"),
    ],
)
def test_an_operation_is_for_an_app_where_one_is_named(given: dict[str, Value], start: str) -> None:
    rulebook = read_rulebook(Source("r", "caddrel: 1\npolicies: {}\n")).or_raise()
    said = plain(decision_words(explain(rulebook, Facts(given, dict.fromkeys(given, Origin.REPORTED)))))
    assert said == f"{start}: no policy objects."


@pytest.mark.parametrize(
    ("effect", "why"),
    [("allow", "“Enrolling” allows it"), ("require proof key", "everything “Enrolling” asks for is there")],
)
def test_what_lets_in_is_told_by_what_it_asks_for(effect: str, why: str) -> None:
    values: dict[str, Value] = {"operation": "enrol-device", "auth.methods": {"hwk": 0.0}}
    rulebook = read_rulebook(Source("r", TEXT.replace("require %s", effect))).or_raise()
    said = plain(decision_words(explain(rulebook, Facts(values, dict.fromkeys(values, Origin.REPORTED)))))
    assert said == f"This person may enrol a device: {why}."
