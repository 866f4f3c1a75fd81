"""Facts that nobody ever reports, and assumptions that hide when a feed has died."""

from __future__ import annotations

from collections import defaultdict

from caddrel.core.diagnostics import Change, Danger
from caddrel.core.facts.values import show
from caddrel.core.language.operators import Op
from caddrel.core.lint.context import Context, Findings, fact_tests, policy_tests

NOTHING_REPORTS, HIDES = "nothing-reports", "assumption-hides-feed"
CODES: dict[str, Danger] = {NOTHING_REPORTS: "nobody-gets-in", HIDES: "somebody-gets-in"}
# Completed by Caddrel itself, whatever is reported.
_ALWAYS = {"operation", "flow", "signals", "auth.age", "device.listed", "device.state_age", "device.listed_for"}
_FEEDS = ("risk.attempt", "person.risk", "network.anonymiser", "device.tampered", "device.encrypted", "device.managed")


def check(context: Context) -> Findings:
    """Find tests of facts that no report has ever carried, and assumed facts whose silence changes decisions."""
    users: dict[str, list[str]] = defaultdict(list)
    for policy in context.policies():
        for test in fact_tests(policy_tests(policy)):
            if test.op not in {Op.KNOWN, Op.UNKNOWN} and policy.id not in users[test.fact]:
                users[test.fact].append(policy.id)
    assumed = context.rulebook.settings.assume
    for fact, policies in users.items():
        if (
            context.reported is not None
            and fact not in context.reported
            and fact not in assumed
            and fact not in _ALWAYS
        ):
            yield context.finding(
                f"policies.{policies[0]}",
                NOTHING_REPORTS,
                f"`{fact}` has never been reported: what `{policies[0]}` says of it is never certain",
                "connect the feed that knows it, or assume a value under `settings`",
            )
        if fact in assumed and fact in _FEEDS:
            value = show(assumed[fact], context.rulebook.catalogue[fact])
            named = ", ".join(f"`{policy}`" for policy in policies[:3])
            yield context.finding(
                "settings",
                HIDES,
                f"if the feed of `{fact}` dies, {named} will go on as if it were {value}",
                "watch the feed, or leave the assumption out",
                "note",
                Change(f"settings.assume.{fact}"),
            )
