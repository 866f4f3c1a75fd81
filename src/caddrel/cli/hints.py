"""Hints of the service in the words of the command line: a command instead of an address, an option of a parameter.

Not here: what went wrong (`cli.failures`).
"""

from __future__ import annotations

import re

_NOUNS = "people|groups|devices|apps|lists"
_OWN: tuple[tuple[re.Pattern[str], str], ...] = (
    (re.compile(rf"GET /api/v1/({_NOUNS})\?search=…"), r"caddrel \1 list --search …"),
    (re.compile(r"GET /api/v1/mappings"), "caddrel signins mapping list"),
    (re.compile(r"GET /api/v1/rulebook/view"), "caddrel rulebook show"),
    (re.compile(r"DELETE /api/v1/jobs"), "caddrel jobs cancel"),
    (re.compile(r"\bdry_run=yes"), "--dry-run"),
    (re.compile(r"\baccept_removals=(\d+)"), r"--accept-removals \1"),
    (re.compile(r"\?accept_lockout_risk=…"), "--accept-lockout-risk …"),
)


def own_words(hint: str) -> str:
    """Return a hint as somebody needs it who types commands."""
    for theirs, ours in _OWN:
        hint = theirs.sub(ours, hint)
    return hint
