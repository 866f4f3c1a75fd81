"""Fixes that send people to a version that the check does not ask for."""

from __future__ import annotations

import re

from caddrel.core.diagnostics import Danger
from caddrel.core.facts.types import FactType, Version
from caddrel.core.facts.values import read_version
from caddrel.core.language.nodes import FactTest, tests_of
from caddrel.core.lint.context import Context, Findings
from caddrel.core.rulebook.model import Check, Rulebook

CODE = "fix-names-other-version"
CODES: dict[str, Danger] = {CODE: "nobody-gets-in"}
# Any number may stand in a fix; one behind these words is a version.
_NAMED = re.compile(
    r"\b(?:android|ios|ipados|macos|windows|linux|chromeos|version|to|at least)\s+([0-9]{1,6}(?:\.[0-9]{1,6}){0,4})\b",
    re.IGNORECASE,
)


def check(context: Context) -> Findings:
    """Find fixes of checks that name versions, and none that the check asks for."""
    for standard in context.rulebook.standards.values():
        for each in standard.checks:
            asked = _asked(each, context.rulebook)
            named = [read_version(text) for text in _NAMED.findall(each.fix)]
            if asked and named and not set(asked) & set(named):
                path = f"standards.{standard.id}.checks.{each.id}.fix"
                message = (
                    f"the fix of `{each.id}` in `{standard.id}` speaks of {named[0].text}, "
                    f"and the check asks for {asked[0].text}"
                )
                yield context.finding(path, CODE, message, "whoever follows it would still be in the way")


def _asked(check: Check, rulebook: Rulebook) -> list[Version]:
    return [
        operand.value
        for test in tests_of(check.must)
        if isinstance(test, FactTest) and rulebook.catalogue[test.fact].type is FactType.VERSION
        for operand in test.operands
        if isinstance(operand.value, Version)
    ]
