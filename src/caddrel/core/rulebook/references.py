"""Which objects of a rulebook name which parts, and where each part is used."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass

from caddrel.core.language.formulas import Effect
from caddrel.core.language.nodes import Condition, During, FactTest, FromPlace, Passes, items_of, tests_of
from caddrel.core.rulebook.model import Policy, Rulebook, Scope


@dataclass(frozen=True, slots=True, order=True)
class Ref:
    """An object of a rulebook by kind and id: ``place head-office``."""

    kind: str
    id: str


_ITEM_KINDS = {"proof": "proof", "device passes": "standard", "notice": "notice"}
_FACT_KINDS = {"signals": "signal", "auth.notices": "notice"}


def condition_refs(condition: Condition | None) -> Iterator[Ref]:
    """Yield the parts that a condition names, in the order written."""
    for test in tests_of(condition) if condition is not None else ():
        match test:
            case FromPlace(places=places):
                yield from (Ref("place", place.text) for place in places)
            case Passes(standard=standard):
                yield Ref("standard", standard.text)
            case During(schedule=schedule):
                yield Ref("schedule", schedule.text)
            case FactTest(fact=fact, operands=operands) if fact in _FACT_KINDS:
                yield from (Ref(_FACT_KINDS[fact], operand.text) for operand in operands)
            case FactTest():
                pass


def effect_refs(effect: Effect | None) -> Iterator[Ref]:
    """Yield the parts that a requirement names, in the order written."""
    if effect is not None and effect.formula is not None:
        for item in items_of(effect.formula):
            if item.kind in _ITEM_KINDS:
                yield Ref(_ITEM_KINDS[item.kind], item.name)


def _scope_refs(scope: Scope) -> Iterator[Ref]:
    for selector in (*scope.people, *scope.except_people, *scope.apps, *scope.except_apps):
        yield from condition_refs(selector.condition)


def policy_refs(policy: Policy) -> list[Ref]:
    """Return the parts that a policy names, each once, in the order written."""
    found = list(_scope_refs(policy.scope))
    for rule in policy.rules:
        found.extend(condition_refs(rule.when))
        found.extend(effect_refs(rule.effect))
    return list(dict.fromkeys(found))


Users = Mapping[Ref, list[Ref]]


def where_used(rulebook: Rulebook) -> dict[Ref, list[Ref]]:
    """Return for every part the objects that name it, in document order."""
    users: dict[Ref, list[Ref]] = {}

    def note(user: Ref, used: Iterable[Ref]) -> None:
        for ref in used:
            if user not in users.setdefault(ref, []):
                users[ref].append(user)

    for place in rulebook.places.values():
        inner = (*place.parts.places, *place.without.places)
        note(Ref("place", place.id), (Ref("place", name) for name in inner))
    for standard in rulebook.standards.values():
        for check in standard.checks:
            note(Ref("standard", standard.id), condition_refs(check.must))
    for policy in rulebook.policies.values():
        note(Ref("policy", policy.id), policy_refs(policy))
    for guarantee in rulebook.guarantees.values():
        user = Ref("guarantee", guarantee.id)
        note(user, _scope_refs(guarantee.scope))
        note(user, condition_refs(guarantee.when))
        note(user, effect_refs(guarantee.effect))
    return users
