"""Apps that are closed by their own lines and that no policy opens."""

from __future__ import annotations

from caddrel.core.diagnostics import Danger
from caddrel.core.lint.context import Context, Findings
from caddrel.core.rulebook.model import Policy

CODE = "closed-app-unopened"
CODES: dict[str, Danger] = {CODE: "nobody-gets-in"}


def check(context: Context) -> Findings:
    """Find apps closed by their own lines that no policy names which lets anybody in: nobody gets in there."""
    letting_in = [
        policy
        for policy in context.policies()
        if "sign-in" in policy.scope.operations
        and any(rule.effect.kind in {"allow", "require"} for rule in policy.rules)
    ]
    for app in context.rulebook.apps.values():
        if app.stance == "closed" and not any(_may_name(policy, app.id) for policy in letting_in):
            message = f"`{app.id}` is closed, and no policy names it: nobody can open it"
            hint = "name it under `apps` of a policy that lets in whoever may; one for every app does not open it"
            yield context.finding(f"apps.{app.id}", CODE, message, hint)


def _may_name(policy: Policy, app: str) -> bool:
    # By its id; what a label or a condition takes in, the inventory tells.
    return any(selector.kind != "app" or selector.id == app for selector in policy.scope.naming)
