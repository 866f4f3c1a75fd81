"""Whom a policy from a pattern would cover is told while its blanks are filled, and comes true once it is written."""

from __future__ import annotations

import pytest
from tests.conftest import Live

from caddrel.client import Refused
from caddrel.core.rulebook.patterns import patterns
from caddrel.wire.drafts import PatternRequest, PatternScope


def test_what_is_told_is_what_the_policy_covers(kelpline: Live) -> None:
    filled = {
        "people": "group:bridge, kind:contractor", "apps": "farebox, label:passenger-data", "within": "4h",
        "place": "head-office", "standard": "crew-tablet", "schedule": "shore-hours", "notice": "guest-terms",
        "level": "medium",
    }  # fmt: skip
    with kelpline.client("author") as author:
        version = author.drafts.begin("covering").info.version
        for pattern in patterns():
            blanks = {name: filled.get(name) or blank.otherwise or "4h" for name, blank in pattern.blanks.items()}
            told = author.drafts.pattern_covers("covering", PatternScope(pattern.name, blanks))
            assert told.problems == [], pattern.name
            request = PatternRequest(pattern=pattern.name, id=f"it-is-{pattern.name}", blanks=blanks)
            version = author.drafts.add_from_pattern("covering", version, request).info.version
            view = author.drafts.look("covering", f"policies.it-is-{pattern.name}")
            assert view.covers is not None, pattern.name
            assert (told.people, told.apps) == (view.covers.people, view.covers.apps), pattern.name
            assert told.title == view.value["title"]


def test_each_side_is_told_as_far_as_it_is_filled(kelpline: Live) -> None:
    with kelpline.client("author") as author:
        author.drafts.begin("halfway")
        inventory = kelpline.data.inventories.current()
        everyone, bridge = len(inventory.people), len(inventory.members_of("bridge", kelpline.clock()))
        assert bridge > 0
        for blanks, people, apps, problem in (
            ({}, everyone, None, ""),
            ({"apps": "farebox"}, everyone, 1, ""),
            ({"people": "group:nobody", "apps": "farebox, nothing"}, 0, 1, ""),
            ({"people": "finance", "apps": "farebox"}, None, 1, "group:finance"),
            ({"people": "group:bridge", "apps": "label:"}, bridge, None, "label:"),
            ({"people": '"]}\n{', "apps": "label:"}, None, None, "people"),
            ({"people": ",".join(["group:bridge"] * 200), "apps": "farebox"}, bridge, 1, ""),
            ({"people": ",".join(["group:bridge"] * 201), "apps": "farebox"}, None, 1, "more than 200"),
            ({"people": "Group:Bridge", "apps": "FAREBOX"}, None, 0, "group:Bridge"),
            ({"no-such-blank": "1", "apps": "farebox"}, everyone, 1, ""),
        ):
            told = author.drafts.pattern_covers("halfway", PatternScope("second-factor", blanks))
            assert (told.people, told.apps) == (people, apps), blanks
            assert problem in " ".join(told.problems)
            assert bool(problem) == bool(told.problems)
        for name, pattern, code in (("halfway", "secnd-factor", "bad-pattern"), ("none", "second-factor", "not-found")):
            with pytest.raises(Refused) as refused:
                author.drafts.pattern_covers(name, PatternScope(pattern, {}))
            assert refused.value.problem.code == code
    with kelpline.client("viewer") as viewer, pytest.raises(Refused) as kept_out:
        viewer.drafts.pattern_covers("halfway", PatternScope("second-factor", {}))
    assert kept_out.value.problem.status == 403
