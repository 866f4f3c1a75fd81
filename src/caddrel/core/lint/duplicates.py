"""Policies that say the same twice, and rules that can never be reached."""

from __future__ import annotations

from caddrel.core.diagnostics import Change
from caddrel.core.lint.context import Context, Findings, rule_path
from caddrel.core.rulebook.model import Policy

SAME, NEVER = "same-policies", "rule-never-reached"
CODES = (SAME, NEVER)


def check(context: Context) -> Findings:
    """Find policies with the same scope and rules, and rules behind one that always holds."""
    seen: dict[object, Policy] = {}
    for policy in context.policies():
        key = (policy.scope, tuple((rule.when, rule.effect, rule.keep) for rule in policy.rules))
        other = seen.setdefault(repr(key), policy)
        if other is not policy:
            message = f"`{policy.id}` says the same as `{other.id}`"
            path = f"policies.{policy.id}"
            yield context.finding(path, SAME, message, "keep one of the two", change=Change(path))
        always = next((rule for rule in policy.rules if rule.when is None), None)
        for rule in policy.rules[always.index + 1 :] if always is not None else ():
            message = f"rule {rule.id} of `{policy.id}` is never reached: {always.id if always else ''} always holds"
            path = rule_path(policy, rule)
            yield context.finding(path, NEVER, message, "move it up, or take it out", change=Change(path))
