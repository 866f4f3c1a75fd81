"""All checks, in the order in which their findings are told."""

from __future__ import annotations

from collections.abc import Callable

from caddrel.core.diagnostics import Diagnostic, Span
from caddrel.core.lint import (
    clients,
    closed_apps,
    enrolment,
    feeds,
    inventory_names,
    keyholders,
    networks,
    no_effect,
    passwords,
    people,
    rehearsals,
    unused,
)
from caddrel.core.lint import duplicates as repeating
from caddrel.core.lint import missing_words as wording
from caddrel.core.lint import network_exemptions as exempting
from caddrel.core.lint import unfit_requirements as fitting
from caddrel.core.lint.context import Context, Findings

CHECKS: dict[str, Callable[[Context], Findings]] = {
    code: module.check
    for module in (
        keyholders,
        enrolment,
        no_effect,
        closed_apps,
        repeating,
        people,
        networks,
        exempting,
        clients,
        fitting,
        passwords,
        feeds,
        inventory_names,
        rehearsals,
        wording,
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
