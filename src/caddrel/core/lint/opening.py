"""Policies for many apps that open a closed one: what asks something of everybody lets in whoever can do it."""

from __future__ import annotations

from caddrel.core.lint.finding import Context, Findings, every
from caddrel.core.rulebook.model import Policy

CODE = "closed-app-opened"


def check(context: Context) -> Findings:
    """Find enforced policies that let people into a closed app without naming it, where nothing keeps others out."""
    rulebook = context.rulebook
    enforced = [p for p in rulebook.policies.values() if p.mode == "enforced" and "sign-in" in p.scope.operations]
    closed = [app.id for app in rulebook.apps.values() if app.stance == "closed"]
    meant = [app for app in closed if any(_names(p, app) for p in enforced)]
    settled = {app for app in meant if any(_names(p, app) and _settles(p) for p in enforced)}
    for policy in enforced:
        lets_in = any(rule.effect.kind in {"allow", "require"} for rule in policy.rules)
        if not lets_in or not every(policy.scope.apps):
            continue
        left_out = {selector.id for selector in policy.scope.except_apps if selector.kind == "app"}
        opened = [app for app in meant if app not in settled | left_out]
        if opened:
            titles = ", ".join(rulebook.apps[app].title or app for app in opened)
            yield context.finding(
                f"policies.{policy.id}",
                CODE,
                f"`{policy.id}` lets whoever meets it into {titles}, though it is closed: a requirement lets in too",
                f"add a policy for {', '.join(opened)} that blocks everyone except those who may in",
            )


def _names(policy: Policy, app: str) -> bool:
    return any(selector.kind == "app" and selector.id == app for selector in policy.scope.apps)


def _settles(policy: Policy) -> bool:
    """Tell whether a policy for an app keeps everybody else out, or lets everybody in on purpose."""
    if not every(policy.scope.people) or not policy.rules:
        return False
    last = policy.rules[-1]
    open_to_all = last.effect.kind == "allow" and len(policy.rules) == 1
    return last.when is None and (last.effect.kind == "block" or open_to_all)
