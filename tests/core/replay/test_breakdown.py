"""What changes by app, group, place, device and day, counted one by one."""

from __future__ import annotations

from typing import Any

import numpy as np

from caddrel.core.facts.attempts import read_facts
from caddrel.core.facts.facts import Facts, Origin
from caddrel.core.replay.breakdown import Breakdown, breakdown_json
from caddrel.core.replay.columns import batch_of
from caddrel.core.replay.recorded import Coded
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source

RULEBOOK = read_rulebook(
    Source("r", "caddrel: 1\nplaces: {office: {networks: [192.0.2.0/26]}, north: {countries: [NO], lists: [odd]}}\n")
).or_raise()


def _add(breakdown: Breakdown, person: str | None, **facts: Any) -> None:
    values = read_facts({name.replace("_", ".", 1): value for name, value in facts.items()}, RULEBOOK.catalogue)
    known = Facts(values, dict.fromkeys(values, Origin.REPORTED))
    breakdown.add(batch_of([known]), Coded.of([person]), np.array([0]))


def test_a_sign_in_counts_for_each_group_and_place() -> None:
    found = Breakdown(RULEBOOK)
    ines = {
        "app_id": "post",
        "person_groups": ["crew", "bridge"],
        "device_platform": "android",
        "device_os_version": "15",
    }
    _add(found, "ines", **ines, network_ip="192.0.2.7", network_country="NO", time_at="2026-11-07T23:59:00Z")
    _add(found, "ines", **ines, network_ip="198.51.100.7", time_at="2026-11-06T07:00:00Z")
    _add(found, None, app_id="pay")
    told = breakdown_json(found)
    assert told["app"] == [{"name": "post", "count": 2, "people": 1}, {"name": "pay", "count": 1, "people": 0}]
    assert {each["name"]: each["count"] for each in told["group"]} == {"crew": 2, "bridge": 2}
    # What nobody knows is in no place, and in none that it may be in.
    assert {each["name"]: each["count"] for each in told["place"]} == {"office": 1, "north": 1, "in no place": 2}
    assert {each["name"]: each["count"] for each in told["device"]} == {"android 15": 2, "unknown": 1}
    assert [each["name"] for each in told["day"]] == ["2026-11-06", "2026-11-07"]
