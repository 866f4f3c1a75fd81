"""All checks, and what their findings endanger."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from caddrel.core.diagnostics import DANGERS, Danger, Diagnostic, Span
from caddrel.core.lint import (
    accepted,
    clients,
    closed_apps,
    conditions,
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
    schedules,
    unfit_requirements,
    unused,
)
from caddrel.core.lint.context import Context, Findings

_MODULES = (
    keyholders,
    enrolment,
    no_effect,
    closed_apps,
    conditions,
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
    schedules,
    unused,
)
CHECKS: dict[str, Callable[[Context], Findings]] = {code: module.check for module in _MODULES for code in module.CODES}
DANGER_OF: dict[str, Danger] = {
    code: danger for module in (*_MODULES, accepted) for code, danger in module.CODES.items()
}


def lint(context: Context) -> list[Diagnostic]:
    """Return everything that is doubtful about a rulebook: by what it endangers, the worst first, then by place."""
    nowhere = Span("", 0, 0, 0, 0)
    found = [finding for check in dict.fromkeys(CHECKS.values()) for finding in check(context)]
    found = [
        replace(finding, danger=DANGER_OF[finding.code])
        for finding in accepted.with_accepted(context, found, DANGER_OF)
    ]

    def place(finding: Diagnostic) -> tuple[bool, int, str, int, int]:
        span = finding.span or nowhere
        worst = DANGERS.index(finding.danger) if finding.danger is not None else len(DANGERS)
        return bool(finding.accepted), worst, span.file, span.line, span.column

    return sorted(found, key=place)
