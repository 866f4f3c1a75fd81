"""Every change of a rule of the demo's rulebook, and what the demo's log says of each: comparing must find it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from datetime import UTC, datetime
from functools import cache
from typing import Any

from caddrel.core.decide.decision import Decision
from caddrel.core.decide.interpreter.interpreter import explain
from caddrel.core.facts.attempts import AttemptRefused, read_facts
from caddrel.core.inventory.completion import complete
from caddrel.core.inventory.index import Inventory
from caddrel.core.inventory.reader import read_inventory
from caddrel.core.language.formulas import Effect
from caddrel.core.language.nodes import Not
from caddrel.core.prove.comparison import changes, differs
from caddrel.core.rulebook.model import Policy, Rule, Rulebook
from caddrel.core.rulebook.read.rulebook import read_rulebook
from caddrel.core.rulebook.source import Source
from caddrel.demo.fill import anchor, documents
from caddrel.demo.log import sign_ins
from caddrel.demo.world import build_world

END = anchor(datetime(2026, 11, 23, 9, tzinfo=UTC))
Mutation = tuple[str, Rulebook]


@cache
def kelpline() -> tuple[Rulebook, Inventory]:
    """Return the demo's rulebook and inventory."""
    rulebook = read_rulebook(Source("kelpline.yaml", documents()[1])).or_raise()
    document: dict[str, list[dict[str, Any]]] = {}
    for noun, each in build_world(END).objects():
        document.setdefault(noun, []).append(each)
    inventory, problems = read_inventory(document, stored=True)
    assert not problems
    return rulebook, inventory


@cache
def mutations() -> tuple[Mutation, ...]:
    """Return every rulebook in which one rule of an enforced policy is another, with what was done."""
    return tuple(_mutations(kelpline()[0]))


def _mutations(rulebook: Rulebook) -> Iterator[Mutation]:
    for policy in rulebook.policies.values():
        if policy.mode != "enforced":
            continue
        for number, rule in enumerate(policy.rules):
            name = f"{policy.id}/{rule.id}"
            for how, rules in _changed(policy, number, rule):
                if rules:
                    indexed = tuple(replace(each, index=at) for at, each in enumerate(rules))
                    changed = replace(policy, rules=indexed)
                    yield f"{name} {how}", replace(rulebook, policies={**rulebook.policies, policy.id: changed})


def _changed(policy: Policy, number: int, rule: Rule) -> Iterator[tuple[str, list[Rule]]]:
    rules = list(policy.rules)
    yield "taken out", [each for each in rules if each is not rule]
    for kind in ("allow", "block", "abstain"):
        if rule.effect.kind != kind:
            yield f"says {kind}", [replace(each, effect=Effect(kind)) if each is rule else each for each in rules]
    if rule.when is not None:
        turned = replace(rule, when=Not(rule.when))
        yield "turned round", [turned if each is rule else each for each in rules]
        always = replace(rule, when=None)
        yield "always", [always if each is rule else each for each in rules]
    if number + 1 < len(rules):
        rules[number], rules[number + 1] = rules[number + 1], rules[number]
        yield "after the next", rules


# What the address data say of most addresses.
_ADDRESS = {"network.country": "IS", "network.anonymiser": "none", "network.asn": 64500}


@cache
def decided() -> tuple[tuple[Any, Decision], ...]:
    """Return attempts of two days of the demo's log, and what the rulebook as it is makes of them."""
    rulebook, inventory = kelpline()
    found = []
    for line in sign_ins(build_world(END), END, 2):
        told = {**_ADDRESS, **line["facts"]}
        for settled in ("auth.credentials", "auth.locked_out"):
            told.pop(settled, None)
        try:
            facts = complete(
                read_facts(told, rulebook.catalogue), rulebook.catalogue, rulebook.settings.assume, inventory
            )
        except AttemptRefused:
            continue
        found.append((facts, explain(rulebook, facts).decision))
    return tuple(found)


def assert_found(mutation: Mutation) -> bool:
    """Compare a mutation with the rulebook as it is; tell whether the log says anything else.

    Raises
    ------
    AssertionError
        When the log does, and comparing does not find that kind of change.
    """
    name, after = mutation
    rulebook, inventory = kelpline()
    kinds = {
        (before.outcome, now.outcome)
        for facts, before in decided()
        if differs(before, now := explain(after, facts).decision)
    }
    if kinds:
        found = {change.kind for change in changes(rulebook, after, inventory, lambda: 600.0)}
        assert kinds <= found, (name, kinds - found)
    return bool(kinds)
