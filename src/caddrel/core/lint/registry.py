"""All checks, in the order in which their findings are told."""

from __future__ import annotations

from collections.abc import Callable

from caddrel.core.diagnostics import Diagnostic, Span
from caddrel.core.lint import (
    clients,
    closed_apps,
    duplicates,
    enrolment,
    feeds,
    fixes,
    inventory_names,
    keyholders,
    missing_words,
    network_exemptions,
    networks,
    no_effect,
    passwords,
    people,
    rehearsals,
    unfit_requirements,
    unused,
)
from caddrel.core.lint.context import Context, Findings

CHECKS: dict[str, Callable[[Context], Findings]] = {
    code: module.check
    for module in (
        keyholders,
        enrolment,
        no_effect,
        closed_apps,
        duplicates,
        people,
        networks,
        network_exemptions,
        clients,
        unfit_requirements,
        passwords,
        feeds,
        fixes,
        inventory_names,
        rehearsals,
        missing_words,
        unused,
    )
    for code in (getattr(module, "CODES", None) or (module.CODE,))
}


def lint(context: Context) -> list[Diagnostic]:
    """Return everything that is doubtful about a rulebook, in order of place."""
    nowhere = Span("", 0, 0, 0, 0)
    found = [finding for check in dict.fromkeys(CHECKS.values()) for finding in check(context)]

    def place(finding: Diagnostic) -> tuple[str, int, int]:
        span = finding.span or nowhere
        return span.file, span.line, span.column

    return sorted(found, key=place)
