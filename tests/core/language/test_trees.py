"""Rows and text are two views of one thing."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from tests.strategies import conditions, effects

from caddrel.core.facts.values import ValueRefused
from caddrel.core.language.formulas import Effect
from caddrel.core.language.nodes import Condition
from caddrel.core.language.printer import print_condition, print_effect
from caddrel.core.language.trees import condition_tree, effect_tree, read_condition_tree, read_effect_tree


@given(conditions())
def test_rows_say_what_the_text_says(tree: Condition) -> None:
    assert print_condition(read_condition_tree(condition_tree(tree))) == print_condition(tree)


@given(effects())
def test_rows_of_requirements_say_what_the_text_says(effect: Effect) -> None:
    assert print_effect(read_effect_tree(effect_tree(effect))) == print_effect(effect)


TEST = {"kind": "test", "test": "fact", "fact": "device.owner", "op": "is", "values": ["company"]}


def _required(formula: Any) -> Any:
    return {"effect": "require", "formula": formula}


def _deep(levels: int) -> dict[str, Any]:
    return {"kind": "not", "parts": [_deep(levels - 1)]} if levels else TEST


ITEM = {"kind": "item", "item": "mfa", "name": "", "within": ""}


@pytest.mark.parametrize("tree", [
    None, 3, {}, {"kind": "every"}, {"kind": "all", "parts": []}, {"kind": "not"}, {"kind": "all", "parts": [None]},
    {**TEST, "values": []}, {**TEST, "values": [""]}, {**TEST, "values": [1]}, {**TEST, "op": "equals"},
    {**TEST, "op": "is known"}, {**TEST, "fact": ""}, {**TEST, "test": "from", "values": []}, {**TEST, "test": "near"},
    {**TEST, "test": "during", "values": ["a", "b"]},
    _deep(40),
])  # fmt: skip
def test_rows_that_say_nothing_are_refused(tree: Any) -> None:
    with pytest.raises(ValueRefused):
        read_condition_tree(tree)


@pytest.mark.parametrize("tree", [
    {"effect": "let in"}, _required(None), _required({**ITEM, "item": "x"}), _required({**ITEM, "item": "proof"}),
    _required({**ITEM, "name": "x"}), _required({**ITEM, "within": "soon"}), _required({**ITEM, "within": 3}),
])  # fmt: skip
def test_rows_of_requirements_that_say_nothing_are_refused(tree: Any) -> None:
    with pytest.raises(ValueRefused):
        read_effect_tree(tree)
