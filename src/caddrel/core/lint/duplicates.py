"""Policies that say the same twice, and rules that can never be reached."""

from __future__ import annotations

from caddrel.core.diagnostics import Change, Danger
from caddrel.core.lint.context import Context, Findings, rule_path
from caddrel.core.rulebook.model import Policy

SAME, NEVER = "same-policies", "rule-never-reached"
CODES: dict[str, Danger] = {SAME: "tidiness", NEVER: "somebody-gets-in"}


def check(context: Context) -> Findings:
    """Find policies with the same scope and rules, and rules behind one that always holds."""
    seen: dict[object, Policy] = {}
    for policy in context.policies():
        other = seen.setdefault(_meaning(policy), policy)
        if other is not policy:
            message = f"`{policy.id}` says the same as `{other.id}`"
            path = f"policies.{policy.id}"
            yield context.finding(path, SAME, message, "keep one of the two", change=Change(path))
        always = next((rule for rule in policy.rules if rule.when is None), None)
        for rule in policy.rules[always.index + 1 :] if always is not None else ():
            message = f"rule {rule.id} of `{policy.id}` is never reached: {always.id if always else ''} always holds"
            path = rule_path(policy, rule)
            yield context.finding(path, NEVER, message, "move it up, or take it out", change=Change(path))


def _meaning(policy: Policy) -> object:
    """Return what a policy comes to: not how it is written, nor where."""
    scope = policy.scope
    chosen = (scope.people, scope.except_people, scope.apps, scope.except_apps)
    # That a selector names an app counts beside its condition: an app that is closed opens only so.
    selected = tuple(frozenset((each.kind, each.condition) for each in selectors) for selectors in chosen)
    rules = tuple((rule.when, rule.effect, rule.keep) for rule in policy.rules)
    return selected, frozenset(scope.operations), scope.active, rules
