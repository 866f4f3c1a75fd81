"""A new password asked for without proving who sets it."""

from __future__ import annotations

from caddrel.core.diagnostics import Change, Danger
from caddrel.core.language.nodes import AllOf, AnyOf, Formula, Item
from caddrel.core.language.printer import print_formula
from caddrel.core.lint.context import Context, Findings, rule_path

CODE = "password-without-proof"
CODES: dict[str, Danger] = {CODE: "somebody-gets-in"}


def check(context: Context) -> Findings:
    """Find formulas that `new password` can meet without MFA or a proof beside it."""
    for policy in context.policies():
        for rule in policy.rules:
            if rule.effect.formula is not None and _unproven(rule.effect.formula, proven=False):
                path = rule_path(policy, rule)
                safe = AllOf((rule.effect.formula, Item("mfa")))
                yield context.finding(
                    path,
                    CODE,
                    "a new password may be set by whoever has the old one, the thief included",
                    "write `require new password and mfa`, or a proof",
                    change=Change(f"{path}.then", f"require {print_formula(safe)}"),
                )


def _unproven(formula: Formula, proven: bool) -> bool:
    match formula:
        case Item(kind=kind):
            return kind == "new password" and not proven
        case AllOf(parts=parts):
            beside = proven or any(isinstance(p, Item) and p.kind in {"mfa", "proof"} for p in parts)
            return any(_unproven(part, beside) for part in parts)
        case AnyOf(parts=parts):
            return any(_unproven(part, proven) for part in parts)
