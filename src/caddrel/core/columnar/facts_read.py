"""Which facts a rulebook reads: what it never reads makes no two attempts differ.

It is a bound from above: tests are looked for everywhere that a decision may ask, also where none will. What completing
and combining read without a test is read always.
"""

from __future__ import annotations

from collections.abc import Iterator

from caddrel.core.language.nodes import Condition, FactTest, FromPlace, tests_of
from caddrel.core.rulebook.model import Rulebook

# Read without a test: app and operation for the stance, what comes before policies, the rest for what is required.
COMBINING = (
    "app.id", "operation", "person.factors", "auth.methods", "auth.notices", "auth.credentials", "auth.locked_out",
    "device.managed", "device.owner", "client.vetted", "client.protected",
)  # fmt: skip
# Completing reads whether a device is listed.
_ALWAYS = (*COMBINING, "device.listed", "signals", "time.at")
_OF_PLACES = ("network.ip", "network.country", "network.anonymiser", "network.asn")


def facts_read(rulebook: Rulebook) -> frozenset[str]:
    """Return the facts that decisions under a rulebook may read."""
    found = set(_ALWAYS)
    for condition in _conditions(rulebook):
        for test in tests_of(condition):
            if isinstance(test, FactTest):
                found.add(test.fact)
            elif isinstance(test, FromPlace):
                found.update(_OF_PLACES)
    return frozenset(found)


def _conditions(rulebook: Rulebook) -> Iterator[Condition]:
    for policy in rulebook.policies.values():
        scope = policy.scope
        for selector in (*scope.people, *scope.except_people, *scope.apps, *scope.except_apps):
            yield selector.condition
        yield from (rule.when for rule in policy.rules if rule.when is not None)
    for standard in rulebook.standards.values():
        yield from (check.must for check in standard.checks)
