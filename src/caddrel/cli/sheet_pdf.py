"""Reviewers' sheets as a PDF, with contents and page numbers.

Letters that its typeface (Bitstream Vera: those of western Europe) does not have are shown as question marks; HTML has
them all.
"""

from __future__ import annotations

import io
from collections.abc import Iterator
from pathlib import Path
from typing import Any
from xml.sax.saxutils import escape

import reportlab
from reportlab.lib import colors
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.platypus import PageBreak, Paragraph, SimpleDocTemplate, Spacer, Table, TableStyle

from caddrel.cli.output import harmless, plain
from caddrel.cli.sheet_markdown import MODES, people_were
from caddrel.core.words.pieces import counted
from caddrel.wire.decisions import Piece
from caddrel.wire.sheets import PolicySheet, PolicySheets

_FONTS = Path(reportlab.__file__).parent / "fonts"
_PLAIN, _BOLD = "Sheet", "SheetBold"
# The frame of a page keeps six points on either side.
_WIDTH = A4[0] - 40 * mm - 12
_INK, _FINE = colors.HexColor("#1c1b19"), colors.HexColor("#5c5850")


def _style(name: str, size: float, font: str = _PLAIN, before: float = 0, color: Any = _INK) -> ParagraphStyle:
    return ParagraphStyle(
        name, fontName=font, fontSize=size, leading=size * 1.35, spaceBefore=before, spaceAfter=2, textColor=color
    )


_BODY, _LEAD, _SMALL = _style("body", 9), _style("lead", 10.5), _style("small", 8, color=_FINE)
_TITLE, _HEAD, _PART = _style("title", 15, _BOLD), _style("head", 10.5, _BOLD, 9), _style("part", 9, _BOLD, 5)


# A heading stands with what comes after it.
_HEAD.keepWithNext = _PART.keepWithNext = 1


def sheets_pdf(found: PolicySheets) -> bytes:
    """Return sheets as one document; several with contents."""
    for name, file in ((_PLAIN, "Vera.ttf"), (_BOLD, "VeraBd.ttf")):
        if name not in pdfmetrics.getRegisteredFontNames():
            pdfmetrics.registerFont(TTFont(name, str(_FONTS / file)))
    story: list[Any] = []
    if len(found.sheets) > 1:
        of = f"revision {found.revision}" if found.revision is not None else f"the draft {found.draft}"
        count = f"{counted(len(found.sheets), 'policy', 'policies')} of {of}, {found.made[:10]}."
        story += [_said_as("The rulebook", _TITLE), _said_as(count, _BODY)]
        for place, each in enumerate(found.sheets, 1):
            link = f'<a href="#{escape(each.id)}">{_shown(each.title)}</a>'
            story.append(Paragraph(f"{place}. {link} — {each.mode}, {_shown(each.owner) or 'no owner'}", _BODY))
        story.append(PageBreak())
    for place, each in enumerate(found.sheets):
        story += [PageBreak()] if place else []
        story += _sheet(each)
    out = io.BytesIO()
    title = found.sheets[0].title if len(found.sheets) == 1 else "The rulebook"
    made = SimpleDocTemplate(
        out, pagesize=A4, leftMargin=20 * mm, rightMargin=20 * mm, topMargin=18 * mm, bottomMargin=18 * mm,
        title=harmless(title), author="Caddrel", invariant=1,
    )  # fmt: skip
    made.build(story, onFirstPage=_page_number, onLaterPages=_page_number)
    return out.getvalue()


def _page_number(canvas: Any, document: Any) -> None:
    canvas.setFont(_PLAIN, 7.5)
    canvas.setFillColor(_FINE)
    canvas.drawRightString(A4[0] - 20 * mm, 10 * mm, str(document.page))


def _shown(text: str) -> str:
    """Return a text as a paragraph takes it: nothing in it is markup, and every letter can be drawn."""
    widths = pdfmetrics.getFont(_PLAIN).face.charWidths
    return escape("".join(c if ord(c) in widths or c == "\n" else "?" for c in harmless(text)))


def _said_as(text: str, style: ParagraphStyle) -> Paragraph:
    return Paragraph(_shown(text).replace("\n", "<br/>"), style)


def _said(pieces: list[Piece]) -> str:
    return plain(pieces)


def _sheet(sheet: PolicySheet) -> Iterator[Any]:
    yield Paragraph(f'<a name="{escape(sheet.id)}"/>{_shown(sheet.title)}', _TITLE)
    yield _said_as(_said(sheet.sentence), _LEAD)
    rows = [("Mode", f"{sheet.mode}. {MODES.get(sheet.mode, '')}"), ("Owner", sheet.owner), ("Why", sheet.why)]
    rows += [("Note", sheet.note), ("Contact", sheet.contact)]
    rows += [("Active", " ".join(f"{name} {at[:16].replace('T', ' ')}" for name, at in sheet.active.items()))]
    rows += [("From", f"revision {sheet.revision}" if sheet.revision is not None else f"draft {sheet.draft}")]
    cells = [[_said_as(name, _SMALL), _said_as(value, _BODY)] for name, value in rows if value]
    yield Table(cells, colWidths=[22 * mm, _WIDTH - 22 * mm], style=TableStyle([("VALIGN", (0, 0), (-1, -1), "TOP")]))
    yield _said_as("Whom it is about", _HEAD)
    yield _said_as(f"{_said(sheet.scope)}.", _BODY)
    for what, scoped in (("people", sheet.people), ("apps", sheet.apps)):
        names = ", ".join(each.title for each in scoped.first)
        more = f" and {scoped.count - len(scoped.first)} more" if scoped.count > len(scoped.first) else ""
        yield _said_as(f"{scoped.count} of {scoped.total} {what}{f': {names}{more}' if names else ''}", _BODY)
    yield _said_as("What it does", _HEAD)
    yield _said_as("The first that holds speaks for the policy.", _SMALL)
    yield from _flow(sheet)
    yield from _parts(sheet)
    yield from _around(sheet)
    yield Spacer(1, 14 * mm)
    sign = TableStyle([("LINEABOVE", (0, 0), (0, 0), 0.5, _INK), ("LINEABOVE", (2, 0), (2, 0), 0.5, _INK)])
    cells = [[_said_as("Reviewed by", _SMALL), "", _said_as("On", _SMALL)]]
    yield Table(cells, colWidths=[_WIDTH * 0.55, _WIDTH * 0.05, _WIDTH * 0.4], style=sign)


def _flow(sheet: PolicySheet) -> Iterator[Any]:
    """Yield the rules from facts to effect, one below the other."""
    boxed = TableStyle(
        [
            ("BOX", (0, 0), (0, 0), 0.6, _INK), ("BOX", (2, 0), (2, 0), 0.6, _INK),
            ("VALIGN", (0, 0), (-1, -1), "MIDDLE"), ("ALIGN", (1, 0), (1, 0), "CENTER"),
        ]
    )  # fmt: skip
    bold = _style("then", 9, _BOLD)
    for place, rule in enumerate(sheet.rules):
        if place:
            yield _said_as("else", _SMALL)
        when = f"when {_said(rule.when)}" if rule.when else "always"
        cells = [[_said_as(when, _BODY), _said_as("»", bold), _said_as(_said(rule.then), bold)]]
        yield Table(cells, colWidths=[_WIDTH * 0.5, _WIDTH * 0.06, _WIDTH * 0.44], style=boxed)
        if rule.tell:
            yield _said_as(f"People are shown: “{rule.tell}” {rule.link}", _SMALL)
    yield _said_as("If none holds, the policy has nothing to say.", _SMALL)


def _parts(sheet: PolicySheet) -> Iterator[Any]:
    if sheet.parts:
        yield _said_as("What it is built from", _HEAD)
    for part in sheet.parts:
        yield _said_as(f"{part.kind.capitalize()}: {part.title}", _PART)
        if part.note:
            yield _said_as(part.note, _SMALL)
        for line in part.lines:
            yield _said_as(f"· {line.label}: {line.value}{f' ({line.note})' if line.note else ''}", _BODY)


def _around(sheet: PolicySheet) -> Iterator[Any]:
    effect = sheet.effect
    if effect is not None:
        yield _said_as(f"The last {effect.days} days", _HEAD)
        counts = f"{effect.blocked} blocked, {effect.challenged} challenged and {effect.allowed} allowed sign-ins"
        yield _said_as(f"It decided {counts}; {people_were(effect.people)} blocked or asked for more by it.", _BODY)
    for title, lines in _lists(sheet):
        if lines:
            yield _said_as(title, _HEAD)
            yield from (_said_as(f"· {line}", _BODY) for line in lines)


def _lists(sheet: PolicySheet) -> Iterator[tuple[str, list[str]]]:
    yield "Guarantees that hang on it", [each.title for each in sheet.guarantees]
    yield (
        "Rehearsals that it decides",
        [f"{each.title}: {each.outcome}{'' if each.ok else ', which it must not be'}" for each in sheet.rehearsals],
    )
    yield (
        "Last changes",
        [f"Revision {each.revision}, {each.at[:10]}, {each.by}: {each.why}" for each in sheet.changes],
    )
    yield (
        "Reviews",
        [
            f"{each.at[:10]} by {each.by}{f'; due again {each.again[:10]}' if each.again else ''}"
            f"{'; changed since' if each.changed else ''}{f': {each.note}' if each.note else ''}"
            for each in sheet.reviews
        ]
        or ["Nobody has reviewed it yet."],
    )
