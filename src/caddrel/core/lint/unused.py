"""Parts that nothing names."""

from __future__ import annotations

from caddrel.core.diagnostics import Change, Danger
from caddrel.core.lint.context import Context, Findings
from caddrel.core.rulebook.references import Ref, where_used

CODE = "unused-part"
CODES: dict[str, Danger] = {CODE: "tidiness"}
_SECTIONS = {
    "place": "places",
    "standard": "standards",
    "schedule": "schedules",
    "proof": "proofs",
    "notice": "notices",
    "signal": "signals",
}


def check(context: Context) -> Findings:
    """Find parts that no policy, part or guarantee names."""
    used = where_used(context.rulebook)
    for kind, section in _SECTIONS.items():
        for name in getattr(context.rulebook, section):
            if Ref(kind, name) not in used:
                message = f"nothing uses the {kind} `{name}`"
                yield context.finding(
                    f"{section}.{name}", CODE, message, "use it, or take it out", "note", Change(f"{section}.{name}")
                )
