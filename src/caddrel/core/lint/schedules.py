"""Schedules that are never open, and windows of a whole day that look like none."""

from __future__ import annotations

from caddrel.core.diagnostics import Danger
from caddrel.core.lint.context import Context, Findings

NO_HOURS, WHOLE_DAY = "schedule-without-hours", "window-of-a-whole-day"
CODES: dict[str, Danger] = {NO_HOURS: "nobody-gets-in", WHOLE_DAY: "somebody-gets-in"}


def check(context: Context) -> Findings:
    """Find schedules without hours, and windows that end when they start."""
    for schedule in context.rulebook.schedules.values():
        path = f"schedules.{schedule.id}"
        if not any(schedule.week) and not any(schedule.open.values()):
            message = f"`{schedule.id}` has no hours: nothing is ever during it"
            yield context.finding(path, NO_HOURS, message, "give it `hours`")
        windows = [each for day in (*schedule.week, *schedule.open.values()) for each in day]
        for window in dict.fromkeys(each for each in windows if each.start == each.end):
            message = f"`{window}` of `{schedule.id}` is a whole day: it ends a day after it starts"
            yield context.finding(path, WHOLE_DAY, message, "for a whole day write 00:00-24:00; for none leave it out")
