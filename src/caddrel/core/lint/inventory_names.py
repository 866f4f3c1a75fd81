"""Names of people, groups, apps, labels and address lists that the inventory does not know."""

from __future__ import annotations

from collections.abc import Iterator

from caddrel.core.diagnostics import Danger, did_you_mean
from caddrel.core.language.nodes import Condition, FactTest, tests_of
from caddrel.core.lint.context import Context, Findings, rule_path
from caddrel.core.rulebook.model import Selector
from caddrel.core.rulebook.read.fields import NAMED, operand_path

CODE = "unknown-in-inventory"
CODES: dict[str, Danger] = {CODE: "somebody-gets-in"}


def check(context: Context) -> Findings:
    """Find references that lead nowhere; nothing without an inventory."""
    inventory = context.inventory
    if inventory is None:
        return
    known = inventory.names()
    for path, kind, name in _references(context):
        if known[kind] and name not in known[kind]:
            hint = did_you_mean(name, known[kind], "take it in, or correct the name")
            yield context.finding(path, CODE, f"the inventory knows no {kind} `{name}`", hint)
    for path, condition in _conditions(context):
        for test in tests_of(condition):
            kind = NAMED.get(test.fact, "") if isinstance(test, FactTest) else ""
            if not isinstance(test, FactTest) or not known.get(kind):
                continue
            for operand in test.operands:
                if operand.text not in known[kind]:
                    hint = did_you_mean(operand.text, known[kind], "take it in, or correct the name")
                    message = f"the inventory knows no {kind} `{operand.text}`"
                    yield context.finding(path, CODE, message, hint, place=operand_path(path, operand))


def _references(context: Context) -> Iterator[tuple[str, str, str]]:
    rulebook = context.rulebook

    def of(path: str, selectors: tuple[Selector, ...]) -> Iterator[tuple[str, str, str]]:
        for selector in selectors:
            if selector.kind in {"group", "role", "person", "app", "label"}:
                yield path, selector.kind, selector.id

    yield from of("settings", rulebook.settings.keyholders)
    yield from ((f"apps.{name}", "app", name) for name in rulebook.apps)
    for place in rulebook.places.values():
        for name in (*place.parts.lists, *place.without.lists):
            yield f"places.{place.id}", "address list", name
    for policy in context.policies():
        scope = policy.scope
        yield from of(f"policies.{policy.id}", (*scope.people, *scope.except_people, *scope.apps, *scope.except_apps))


def _conditions(context: Context) -> Iterator[tuple[str, Condition]]:
    for policy in context.policies():
        for rule in policy.rules:
            if rule.when is not None:
                yield f"{rule_path(policy, rule)}.when", rule.when
    for standard in context.rulebook.standards.values():
        for each in standard.checks:
            yield f"standards.{standard.id}.checks.{each.id}.must", each.must
