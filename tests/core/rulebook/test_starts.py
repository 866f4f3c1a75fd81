"""Rulebooks to start from: whole, canonical, in shadow, and nothing doubtful about them."""

from __future__ import annotations

import pytest

from caddrel.core.lint.context import Context
from caddrel.core.lint.registry import lint
from caddrel.core.rulebook.edit.writer import format_rulebook
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source
from caddrel.core.rulebook.starts import Start, starts


@pytest.mark.parametrize("start", starts(), ids=lambda start: start.name)
def test_a_start_says_what_it_is_for_and_has_nothing_doubtful_about_it(start: Start) -> None:
    source = Source(start.name, start.text)
    read = read_rulebook(source)
    assert not read.diagnostics
    rulebook = read.or_raise()
    assert not lint(Context(rulebook, None, None))
    assert {policy.mode for policy in rulebook.policies.values()} <= {"shadow"}
    assert all(policy.why and policy.title for policy in rulebook.policies.values())
    assert len(start.about) > 40
    assert format_rulebook(source) == start.text
    assert rulebook.settings.keyholders
