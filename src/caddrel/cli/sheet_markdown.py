"""Reviewers' sheets as Markdown."""

from __future__ import annotations

import re
from collections.abc import Iterator

from caddrel.cli.output import harmless, plain
from caddrel.core.words.pieces import counted
from caddrel.wire.decisions import Piece
from caddrel.wire.sheets import PolicySheet, PolicySheets

_MARKS = re.compile(r"([\\`*_{}\[\]<>#|~])")
MODES = {
    "enforced": "It counts for every sign-in.",
    "shadow": "It is worked out beside every sign-in and does not count.",
    "off": "It is switched off.",
}


def people_were(count: int) -> str:
    """Return how many people, as the start of what was done to them."""
    return "1 person was" if count == 1 else f"{count} people were"


def _text(text: str) -> str:
    """Return text of users in which nothing is taken for Markdown."""
    return _MARKS.sub(r"\\\1", harmless(text)).replace("\n", " ")


def _said(pieces: list[Piece]) -> str:
    return _text(plain(pieces))


def sheets_markdown(found: PolicySheets) -> str:
    """Return sheets as one document; several with contents."""
    lines: list[str] = []
    if len(found.sheets) > 1:
        lines += ["# The rulebook", "", _under(found), ""]
        lines += [f"{place}. [{_text(each.title)}](#{_anchor(each)})" for place, each in enumerate(found.sheets, 1)]
        lines.append("")
    for each in found.sheets:
        lines += _sheet(each)
    return "\n".join(lines).rstrip() + "\n"


def _under(found: PolicySheets) -> str:
    of = f"revision {found.revision}" if found.revision is not None else f"the draft {_text(found.draft)}"
    meaning = "blocked unless a policy lets in" if found.stance == "closed" else "allowed unless a policy objects"
    count = counted(len(found.sheets), "policy", "policies")
    return f"{count} of {of}, {found.made[:10]}. What no policy speaks about is {meaning}."


def _anchor(sheet: PolicySheet) -> str:
    return f"policy-{sheet.id}"


def _sheet(sheet: PolicySheet) -> Iterator[str]:
    yield f'<a id="{_anchor(sheet)}"></a>'
    yield ""
    yield f"# {_text(sheet.title)}"
    yield ""
    yield f"**{_said(sheet.sentence)}**"
    yield ""
    of = f"revision {sheet.revision}" if sheet.revision is not None else f"draft {_text(sheet.draft)}"
    yield f"- Mode: {sheet.mode}. {MODES.get(sheet.mode, '')}"
    yield f"- Owner: {_text(sheet.owner) or 'nobody named'}"
    yield f"- Why: {_text(sheet.why) or 'nothing said'}"
    if sheet.note:
        yield f"- Note: {_text(sheet.note)}"
    if sheet.active:
        yield f"- Active: {' '.join(f'{name} {at[:16]}' for name, at in sheet.active.items())}"
    yield f"- From {of}, id `{sheet.id}`"
    yield from _scope(sheet)
    yield from _rules(sheet)
    yield from _parts(sheet)
    yield from _around(sheet)
    yield ""


def _scope(sheet: PolicySheet) -> Iterator[str]:
    yield from ("", "## Whom it is about", "", f"{_said(sheet.scope)}.", "")
    for what, scoped in (("people", sheet.people), ("apps", sheet.apps)):
        names = ", ".join(_text(each.title) for each in scoped.first)
        more = f" and {scoped.count - len(scoped.first)} more" if scoped.count > len(scoped.first) else ""
        yield f"- {scoped.count} of {scoped.total} {what}{f': {names}{more}' if names else ''}"


def _rules(sheet: PolicySheet) -> Iterator[str]:
    yield from ("", "## What it does", "", "The first that holds speaks for the policy.", "")
    for place, rule in enumerate(sheet.rules, 1):
        when = f"When {_said(rule.when)}" if rule.when else ("Otherwise" if place > 1 else "Always")
        yield f"{place}. {when} → **{_said(rule.then)}**"
        if rule.tell:
            link = f" ({_text(rule.link)})" if rule.link else ""
            yield f"   - People are shown: “{_text(rule.tell)}”{link}"


def _parts(sheet: PolicySheet) -> Iterator[str]:
    if sheet.parts:
        yield from ("", "## What it is built from")
    for part in sheet.parts:
        yield from ("", f"### {part.kind.capitalize()}: {_text(part.title)}", "")
        if part.note:
            yield from (_text(part.note), "")
        for line in part.lines:
            yield f"- {_text(line.label)}: {_text(line.value)}{f' ({_text(line.note)})' if line.note else ''}"


def _around(sheet: PolicySheet) -> Iterator[str]:
    effect = sheet.effect
    if effect is not None:
        yield from ("", f"## The last {effect.days} days", "")
        counts = f"{effect.blocked} blocked, {effect.challenged} challenged and {effect.allowed} allowed sign-ins"
        yield f"It decided {counts};"
        yield f"{people_were(effect.people)} blocked or asked for more by it."
    if sheet.guarantees:
        yield from ("", "## Guarantees that hang on it", "")
        yield from (f"- {_text(each.title)}" for each in sheet.guarantees)
    if sheet.rehearsals:
        yield from ("", "## Rehearsals that it decides", "")
        for each in sheet.rehearsals:
            yield f"- {_text(each.title)}: {each.outcome}{'' if each.ok else ', which it must not be'}"
    if sheet.changes:
        yield from ("", "## Last changes", "")
        for change in sheet.changes:
            yield f"- Revision {change.revision}, {change.at[:10]}, {_text(change.by)}: {_text(change.why)}"
    yield from ("", "## Reviews", "")
    for review in sheet.reviews:
        again = f"; due again {review.again[:10]}" if review.again else ""
        since = "; changed since" if review.changed else ""
        note = f": {_text(review.note)}" if review.note else ""
        yield f"- {review.at[:10]} by {_text(review.by)}{again}{since}{note}"
    yield from (("Nobody has reviewed it yet.",) if not sheet.reviews else ())
    yield from ("", "Reviewed by ____________________  on ____________________")
