"""Policies that only ever allow where nothing is closed: they change nothing."""

from __future__ import annotations

from caddrel.core.diagnostics import Danger
from caddrel.core.lint.context import Context, Findings
from caddrel.core.rulebook.model import Policy

CODE = "no-effect"
CODES: dict[str, Danger] = {CODE: "somebody-gets-in"}


def check(context: Context) -> Findings:
    """Find policies whose every effect is allow or abstain, at apps that are all open."""
    for policy in context.policies():
        kinds = {rule.effect.kind for rule in policy.rules}
        limits = any(rule.keep is not None for rule in policy.rules)
        if policy.rules and kinds <= {"allow", "abstain"} and not limits and not _closed(context, policy):
            yield context.finding(
                f"policies.{policy.id}",
                CODE,
                f"`{policy.id}` changes nothing: it only allows, and its apps are open anyway",
                "close the app under `apps`, or say what the policy requires",
            )


def _closed(context: Context, policy: Policy) -> bool:
    """Tell whether any app that the policy may be about could be closed."""
    rulebook = context.rulebook
    if "sign-in" not in policy.scope.operations:
        return False
    if rulebook.settings.stance == "closed":
        return True
    closed = {app.id for app in rulebook.apps.values() if app.stance == "closed"}
    by_name = {selector.id for selector in policy.scope.apps if selector.kind == "app"}
    # One for every app does not open what is closed by its own line; what a label takes in, the inventory tells.
    return bool(closed) and (bool(closed & by_name) or len(by_name) < len(policy.scope.naming))
