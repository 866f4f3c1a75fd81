"""Many bundles read with what occurs in them read once, against reading each as a whole."""

from __future__ import annotations

import json
from dataclasses import asdict, replace
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st
from tests.strategies import ATTRIBUTES, attempts

from caddrel.core.columnar.fact_groups import split
from caddrel.core.facts.attempts import read_told_facts
from caddrel.core.facts.catalogue import Catalogue
from caddrel.core.facts.facts import Facts, Setting
from caddrel.core.facts.record import facts_from_json, facts_json
from caddrel.core.inventory.completion import complete
from caddrel.store.bundle_reader import BundleReader

CATALOGUE = Catalogue(ATTRIBUTES)
READER = BundleReader(CATALOGUE)
# What earlier releases wrote, and what the catalogue does not know, or not in that type.
ODD: list[dict[str, Any]] = [
    {},
    {"values": {"client.kind": ["reported", "LEGACY"], "network.anonymiser": ["reported", "odd-one"]}},
    {"values": {"person.attributes.gone": ["inventory", 1], "device.managed": ["reported", "yes, surely"]}},
    {
        "values": {"auth.methods": ["reported", ["otp", "odd"]]},
        "not_understood": {"auth.methods": ["reported", ["odd"]]},
    },
    {"values": {"person.groups": ["inventory", ["crew"]]}, "open_groups": ["bridge"]},
    {"values": {"signals": ["computed", ["far"]]}, "open_signals": ["fast"], "noticed": {"far": {"truth": "true"}}},
    {"values": {"app.id": ["reported", "x"]}, "app_listed": False, "app_title": "The X"},
    {
        "values": {"network.ip": ["reported", "192.0.2.1"]},
        "lists": {"bad": True, "odd": False},
        "coordinates": [60, 5.5],
    },
]


def _told(facts: Facts) -> dict[str, Any]:
    held = {name: each.held for name, each in facts.lists.items()}
    opened = {name: getattr(value, "open", None) for name, value in facts.values.items()}
    kinds = {name: type(value) for name, value in facts.values.items()}
    return {**asdict(replace(facts, lists={})), "lists": held, "open": opened, "kinds": kinds}


def _same(document: dict[str, Any]) -> None:
    text = json.dumps(document)
    expected = _told(facts_from_json({"values": {}, **document}, CATALOGUE))
    # Once as it is met first, and once as it is remembered.
    assert _told(READER.read(text)) == _told(READER.read(text.encode())) == expected


def test_odd_bundles_are_read_as_they_are_by_themselves() -> None:
    for document in ODD:
        _same(document)


@settings(max_examples=100, deadline=None)
@given(st.lists(attempts(), min_size=1, max_size=4))
def test_every_bundle_is_read_as_it_is_by_itself(drawn: list[dict[str, Any]]) -> None:
    for attempt in drawn:
        told, strange = read_told_facts(attempt, CATALOGUE)
        facts = complete(told, CATALOGUE, {}, None, Setting.LOG, not_understood=strange)
        for bundle in split(facts_json(facts, []))[1]:
            _same(json.loads(bundle))
