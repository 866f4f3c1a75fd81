"""Hypothesis strategies for trees, facts and rulebooks; every one in this file."""

from __future__ import annotations

import json
from collections.abc import Hashable
from datetime import UTC, datetime
from functools import cache
from typing import Any

from hypothesis import strategies as st

from caddrel.core.facts.catalogue import ATTRIBUTE_TYPES, Catalogue, FactSpec, attribute_spec
from caddrel.core.facts.types import FactType
from caddrel.core.language.formulas import Effect, EffectKind
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
# Attributes of every type, so that every operator can stand in a selector.
ATTRIBUTES = {
    f"{kind}.attributes.{of.value}": attribute_spec(f"{kind}.attributes.{of.value}", of)
    for kind in ("person", "device", "app")
    for of in ATTRIBUTE_TYPES
}
SPECS: dict[str, FactSpec] = dict(Catalogue(ATTRIBUTES))
FACT_NAMES = sorted(SPECS)
_IN = {prefix: [name for name in FACT_NAMES if name.startswith(prefix)] for prefix in ("", "person.", "app.")}
_BY_OP = {
    (prefix, op): found
    for prefix, names in _IN.items()
    for op, row in OPERATORS.items()
    if (found := [name for name in names if SPECS[name].type in row.types])
}
_OPS = {prefix: [op for at, op in _BY_OP if at == prefix] for prefix in _IN}
_OFTEN = (
    "person.risk", "person.factors", "person.attributes.flag", "app.id", "app.attributes.level", "network.ip",
    "network.country", "device.encrypted", "device.os_version", "client.kind", "auth.methods", "auth.age", "time.at",
)  # fmt: skip
_HOT = {key: [name for name in names if name in _OFTEN] or names[:1] for key, names in _BY_OP.items()}
_SAMPLES: dict[FactType, list[str]] = {
    FactType.NAME: ["a", "b", "one", "x.y", "gate"],
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


# A strategy is looked through when it is first drawn from: made anew for each draw, that is what takes longest.
@cache
def one_of(*values: Hashable) -> st.SearchStrategy[Any]:
    """Draw one of some values; the strategy is made once."""
    return st.sampled_from(values)


@cache
def some(chosen: st.SearchStrategy[Any], least: int, most: int, unique: bool = False) -> st.SearchStrategy[list[Any]]:
    """Draw a list of so many; the strategy is made once."""
    return st.lists(chosen, min_size=least, max_size=most, unique=unique)


_FLAG, _ONE_IN_FOUR, _ONE_TO_FOUR, _ONE_TO_THREE = (
    st.booleans(),
    st.integers(0, 3),
    st.integers(1, 4),
    st.integers(1, 3),
)


@st.composite
def one_test(draw: st.DrawFn, prefix: str) -> Condition:
    """Draw one test; of facts with a prefix alone, as selectors are, when one is given."""
    kind = "fact" if prefix else draw(_KINDS)
    if kind == "place":
        many = draw(_FLAG)
        names = draw(some(one_of(*PARTS["place"]), 1, 2 if many else 1))
        return FromPlace(tuple(Operand(n) for n in names), many)
    if kind == "standard":
        return Passes(Operand(draw(one_of(*PARTS["standard"]))))
    if kind == "schedule":
        return During(Operand(draw(one_of(*PARTS["schedule"]))))
    op = draw(one_of(*_OPS[prefix]))
    # Few facts again and again, so that attempts have those that conditions ask; and now and then any.
    spec = SPECS[draw(_facts(prefix, op))]
    shape = OPERATORS[op].operand
    most = {"none": 0, "one": 1, "list": 3}[shape]
    least = min(most, 1)
    texts = draw(some(one_of(*samples(spec)), least, most)) if most else []
    return FactTest(spec.name, Op(op), tuple(Operand(t) for t in texts))


_KINDS = one_of(*["fact"] * 6, "place", "standard", "schedule")


@cache
def _facts(prefix: str, op: Op) -> st.SearchStrategy[str]:
    found: st.SearchStrategy[str] = st.one_of(one_of(*_HOT[prefix, op]), one_of(*_BY_OP[prefix, op]))
    return found


@cache
def conditions(prefix: str = "") -> st.SearchStrategy[Condition]:
    """Draw conditions of every shape; `prefix` as of `one_test`."""

    def deeper(inner: st.SearchStrategy[Condition]) -> st.SearchStrategy[Condition]:
        several = st.lists(inner, min_size=2, max_size=3).map(tuple)
        return st.one_of(several.map(And), several.map(Or), inner.map(Not), inner.map(Surely))

    return st.recursive(one_test(prefix), deeper, max_leaves=6)


@st.composite
def items(draw: st.DrawFn) -> Item:
    """Draw one requirement item."""
    kind = draw(one_of(*ITEM_KINDS))
    name = draw(one_of(*PARTS[NAMED_ITEMS[kind]])) if kind in NAMED_ITEMS else ""
    within = draw(one_of(None, 60, 900, 3600, 7200)) if kind in TIMED_ITEMS else None
    return Item(kind, name, within)


@cache
def formulas() -> st.SearchStrategy[Formula]:
    """Draw requirement formulas."""

    def deeper(inner: st.SearchStrategy[Formula]) -> st.SearchStrategy[Formula]:
        several = st.lists(inner, min_size=2, max_size=3).map(tuple)
        return st.one_of(several.map(AllOf), several.map(AnyOf))

    return st.recursive(items(), deeper, max_leaves=5)


@cache
def effects() -> st.SearchStrategy[Effect]:
    """Draw what a rule does."""
    without: list[EffectKind] = ["allow", "block", "abstain"]
    plain = st.sampled_from(without).map(Effect)
    return st.one_of(plain, formulas().map(lambda formula: Effect("require", formula)))


# What is on no list, and what is, in another case.
STRANGE = "XYZZY"


def said(spec: FactSpec) -> list[str]:
    """Return texts that may be reported of a fact: of closed lists also what is on none."""
    return [*samples(spec), STRANGE, samples(spec)[0].swapcase()] if spec.words else samples(spec)


def reported(spec: FactSpec) -> st.SearchStrategy[Any]:
    """Draw a value of a fact as JSON, as a log or a door may report it."""
    return _reported(spec.name)


@cache
def _reported(name: str) -> st.SearchStrategy[Any]:
    spec = SPECS[name]
    match spec.type:
        case FactType.FLAG:
            return st.booleans()
        case FactType.NAMES:
            return st.lists(st.sampled_from(said(spec)), max_size=3)
        case FactType.METHODS:
            ages = st.one_of(st.none(), st.sampled_from([10, 800, 3000, 90000]))
            names = ["pwd", "otp", "hwk", "swk", "fpt", "mfa", "password-changed", "OTP", STRANGE]
            return st.one_of(
                st.lists(st.sampled_from(names), max_size=4),
                st.dictionaries(st.sampled_from(names), ages, max_size=4).filter(
                    lambda m: not {"otp", "OTP"} <= m.keys()
                ),
            )
        case FactType.NUMBER:
            return st.sampled_from([0, 64500, -3, 2.5])
        case FactType.MOMENT:
            span = st.datetimes(datetime(2026, 10, 20), datetime(2026, 11, 5))  # noqa: DTZ001 - made aware below
            return span.map(lambda at: at.replace(tzinfo=UTC).isoformat())
        case _:
            return st.sampled_from(said(spec))


_DOCUMENT: dict[str, Any] = {
    "caddrel": 1,
    "attributes": {name: spec.type.value for name, spec in ATTRIBUTES.items()},
    "places": {
        "here": {"networks": ["192.0.2.0/24"], "countries": ["AD", "AE"], "lists": ["listed"]},
        "there": {
            "anonymisers": ["vpn"],
            "asns": [64500],
            "places": ["here"],
            "without": {"networks": ["192.0.2.7"], "countries": ["AF"], "lists": ["listed"]},
        },
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
_PEOPLE = ("everyone", "group:a", "role:b", "person:a", "kind:guest", "unit:/a")
_APPS = ("every-app", "a", "app:gate", "label:a")
WINDOWS = [
    {"from": "2026-10-25T00:00:00Z"},
    {"until": "2026-11-01T12:00:00Z"},
    {"from": "2026-10-22T00:00:00Z", "until": "2026-11-02T07:10:00Z"},
]
_WINDOW = st.sampled_from(WINDOWS)
_OPERATIONS = ["sign-in", "enrol-device", "change-password"]
_ASSUMED = {
    "risk.attempt": "none", "client.kind": "browser", "device.tampered": False, "auth.age": 900,
    "network.anonymiser": "none", "person.risk": "low", "device.owner": "personal",
}  # fmt: skip


@cache
def _selectors(names: tuple[str, ...], prefix: str, allowed: Any) -> st.SearchStrategy[Any]:
    where = allowed(prefix).map(lambda tree: {"where": print_condition(tree)})
    return st.one_of(one_of(*names), where)


@st.composite
def rulebooks(draw: st.DrawFn, allowed: Any = conditions) -> str:
    """Draw rulebooks as JSON text.

    Parameters
    ----------
    allowed
        Draws conditions, given the prefix that their facts must have.
    """
    whens = allowed("")
    people, apps = _selectors(_PEOPLE, "person.", allowed), _selectors(_APPS, "app.", allowed)
    policies: dict[str, Any] = {}
    for i in range(draw(_ONE_TO_FOUR)):
        rules = [
            {"then": print_effect(draw(effects()))}
            | ({"when": print_condition(draw(whens))} if draw(_ONE_IN_FOUR) else {})
            | ({"keep": {"idle_at_most": "10m"}} if draw(_FLAG) else {})
            | ({"tell": draw(one_of("No {app}.", "{fixes}", "Quote {reference}"))} if draw(_FLAG) else {})
            for _ in range(draw(_ONE_TO_THREE))
        ]
        policies[f"p{i}"] = {
            "mode": draw(one_of("enforced", "enforced", "shadow", "off")),
            "people": draw(some(people, 1, 2)),
            "apps": draw(some(apps, 1, 2)),
            "except_people": [draw(people)] if draw(_FLAG) else [],
            "except_apps": [draw(apps)] if draw(_FLAG) else [],
            "rules": rules,
        }
        if not draw(_ONE_IN_FOUR):
            policies[f"p{i}"]["active"] = draw(_WINDOW)
        if not draw(_ONE_IN_FOUR):
            policies[f"p{i}"]["operations"] = draw(some(one_of(*_OPERATIONS), 1, 2, unique=True))
    checks = [print_condition(draw(whens)) for _ in range(2)]
    standards = {
        "tablet": {"checks": {"one": {"must": "device.encrypted", "fix": "Encrypt."}, "two": {"must": checks[0]}}},
        "laptop": {"checks": {"all": {"must": f"device passes tablet or ({checks[1]})", "fix": "Mend."}}},
    }
    if "device passes" in "".join(checks):
        # No standard may name itself.
        standards["tablet"]["checks"]["two"]["must"] = "from here"
        standards["laptop"]["checks"]["all"]["must"] = "device passes tablet or device.os_version is at least 10"
    assumed = draw(some(one_of(*sorted(_ASSUMED)), 0, 2, unique=True))
    settings = {
        "stance": draw(one_of("open", "open", "closed")),
        "assume": {name: _ASSUMED[name] for name in assumed},
    }
    lines = {"gate": "closed", "plaza": "open", "a": draw(one_of("open", "closed"))}
    kept = draw(some(one_of(*sorted(lines)), 0, 3, unique=True))
    stances = {app: {"stance": lines[app]} for app in sorted(kept)}
    return json.dumps(
        {**_DOCUMENT, "apps": stances, "settings": settings, "standards": standards, "policies": policies}
    )


@cache
def monotone_conditions(prefix: str = "") -> st.SearchStrategy[Condition]:
    """Draw conditions in which learning a fact never turns what is settled: no `surely`, no `is known`."""

    def settled(tree: Condition) -> bool:
        if isinstance(tree, Surely):
            return False
        if isinstance(tree, And | Or):
            return all(settled(part) for part in tree.parts)
        if isinstance(tree, Not):
            return settled(tree.part)
        return not (isinstance(tree, FactTest) and tree.op in {Op.KNOWN, Op.UNKNOWN})

    return conditions(prefix).filter(settled)


@st.composite
def attempts(draw: st.DrawFn) -> dict[str, Any]:
    """Draw an attempt with any of its facts missing; who and what are mostly there, and few are stopped before all."""
    names = draw(some(one_of(*FACT_NAMES), 0, 12, unique=True))
    usual = draw(some(one_of(*_USUAL), 0, len(_USUAL), unique=True))
    names = [name for name in dict.fromkeys((*usual, *names)) if name not in _STOPPING or draw(_ONE_IN_FOUR) == 0]
    return {name: draw(reported(SPECS[name])) for name in names}


_USUAL = (*_OFTEN, "app.labels", "person.groups", "person.kind")
_STOPPING = ("auth.credentials", "auth.locked_out")
