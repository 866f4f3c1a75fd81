"""Conditions that can only be true, or only be false: what was meant is something else."""

from __future__ import annotations

from collections.abc import Iterator

from caddrel.core.cases.constant import constant
from caddrel.core.diagnostics import Danger
from caddrel.core.language.nodes import And, Condition, Not, Or, Surely
from caddrel.core.language.printer import print_condition
from caddrel.core.lint.context import Context, Findings, rule_path
from caddrel.core.rulebook.model import ALWAYS

TRUE, FALSE = "condition-always-true", "condition-never-true"
CODES: dict[str, Danger] = {TRUE: "somebody-gets-in", FALSE: "somebody-gets-in"}


def check(context: Context) -> Findings:
    """Find conditions, and parts of them, that hold always or never once every fact is known."""
    for path, condition in _conditions(context):
        for part, holds in _constant_parts(context, condition):
            said = print_condition(part)
            said = said if len(said) <= 90 else f"{said[:89]}…"
            if holds:
                message, hint = f"`{said}` holds whatever is the case", "`and` instead of `or`, or take it out"
            else:
                message, hint = f"nothing can make `{said}` true", "`or` instead of `and`, or take it out"
            yield context.finding(path, TRUE if holds else FALSE, message, hint)


def _conditions(context: Context) -> Iterator[tuple[str, Condition]]:
    rulebook = context.rulebook
    for policy in context.policies():
        scope, path = policy.scope, f"policies.{policy.id}"
        for key in ("people", "except_people", "apps", "except_apps"):
            for selector in getattr(scope, key):
                yield f"{path}.{key}", selector.condition
        for rule in policy.rules:
            if rule.when is not None:
                yield f"{rule_path(policy, rule)}.when", rule.when
    for standard in rulebook.standards.values():
        for each in standard.checks:
            yield f"standards.{standard.id}.checks.{each.id}.must", each.must
    for guarantee in rulebook.guarantees.values():
        if guarantee.when is not None:
            yield f"guarantees.{guarantee.id}.when", guarantee.when


def _constant_parts(context: Context, condition: Condition) -> Iterator[tuple[Condition, bool]]:
    """Yield the largest parts of a condition that hold always or never."""
    if condition == ALWAYS:
        # What stands for everyone, and for every app.
        return
    match condition:
        case And(parts=parts) | Or(parts=parts):
            holds = constant(context.rulebook, condition)
            if holds is not None:
                yield condition, holds
                return
            for part in parts:
                yield from _constant_parts(context, part)
        case Not(part=part) | Surely(part=part):
            yield from _constant_parts(context, part)
        case _:
            return
