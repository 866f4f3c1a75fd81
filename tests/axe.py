"""What axe finds on a page, and what it could not judge."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from playwright.sync_api import Page

# What another theme or a narrower window can change: colours, and what has to be scrolled.
OF_THEME = ("color-contrast", "scrollable-region-focusable")
AXE = Path(__file__).parents[1] / "console" / "node_modules" / "axe-core" / "axe.min.js"


def axe_findings(page: Page, only: Sequence[str] = ()) -> list[str]:
    """Return what is wrong; with `only` by these rules alone, such as `OF_THEME`."""
    if page.evaluate("typeof axe === 'undefined'"):
        page.evaluate(AXE.read_text(encoding="utf-8") + "; window.axeReady = true")
    options: dict[str, object] = {"resultTypes": ["violations", "incomplete"]}
    if only:
        options["runOnly"] = list(only)
    found = page.evaluate("(options) => axe.run(options)", options)
    said = [f"{f['id']}: {[n['target'] for n in f['nodes']][:3]}" for f in found["violations"]]
    # What axe could not judge counts too, unless it is merely scrolled out of sight.
    for finding in found["incomplete"]:
        for node in finding["nodes"] if finding["id"] == "color-contrast" else ():
            why = {check["data"].get("messageKey") for check in node["any"] if check["data"]}
            if not why <= {"elmPartiallyObscured", "outsideViewport", "bgOverlap", "elmPartiallyObscuring"}:
                said.append(f"color-contrast in doubt: {node['target']} {why}")
    return said
