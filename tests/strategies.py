"""Hypothesis strategies for trees, facts and rulebooks; every one in this file."""

from __future__ import annotations

import json
from datetime import UTC, datetime
from typing import Any

from hypothesis import strategies as st

from caddrel.core.facts.catalogue import FACTS, FactSpec
from caddrel.core.facts.types import FactType
from caddrel.core.language.formulas import Effect
from caddrel.core.language.nodes import (
    ITEM_KINDS,
    NAMED_ITEMS,
    TIMED_ITEMS,
    AllOf,
    And,
    AnyOf,
    Condition,
    During,
    FactTest,
    Formula,
    FromPlace,
    Item,
    Not,
    Operand,
    Or,
    Passes,
    Surely,
)
from caddrel.core.language.operators import OPERATORS, Op
from caddrel.core.language.printer import print_condition, print_effect

PARTS = {
    "place": ["here", "there"],
    "standard": ["tablet", "laptop"],
    "schedule": ["shore", "night"],
    "proof": ["strong", "weak"],
    "notice": ["terms", "rules"],
    "signal": ["odd", "fast", "new"],
}
FACT_NAMES = sorted(FACTS)
_SAMPLES: dict[FactType, list[str]] = {
    FactType.NAME: ["a", "b", "one", "x.y"],
    FactType.NAMES: ["a", "b", "any", "none"],
    FactType.TEXT: ["Straße", "STRASSE", 'say "x"', "back\\slash", "known", "é"],
    FactType.PATH: ["/", "/a", "/a/b", "/ab"],
    FactType.VERSION: ["9", "10", "14.2", "14.2.0", "14.10"],
    FactType.ADDRESS: ["192.0.2.7", "2001:db8::1", "198.51.100.1"],
    FactType.NUMBER: ["0", "64500", "-3", "2.5"],
    FactType.MOMENT: ["2026-11-02T07:10:00Z", "2026-11-02T09:10:00+02:00"],
    FactType.DURATION: ["0s", "90s", "15m", "4h", "30d"],
}


def samples(spec: FactSpec) -> list[str]:
    """Return texts that a condition may compare a fact with."""
    if spec.name == "auth.notices":
        return PARTS["notice"]
    if spec.name == "signals":
        return PARTS["signal"]
    if spec.words:
        return list(spec.words[:6])
    return _SAMPLES[spec.type]


@st.composite
def tests(draw: st.DrawFn) -> Condition:
    """Draw one test."""
    kind = draw(st.sampled_from(["fact"] * 6 + ["place", "standard", "schedule"]))
    if kind == "place":
        many = draw(st.booleans())
        names = draw(st.lists(st.sampled_from(PARTS["place"]), min_size=1, max_size=2 if many else 1))
        return FromPlace(tuple(Operand(n) for n in names), many)
    if kind == "standard":
        return Passes(Operand(draw(st.sampled_from(PARTS["standard"]))))
    if kind == "schedule":
        return During(Operand(draw(st.sampled_from(PARTS["schedule"]))))
    spec = FACTS[draw(st.sampled_from(FACT_NAMES))]
    op = draw(st.sampled_from([op for op, row in OPERATORS.items() if spec.type in row.types]))
    shape = OPERATORS[op].operand
    most = {"none": 0, "one": 1, "list": 3}[shape]
    least = min(most, 1)
    texts = draw(st.lists(st.sampled_from(samples(spec)), min_size=least, max_size=most)) if most else []
    return FactTest(spec.name, Op(op), tuple(Operand(t) for t in texts))


def conditions() -> st.SearchStrategy[Condition]:
    """Draw conditions of every shape."""

    def deeper(inner: st.SearchStrategy[Condition]) -> st.SearchStrategy[Condition]:
        several = st.lists(inner, min_size=2, max_size=3).map(tuple)
        return st.one_of(several.map(And), several.map(Or), inner.map(Not), inner.map(Surely))

    return st.recursive(tests(), deeper, max_leaves=6)


@st.composite
def items(draw: st.DrawFn) -> Item:
    """Draw one requirement item."""
    kind = draw(st.sampled_from(ITEM_KINDS))
    name = draw(st.sampled_from(PARTS[NAMED_ITEMS[kind]])) if kind in NAMED_ITEMS else ""
    within = draw(st.sampled_from([None, 60, 900, 3600, 7200])) if kind in TIMED_ITEMS else None
    return Item(kind, name, within)


def formulas() -> st.SearchStrategy[Formula]:
    """Draw requirement formulas."""

    def deeper(inner: st.SearchStrategy[Formula]) -> st.SearchStrategy[Formula]:
        several = st.lists(inner, min_size=2, max_size=3).map(tuple)
        return st.one_of(several.map(AllOf), several.map(AnyOf))

    return st.recursive(items(), deeper, max_leaves=5)


def effects() -> st.SearchStrategy[Effect]:
    """Draw what a rule does."""
    plain = st.sampled_from(["allow", "block", "abstain"]).map(Effect)
    return st.one_of(plain, formulas().map(lambda formula: Effect("require", formula)))


def reported(spec: FactSpec) -> st.SearchStrategy[Any]:
    """Draw a value of a fact as JSON."""
    match spec.type:
        case FactType.FLAG:
            return st.booleans()
        case FactType.NAMES:
            return st.lists(st.sampled_from(samples(spec)), max_size=3)
        case FactType.METHODS:
            ages = st.one_of(st.none(), st.sampled_from([10, 800, 3000, 90000]))
            return st.dictionaries(st.sampled_from(["pwd", "otp", "hwk", "swk", "fpt", "mfa"]), ages, max_size=4)
        case FactType.NUMBER:
            return st.sampled_from([0, 64500, -3, 2.5])
        case FactType.MOMENT:
            span = st.datetimes(datetime(2026, 10, 20), datetime(2026, 11, 5))  # noqa: DTZ001 - made aware below
            return span.map(lambda at: at.replace(tzinfo=UTC).isoformat())
        case _:
            return st.sampled_from(samples(spec))


_DOCUMENT: dict[str, Any] = {
    "caddrel": 1,
    "apps": {"gate": {"stance": "closed"}, "plaza": {"stance": "open"}},
    "places": {
        "here": {"networks": ["192.0.2.0/24"], "countries": ["AD", "AE"], "lists": ["listed"]},
        "there": {"anonymisers": ["vpn"], "places": ["here"], "without": {"networks": ["192.0.2.7"]}},
    },
    "standards": {
        "tablet": {"checks": {"one": {"must": "device.encrypted", "fix": "Encrypt."}, "two": {"must": "from here"}}},
        "laptop": {"checks": {"all": {"must": "device passes tablet or device.os_version is at least 10"}}},
    },
    "schedules": {
        "shore": {"zone": "Atlantic/Reykjavik", "hours": {"mon-fri": ["07:00-19:00"]}},
        "night": {"zone": "Europe/Oslo", "hours": {"fri-mon": ["22:00-06:00"]}},
    },
    "proofs": {"strong": {"any_of": [["hwk"], ["swk", "fpt"]]}, "weak": {"any_of": [["pwd"]]}},
    "signals": {
        "odd": {"kind": "failed-attempts", "at_least": 3, "within": "10m"},
        "fast": {"kind": "travel-speed", "above_kmh": 900},
        "new": {"kind": "first-seen", "of": "device.id"},
    },
    "notices": {"terms": {"text": "t"}, "rules": {"text": "r"}},
}
_PEOPLE = ["everyone", "group:a", "role:b", "person:a", "kind:guest", "unit:/a", {"where": "person.risk is high"}]
_APPS = ["every-app", "a", "app:gate", "label:a", {"where": "app.labels has b"}]


@st.composite
def rulebooks(draw: st.DrawFn, allowed: st.SearchStrategy[Condition] | None = None) -> str:
    """Draw rulebooks as JSON text; `allowed` draws their conditions."""
    whens = conditions() if allowed is None else allowed
    policies: dict[str, Any] = {}
    for i in range(draw(st.integers(1, 4))):
        rules = [
            {"then": print_effect(draw(effects()))}
            | ({"when": print_condition(draw(whens))} if draw(st.integers(0, 3)) else {})
            | ({"keep": {"idle_at_most": "10m"}} if draw(st.booleans()) else {})
            | (
                {"tell": draw(st.sampled_from(["No {app}.", "{fixes}", "Quote {reference}"]))}
                if draw(st.booleans())
                else {}
            )
            for _ in range(draw(st.integers(1, 3)))
        ]
        policies[f"p{i}"] = {
            "mode": draw(st.sampled_from(["enforced", "enforced", "shadow", "off"])),
            "people": draw(st.lists(st.sampled_from(_PEOPLE), min_size=1, max_size=2)),
            "apps": draw(st.lists(st.sampled_from(_APPS), min_size=1, max_size=2)),
            "except_people": draw(st.lists(st.sampled_from(_PEOPLE[1:]), max_size=1)),
            "rules": rules,
        }
    settings = {"stance": draw(st.sampled_from(["open", "open", "closed"]))}
    return json.dumps({**_DOCUMENT, "settings": settings, "policies": policies})


def monotone_conditions() -> st.SearchStrategy[Condition]:
    """Draw conditions in which learning a fact never turns what is settled: no `surely`, no `is known`."""

    def settled(tree: Condition) -> bool:
        if isinstance(tree, Surely):
            return False
        if isinstance(tree, And | Or):
            return all(settled(part) for part in tree.parts)
        if isinstance(tree, Not):
            return settled(tree.part)
        return not (isinstance(tree, FactTest) and tree.op in {Op.KNOWN, Op.UNKNOWN})

    return conditions().filter(settled)


@st.composite
def attempts(draw: st.DrawFn) -> dict[str, Any]:
    """Draw an attempt with any of its facts missing."""
    names = draw(st.lists(st.sampled_from(FACT_NAMES), unique=True, max_size=25))
    return {name: draw(reported(FACTS[name])) for name in names}
