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
# What only a feed, or a door that looks, ever tells: where nobody reports them, rules that ask are never sure.
_SELDOM = ("risk.attempt", "person.risk", "client.kind", "network.anonymiser", "device.tampered")
_FEEDS = ("risk.attempt", "person.risk", "network.anonymiser", "device.tampered", "device.encrypted", "device.managed")


# What holds of nearly every sign-in.
_USUAL = {
    "risk.attempt": "none",
    "person.risk": "none",
    "client.kind": "browser",
    "network.anonymiser": "none",
    "device.tampered": "no",
}


def check(context: Context) -> Findings:
    """Find tests of facts that no report has ever carried, and assumed facts whose silence changes decisions."""
    asking: dict[str, dict[str, None]] = defaultdict(dict)
    for policy in context.policies():
        for test in fact_tests(policy_tests(policy)):
            if test.op not in {Op.KNOWN, Op.UNKNOWN}:
                asking[test.fact][policy.id] = None
    assumed = context.rulebook.settings.assume
    for fact, policies in ((fact, list(ids)) for fact, ids in asking.items()):
        # Before the first record nobody knows what will be reported: only of what seldom is there is something to say.
        silent = fact not in context.reported if context.reported else fact in _SELDOM
        if context.reported is not None and silent and fact not in assumed and fact not in _ALWAYS:
            yield context.finding(
                f"policies.{policies[0]}",
                NOTHING_REPORTS,
                f"`{fact}` has never been reported: without it `{policies[0]}` takes the stricter of what may be",
                f"connect the feed that knows it, or say under `settings.assume` what holds until then: "
                f"`{fact}: {_USUAL.get(fact, '…')}`",
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
