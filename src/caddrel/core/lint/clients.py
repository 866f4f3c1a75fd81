"""Conditions on browsers alone, which leave other programs a way around."""

from __future__ import annotations

from caddrel.core.diagnostics import Danger
from caddrel.core.language.nodes import And, Condition, FactTest
from caddrel.core.language.operators import Op
from caddrel.core.lint.context import Context, Findings, fact_tests, policy_tests, rule_path

CODE = "browser-only"
CODES: dict[str, Danger] = {CODE: "somebody-gets-in"}


def check(context: Context) -> Findings:
    """Find rules that stop or ask only browsers, in policies that never speak of other clients."""
    for policy in context.policies():
        tests = [t for t in fact_tests(policy_tests(policy)) if t.fact == "client.kind"]
        others = any(operand.text != "browser" for test in tests for operand in test.operands)
        for rule in policy.rules:
            if rule.effect.kind in {"block", "require"} and not others and _only_browsers(rule.when):
                yield context.finding(
                    rule_path(policy, rule),
                    CODE,
                    f"rule {rule.id} of `{policy.id}` is about browsers only: native and legacy clients go around it",
                    "leave `client.kind` out, or add a rule for the others",
                )


def _only_browsers(condition: Condition | None) -> bool:
    match condition:
        case FactTest(fact="client.kind", op=Op.IS | Op.ONE_OF, operands=operands):
            return all(operand.text == "browser" for operand in operands)
        case And(parts=parts):
            return any(_only_browsers(part) for part in parts)
        case _:
            return False
