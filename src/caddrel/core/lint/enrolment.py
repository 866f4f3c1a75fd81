"""Dead ends of enrolment: what nobody can meet before enrolling, and policies that shut the way to it."""

from __future__ import annotations

from caddrel.core.diagnostics import Danger
from caddrel.core.language.nodes import items_of
from caddrel.core.lint.context import Context, Findings, every, rule_path

NEEDS_ENROLLED = "enrolment-needs-enrolled"
EVERYTHING = "everything-and-enrolment"
BLOCKED_FIX = "blocked-from-its-fix"
CODES: dict[str, Danger] = {
    NEEDS_ENROLLED: "nobody-gets-in",
    EVERYTHING: "nobody-gets-in",
    BLOCKED_FIX: "nobody-gets-in",
}
_ENROLLED_ONLY = {"device passes", "managed device", "company device"}


def check(context: Context) -> Findings:
    """Find requirements on enrolling that only something enrolled can meet, and enrolments that are shut."""
    for policy in context.policies():
        enrols = [o for o in policy.scope.operations if o.startswith("enrol-")]
        if "enrol-device" in enrols:
            for rule in policy.rules:
                formula = rule.effect.formula
                asked = {item.kind for item in items_of(formula)} & _ENROLLED_ONLY if formula else set()
                if asked:
                    yield context.finding(
                        rule_path(policy, rule),
                        NEEDS_ENROLLED,
                        f"enrolling a device requires `{min(asked)}`, which only a device already enrolled can meet",
                        "require a proof instead, such as a starter code",
                    )
        acts = any(rule.effect.kind in {"block", "require"} for rule in policy.rules)
        if enrols and "sign-in" in policy.scope.operations and every(policy.scope.apps) and acts:
            yield context.finding(
                f"policies.{policy.id}",
                EVERYTHING,
                f"`{policy.id}` covers signing in to every app and enrolling as well: nobody may ever become compliant",
                "give enrolment a policy of its own",
            )
    yield from _shut(context)


def _shut(context: Context) -> Findings:
    shutting = [
        policy
        for policy in context.policies()
        if policy.mode == "enforced"
        and "enrol-device" in policy.scope.operations
        and policy.rules
        and policy.rules[0].when is None
        and policy.rules[0].effect.kind == "block"
    ]
    for policy in context.policies():
        for rule in policy.rules:
            if rule.effect.kind != "block" or "enrol" not in f"{rule.tell} {rule.link}".lower():
                continue
            for other in shutting:
                same = {s.text for s in policy.scope.people} & {s.text for s in other.scope.people}
                if every(other.scope.people) or same:
                    yield context.finding(
                        rule_path(policy, rule),
                        BLOCKED_FIX,
                        f"blocked people are told to enrol, but `{other.id}` refuses their enrolment",
                        f"open the way in `{other.id}`, or tell them something else",
                    )
