"""Findings that were looked at and stand: they are told with the reason, until their day has passed.

Not here: reading what stands (`core/rulebook/read/accepted`).
"""

from __future__ import annotations

from collections.abc import Collection, Iterator
from dataclasses import replace

from caddrel.core.diagnostics import Change, Danger, Diagnostic, did_you_mean
from caddrel.core.lint.context import Context

CODE = "accepts-nothing"
CODES: dict[str, Danger] = {CODE: "tidiness"}


def with_accepted(context: Context, found: Collection[Diagnostic], known: Collection[str]) -> Iterator[Diagnostic]:
    """Yield findings, those that stand as notes with the reason, and what accepts nothing.

    Parameters
    ----------
    known
        Every code that there is.
    """
    idle = {each.index: each for each in context.rulebook.accepted}
    for finding in found:
        why, since = "", ""
        for each in context.rulebook.accepted:
            if each.code == finding.code and _within(finding.path, each.object):
                idle.pop(each.index, None)
                if each.until is None or context.today is None or context.today <= each.until:
                    why = why or each.because
                else:
                    since = f"it stood until {each.until}: look at it again. "
        if why:
            yield replace(finding, severity="note", accepted=why)
        else:
            yield replace(finding, hint=f"{since}{finding.hint}") if since else finding
    for each in idle.values():
        if each.code not in known:
            message, hint = f"there is no finding `{each.code}`", did_you_mean(each.code, known)
        elif context.inventory is None or context.reported is None:
            # Without them not everything is found: it may well stand for something.
            continue
        else:
            message = f"there is no `{each.code}` at `{each.object}` any more"
            hint = "take it out"
        yield context.finding(each.path, CODE, message, hint, "note", Change(each.path))


def _within(path: str, object: str) -> bool:
    return path == object or path.startswith((f"{object}.", f"{object}["))
