"""What is remembered of a condition that names nothing of a rulebook is what is worked out in each rulebook."""

from __future__ import annotations

from hypothesis import given, settings
from tests.strategies import conditions, rulebooks

from caddrel.core.cases import constant as constants
from caddrel.core.cases.constant import constant
from caddrel.core.facts.catalogue import Catalogue
from caddrel.core.language.checker import Scope, check_condition
from caddrel.core.language.nodes import Condition
from caddrel.core.language.nodes import tests_of as parts_of
from caddrel.core.lint.context import all_conditions
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source


def _anew(text: str, condition: Condition) -> bool | None:
    """Work it out in a rulebook that has all that it names, with nothing remembered."""
    kept, constants._FEW, constants._named = (constants._FEW, constants._named), 0, constants._Named()
    try:
        return constant(read_rulebook(Source("r", text)).or_raise(), condition)
    finally:
        constants._FEW, constants._named = kept


@given(rulebooks(), conditions())
@settings(max_examples=60)
def test_what_is_remembered_is_what_is_worked_out(text: str, other: Condition) -> None:
    rulebook = read_rulebook(Source("r", text)).or_raise()
    for condition in all_conditions(rulebook):
        assert constant(rulebook, condition) == _anew(text, condition)
    checked, problems = check_condition(other, Scope(Catalogue(), {}))
    if not problems and len(list(parts_of(checked))) > 1:
        assert constant(rulebook, checked) == _anew(text, checked)


_NAMING = """
caddrel: 1
places: {{yard: {{title: Yard, countries: [{country}]}}}}
attributes: {{person.attributes.level: {level}}}
policies:
  p: {{mode: enforced, rules: [{{when: "{when}", then: block}}]}}
  q:
    mode: enforced
    rules: [{{when: "person.attributes.level is high and person.attributes.level is low", then: {then}}}]
"""


def test_what_was_found_under_another_rulebook_is_not_taken_where_what_is_named_is_another() -> None:
    when = "from yard and network.country is SE"
    steps = [
        ("NO", "level", when, "block"), ("NO", "level", when, "require mfa"), ("SE", "level", when, "require mfa"),
        ("NO", "level", when, "block"), ("NO", "level", "from yard and network.country is NO", "block"),
        ("SE", "level", "from yard and network.country is NO", "block"), ("SE", "name", when, "block"),
    ]  # fmt: skip
    found = []
    for country, level, condition, then in steps * 2:
        text = _NAMING.format(country=country, level=level, when=condition, then=then)
        rulebook = read_rulebook(Source("r", text)).or_raise()
        for each in all_conditions(rulebook):
            assert constant(rulebook, each) == constants._of_rulebook(rulebook, each)
            found.append(constant(rulebook, each))
    assert {True, False, None} & set(found) == {False, None}
