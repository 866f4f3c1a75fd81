"""Requirements that make no sense for the operation they are asked of."""

from __future__ import annotations

from caddrel.core.diagnostics import Danger
from caddrel.core.language.nodes import items_of
from caddrel.core.language.printer import print_item
from caddrel.core.lint.context import Context, Findings, rule_path

CODE = "requirement-does-not-fit"
CODES: dict[str, Danger] = {CODE: "nobody-gets-in"}
_NOT_FOR = {
    "register-account": ("mfa", "proof", "device passes", "managed device", "new password"),
    "change-password": ("new password",),
}


def check(context: Context) -> Findings:
    """Find requirements that nobody can sensibly meet during an operation."""
    for policy in context.policies():
        for operation in policy.scope.operations:
            for rule in policy.rules:
                formula = rule.effect.formula
                for item in items_of(formula) if formula is not None else ():
                    if item.kind in _NOT_FOR.get(operation, ()):
                        yield context.finding(
                            rule_path(policy, rule),
                            CODE,
                            f"`{print_item(item)}` makes no sense for `{operation}`",
                            "ask for something that a person can do at that moment",
                        )
