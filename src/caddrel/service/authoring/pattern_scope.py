"""Whom a policy from a pattern would cover, while its blanks are being filled."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source
from caddrel.service.authoring.scope_members import Covering
from caddrel.service.rulebooks import drafts as drafting
from caddrel.service.rulebooks.pattern_policies import pattern_named
from caddrel.service.state.data_folder import DataFolder
from caddrel.wire import drafts as wire

MOST_NAMES = 200
_SIDES = (("people", "except_people"), ("apps", "except_apps"))


def covers(data: DataFolder, covering: Covering, name: str, request: wire.PatternScope) -> wire.PatternCovers:
    """Return how many people and apps a policy would cover, with the blanks of its pattern as they are.

    Raises
    ------
    ServiceError
        When there is no such draft or pattern.
    """
    drafting.need(data, name)
    pattern = pattern_named(request.pattern)
    # What is wrong with other blanks is told once it is written.
    policy, _ = pattern.filled({name: text for name, text in request.blanks.items() if name in pattern.blanks})
    (people, no_people), (apps, no_apps) = (_side(covering, policy, keys) for keys in _SIDES)
    return wire.PatternCovers(people, apps, str(policy.get("title", pattern.title)), [*no_people, *no_apps])


def _side(covering: Covering, policy: Mapping[str, Any], keys: tuple[str, str]) -> tuple[int | None, list[str]]:
    """Return how many people, or apps, one side of a scope covers, and the diagnostics of what in it cannot be read."""
    scope = {key: policy[key] for key in keys if key in policy}
    if any(value == [] for value in scope.values()):
        return None, []
    if any(isinstance(value, list) and len(value) > MOST_NAMES for value in scope.values()):
        # Each is asked of everybody.
        return None, [f"more than {MOST_NAMES} are not counted before it is written"]
    document = {"caddrel": 1, "policies": {"it": {**scope, "rules": [{"then": "abstain"}]}}}
    result = read_rulebook(Source("pattern", json.dumps(document)))
    if result.rulebook is None:
        return None, [each.message for each in result.diagnostics if each.severity == "error"]
    return len(covering.of(result.rulebook, result.rulebook.policies["it"].scope, keys[0])), []
