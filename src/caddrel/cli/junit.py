"""Kept rehearsals as JUnit XML, which pipelines show.

Not here: what they come to (`core.lint.rehearsals`).
"""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from xml.etree import ElementTree as Xml

from caddrel.core.lint.rehearsals import Kept
from caddrel.core.words.decisions import decision_words
from caddrel.core.words.pieces import plain


def write_junit(path: Path, rehearsals: Sequence[Kept]) -> None:
    """Write a test case for each rehearsal; one that does not come to what it must is a failure, with why."""
    failed = [each for each in rehearsals if not each.ok]
    suite = Xml.Element(
        "testsuite", name="rehearsals", tests=str(len(rehearsals)), failures=str(len(failed)), errors="0"
    )
    for each in rehearsals:
        kept = each.rehearsal
        case = Xml.SubElement(suite, "testcase", classname="rehearsals", name=kept.title or kept.id)
        if not each.ok:
            message = f"must be {kept.expected}, and is {each.outcome}"
            failure = Xml.SubElement(case, "failure", message=message, type="rehearsal-fails")
            rules = ", ".join(f"{ref.policy} / {ref.rule}" for ref in each.decides)
            failure.text = plain(decision_words(each.explained)) + (f"\nDecided by {rules}." if rules else "")
    path.write_bytes(Xml.tostring(suite, encoding="utf-8", xml_declaration=True) + b"\n")
