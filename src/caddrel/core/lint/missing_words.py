"""Policies that nobody can explain: no words for blocked people, no why, no owner."""

from __future__ import annotations

from caddrel.core.diagnostics import Danger
from caddrel.core.lint.context import Context, Findings, rule_path

NO_WORDS, NO_WHY, NO_OWNER = "block-without-words", "policy-without-why", "policy-without-owner"
CODES: dict[str, Danger] = {
    NO_WORDS: "nobody-can-explain",
    NO_WHY: "nobody-can-explain",
    NO_OWNER: "nobody-can-explain",
}


def check(context: Context) -> Findings:
    """Find blocks without `tell`, and policies without `why` or `owner`."""
    for policy in context.policies():
        path = f"policies.{policy.id}"
        for rule in policy.rules:
            if rule.effect.kind == "block" and not rule.tell:
                message = f"rule {rule.id} of `{policy.id}` blocks without a word to the person"
                yield context.finding(rule_path(policy, rule), NO_WORDS, message, "say under `tell` what they can do")
        if not policy.why:
            message = f"`{policy.id}` does not say why it is there"
            yield context.finding(path, NO_WHY, message, "add `why`: one sentence for whoever wonders in a year")
        if not policy.owner:
            yield context.finding(path, NO_OWNER, f"`{policy.id}` has no owner", "add `owner`: whom to ask about it")
