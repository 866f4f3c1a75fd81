"""Parts that nothing names, and schedules without hours."""

from __future__ import annotations

from caddrel.core.diagnostics import Change
from caddrel.core.lint.context import Context, Findings
from caddrel.core.rulebook.references import Ref, where_used

UNUSED, NO_HOURS = "unused-part", "schedule-without-hours"
CODES = (UNUSED, NO_HOURS)
_SECTIONS = {
    "place": "places",
    "standard": "standards",
    "schedule": "schedules",
    "proof": "proofs",
    "notice": "notices",
    "signal": "signals",
}


def check(context: Context) -> Findings:
    """Find parts that no policy, part or guarantee names, and schedules that are never open."""
    used = where_used(context.rulebook)
    for kind, section in _SECTIONS.items():
        for name in getattr(context.rulebook, section):
            if Ref(kind, name) not in used:
                message = f"nothing uses the {kind} `{name}`"
                yield context.finding(
                    f"{section}.{name}", UNUSED, message, "use it, or take it out", "note", Change(f"{section}.{name}")
                )
    for schedule in context.rulebook.schedules.values():
        if not any(schedule.week) and not any(schedule.open.values()):
            message = f"`{schedule.id}` has no hours: nothing is ever during it"
            yield context.finding(f"schedules.{schedule.id}", NO_HOURS, message, "give it `hours`")
