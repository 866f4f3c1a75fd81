"""Limits are found where they stand, and moved there and nowhere else."""

from __future__ import annotations

import pytest
from hypothesis import HealthCheck, Phase, given, settings
from tests.strategies import rulebooks

from caddrel.core.facts.types import FactType
from caddrel.core.rulebook.edit.limits import LimitRefused, find_limit, limits_of, with_limit
from caddrel.core.rulebook.edit.objects import objects_of, with_object
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source

TEXT = """caddrel: 1
attributes: {person.attributes.clearance: number}
standards:
  tablet:
    checks:
      # Since the spring.
      patched:
        must: >-
          device.platform is not android
          or device.os_version is at least "15" or device.os_version is at least 14.4
        fix: Update it.
signals:
  too-fast: {kind: travel-speed, above_kmh: 900, history: 30}
  guessing: {kind: failed-attempts, within: 15m, at_least: 5}
policies:
  abroad:
    rules:
      - when: person.risk is above low and not (device.state_age is at most 30d)
        then: require (mfa within 12h and proof strong-key within 2h) or mfa
      - id: rest
        when: person.attributes.clearance is below 2 and time.at is at least 2026-11-01T00:00:00Z
        then: block
proofs:
  strong-key: {any_of: [[hwk]]}
"""
OTHER = {FactType.VERSION: "77.7", FactType.LEVEL: "medium", FactType.NUMBER: "77", FactType.DURATION: "77m"}


def _limits(text: str) -> tuple[list[Source], dict[tuple[str, ...], str], list[tuple[str, str, str]]]:
    sources = [Source("r", text)]
    objects = objects_of(sources)
    found = limits_of(read_rulebook(sources).or_raise(), objects)
    return sources, objects, [(limit.address, limit.words, limit.value) for limit in found]


def test_every_kind_of_limit_is_found_where_it_stands() -> None:
    assert _limits(TEXT)[2] == [
        ("standards.tablet.patched", "device.os_version is at least 15", "15"),
        ("standards.tablet.patched:2", "device.os_version is at least 14.4", "14.4"),
        ("signals.too-fast.above_kmh", "above_kmh 900", "900"),
        ("signals.guessing.at_least", "at_least 5", "5"),
        ("signals.guessing.within", "within 15m", "15m"),
        ("policies.abroad.r1.when", "person.risk is above low", "low"),
        ("policies.abroad.r1.when:2", "device.state_age is at most 30d", "30d"),
        ("policies.abroad.r1.then", "mfa within 12h", "12h"),
        ("policies.abroad.r1.then:2", "proof strong-key within 2h", "2h"),
        ("policies.abroad.rest.when", "person.attributes.clearance is below 2", "2"),
    ]


def _moved_alone(text: str) -> int:
    """Assert that each limit of a rulebook can be moved, and that nothing else moves with it; return how many."""
    sources, objects, before = _limits(text)
    found = limits_of(read_rulebook(sources).or_raise(), objects)
    for place, limit in enumerate(found):
        wanted = OTHER[limit.kind]
        made = with_object(sources, limit.path, with_limit(objects, limit, wanted))
        assert len(made) == 1
        _, after_objects, after = _limits(made[0].text)
        assert [each[0] for each in after] == [each[0] for each in before]
        assert after[place][2] == wanted
        assert after[:place] + after[place + 1 :] == before[:place] + before[place + 1 :]
        assert {path: text for path, text in after_objects.items() if path != limit.path} == {
            path: text for path, text in objects.items() if path != limit.path
        }
    return len(found)


def test_a_limit_is_moved_and_nothing_else() -> None:
    assert _moved_alone(TEXT) == 10
    sources, objects, _ = _limits(TEXT)
    limit = find_limit(limits_of(read_rulebook(sources).or_raise(), objects), "standards.tablet.patched:2")
    assert "# Since the spring." in with_limit(objects, limit, "16")
    with pytest.raises(LimitRefused, match="there is no limit `odd`") as refused:
        find_limit([limit], "odd")
    assert refused.value.diagnostic.expected == ("standards.tablet.patched:2",)


@given(rulebooks())
@settings(max_examples=12, deadline=None, suppress_health_check=[HealthCheck.too_slow], phases=[Phase.generate])
def test_limits_of_any_rulebook_are_moved_alone(text: str) -> None:
    _moved_alone(text)
