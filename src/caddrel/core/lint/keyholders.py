"""Keyholders: whether there are any, and whether a block could shut them out too."""

from __future__ import annotations

from caddrel.core.diagnostics import Change, Danger
from caddrel.core.lint.context import Context, Findings, every, rule_path

NONE, BLOCKED = "no-keyholders", "keyholder-blocked"
CODES: dict[str, Danger] = {NONE: "nobody-gets-in", BLOCKED: "nobody-gets-in"}


def check(context: Context) -> Findings:
    """Find rulebooks without keyholders, and enforced blocks that do not except them."""
    keyholders = context.rulebook.settings.keyholders
    texts = {selector.text for selector in keyholders}
    if not keyholders:
        message = "the rulebook names no keyholders: a mistake may lock everybody out"
        yield context.finding("settings", NONE, message, "name a group of two under `settings.keyholders`")
        return
    if context.inventory is not None and not _anybody(context):
        message = "nobody in the inventory is a keyholder"
        yield context.finding("settings", NONE, message, "put two people into the group")
    for policy in context.policies():
        if policy.mode != "enforced" or "sign-in" not in policy.scope.operations:
            continue
        covered = every(policy.scope.people) or bool({s.text for s in policy.scope.people} & texts)
        excepted = texts <= {s.text for s in policy.scope.except_people}
        for rule in policy.rules:
            if covered and not excepted and rule.effect.kind == "block" and rule.when is None:
                message = f"rule {rule.id} of `{policy.id}` blocks keyholders too"
                hint = f"add `except_people: [{', '.join(sorted(texts))}]`"
                everybody = [*(s.text for s in policy.scope.except_people), *sorted(texts)]
                change = Change(f"policies.{policy.id}.except_people", f"[{', '.join(dict.fromkeys(everybody))}]")
                yield context.finding(rule_path(policy, rule), BLOCKED, message, hint, change=change)


def _anybody(context: Context) -> bool:
    inventory = context.inventory
    if inventory is None:
        return True
    for selector in context.rulebook.settings.keyholders:
        for person in inventory.people.values():
            groups = person.facts.get("person.groups", frozenset())
            named = selector.kind == "person" and person.id == selector.id
            grouped = (
                selector.kind == "group" and isinstance(groups, frozenset) and selector.id in inventory.closure(groups)
            )
            if named or grouped or selector.kind not in {"person", "group"}:
                return True
    return False
