"""A rule that lets a whole network past everything the policy asks."""

from __future__ import annotations

from caddrel.core.diagnostics import Danger
from caddrel.core.language.nodes import FromPlace
from caddrel.core.lint.context import Context, Findings, every, rule_path

CODE = "network-exempts-all"
CODES: dict[str, Danger] = {CODE: "somebody-gets-in"}


def check(context: Context) -> Findings:
    """Find policies for everybody and every app whose first rule lets a place off."""
    for policy in context.policies():
        if not (every(policy.scope.people) and every(policy.scope.apps)) or len(policy.rules) < 2:
            continue
        first = policy.rules[0]
        acts = any(rule.effect.kind in {"block", "require"} for rule in policy.rules[1:])
        if isinstance(first.when, FromPlace) and first.effect.kind in {"allow", "abstain"} and acts:
            places = ", ".join(p.text for p in first.when.places)
            yield context.finding(
                rule_path(policy, first),
                CODE,
                f"whoever gets into {places} is past everything that `{policy.id}` asks",
                "ask for less there instead of nothing, or add what else must hold",
            )
