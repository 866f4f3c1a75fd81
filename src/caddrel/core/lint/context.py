"""What a check is given, and what it finds."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import date

from caddrel.core.diagnostics import Change, Diagnostic, Severity
from caddrel.core.inventory.index import Inventory
from caddrel.core.language.nodes import Condition, FactTest, Test, tests_of
from caddrel.core.rulebook.model import Policy, Rule, Rulebook, Selector


@dataclass(frozen=True, slots=True)
class Context:
    """What checks look at.

    Attributes
    ----------
    inventory
        None where none is at hand; checks that need it then find nothing.
    reported
        The facts that the log and the inventory have ever carried; none before the first record, None where nobody
        knows.
    today
        The day on which it is looked at; None where what was accepted for a time stands all the same.
    """

    rulebook: Rulebook
    inventory: Inventory | None = None
    reported: frozenset[str] | None = None
    today: date | None = None

    def policies(self) -> Iterator[Policy]:
        """Yield the policies that are not off."""
        yield from (policy for policy in self.rulebook.policies.values() if policy.mode != "off")

    def finding(
        self,
        path: str,
        code: str,
        message: str,
        hint: str = "",
        severity: Severity = "warning",
        change: Change | None = None,
        place: str = "",
    ) -> Diagnostic:
        """Return a finding on an object; its place is that of the nearest object with a known place.

        Parameters
        ----------
        place
            Under what the place is kept, where it is within the object.
        """
        spans, at = self.rulebook.spans, place or path
        while at and at not in spans:
            at = at.rpartition(".")[0] if not at.endswith("]") else at.rpartition("[")[0]
        return Diagnostic(code, message, hint, span=spans.get(at), path=path, severity=severity, change=change)


Findings = Iterable[Diagnostic]


def rule_path(policy: Policy, rule: Rule) -> str:
    """Return the path of a rule."""
    return f"policies.{policy.id}.rules[{rule.index}]"


def policy_tests(policy: Policy) -> Iterator[Test]:
    """Yield every test of a policy: of its rules and of its selectors."""
    scope = policy.scope
    for selector in (*scope.people, *scope.except_people, *scope.apps, *scope.except_apps):
        yield from tests_of(selector.condition)
    for rule in policy.rules:
        yield from rule_tests(rule)


def rule_tests(rule: Rule) -> Iterator[Test]:
    """Yield every test of a rule's condition."""
    if rule.when is not None:
        yield from tests_of(rule.when)


def fact_tests(tests: Iterable[Test]) -> Iterator[FactTest]:
    """Yield those tests that are of a fact."""
    yield from (test for test in tests if isinstance(test, FactTest))


def every(selectors: tuple[Selector, ...]) -> bool:
    """Tell whether selectors take in everybody, or every app."""
    return any(selector.kind in {"everyone", "every-app"} for selector in selectors)


def all_conditions(rulebook: Rulebook) -> Iterator[Condition]:
    """Yield every condition of rules and standards."""
    for policy in rulebook.policies.values():
        yield from (rule.when for rule in policy.rules if rule.when is not None)
    for standard in rulebook.standards.values():
        yield from (check.must for check in standard.checks)
