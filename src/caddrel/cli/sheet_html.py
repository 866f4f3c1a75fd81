"""Reviewers' sheets as one HTML file that needs nothing else: to look at, to print, to sign."""

from __future__ import annotations

from collections.abc import Iterator
from html import escape

from caddrel.cli.output import harmless, plain
from caddrel.cli.sheet_markdown import MODES, people_were
from caddrel.core.words.pieces import counted
from caddrel.wire.decisions import Piece
from caddrel.wire.sheets import PolicySheet, PolicySheets, SheetRule

_STYLE = """
:root {
  color-scheme: light;
}
body {
  font: 15px/1.45 system-ui, sans-serif;
  color: #1c1b19;
  max-width: 46rem;
  margin: 2rem auto;
  padding: 0 1rem;
}
h1 {
  font-size: 1.5rem;
  margin: 0 0 .4rem;
}
h2 {
  font-size: 1rem;
  margin: 1.3rem 0 .3rem;
  border-top: 1px solid #bbb;
  padding-top: .5rem;
}
h3 {
  font-size: .95rem;
  margin: .8rem 0 .2rem;
}
p, ul, ol, dl {
  margin: .3rem 0;
}
li {
  margin: .1rem 0;
}
.sentence {
  font-size: 1.1rem;
}
.fine {
  color: #5c5850;
  font-size: .87rem;
}
dl {
  display: grid;
  grid-template-columns: 6rem 1fr;
  gap: .1rem .8rem;
}
dt {
  color: #5c5850;
}
dd {
  margin: 0;
}
.flow {
  display: grid;
  grid-template-columns: 1fr 2rem 1fr;
  align-items: stretch;
  margin: .4rem 0;
  break-inside: avoid;
}
.flow > div {
  border: 1px solid #77736a;
  padding: .35rem .6rem;
}
.flow .arrow {
  border: 0;
  text-align: center;
  padding: .35rem 0;
}
.flow .then {
  font-weight: 600;
}
.down {
  text-align: left;
  padding-left: 1rem;
  color: #5c5850;
  font-size: .87rem;
}
.told {
  border-left: 3px solid #bbb;
  padding-left: .6rem;
}
.sign {
  margin-top: 2rem;
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 2rem;
}
.sign div {
  border-top: 1px solid #1c1b19;
  padding-top: .2rem;
  font-size: .87rem;
}
section {
  break-after: page;
  margin-bottom: 3rem;
}
section:last-child {
  break-after: auto;
}
@media print {
  body {
    margin: 0;
    max-width: none;
    font-size: 10.5pt;
  }
  a {
    color: inherit;
    text-decoration: none;
  }
}
"""


def _text(text: str) -> str:
    return escape(harmless(text))


def _said(pieces: list[Piece]) -> str:
    return _text(plain(pieces))


def sheets_html(found: PolicySheets) -> str:
    """Return sheets as one document; several with contents."""
    title = found.sheets[0].title if len(found.sheets) == 1 else "The rulebook"
    parts = [
        f'<!doctype html><html lang="en"><head><meta charset="utf-8"><title>{_text(title)}</title>',
        f"<style>{_STYLE}</style></head><body>",
    ]
    if len(found.sheets) > 1:
        of = f"revision {found.revision}" if found.revision is not None else f"the draft {_text(found.draft)}"
        meaning = "blocked unless a policy lets in" if found.stance == "closed" else "allowed unless a policy objects"
        count = counted(len(found.sheets), "policy", "policies")
        parts.append(f"<section><h1>The rulebook</h1><p>{count} of {of}, {found.made[:10]}.")
        parts.append(f"What no policy speaks about is {meaning}.</p><ol>")
        parts += [
            f'<li><a href="#{_text(each.id)}">{_text(each.title)}</a> <span class="fine">{each.mode}, '
            f"{_text(each.owner) or 'no owner'}</span></li>"
            for each in found.sheets
        ]
        parts.append("</ol></section>")
    for each in found.sheets:
        parts += _sheet(each)
    return "\n".join([*parts, "</body></html>\n"])


def _sheet(sheet: PolicySheet) -> Iterator[str]:
    yield f'<section id="{_text(sheet.id)}"><h1>{_text(sheet.title)}</h1>'
    yield f'<p class="sentence">{_said(sheet.sentence)}</p><dl>'
    rows = [("Mode", f"{sheet.mode}. {MODES.get(sheet.mode, '')}"), ("Owner", sheet.owner), ("Why", sheet.why)]
    rows += [("Note", sheet.note), ("Contact", sheet.contact)]
    rows += [("Active", " ".join(f"{name} {at[:16].replace('T', ' ')}" for name, at in sheet.active.items()))]
    rows += [("From", f"revision {sheet.revision}" if sheet.revision is not None else f"draft {sheet.draft}")]
    yield from (f"<dt>{name}</dt><dd>{_text(value)}</dd>" for name, value in rows if value)
    yield "</dl>"
    yield f"<h2>Whom it is about</h2><p>{_said(sheet.scope)}.</p><ul>"
    for what, scoped in (("people", sheet.people), ("apps", sheet.apps)):
        names = ", ".join(_text(each.title) for each in scoped.first)
        more = f" and {scoped.count - len(scoped.first)} more" if scoped.count > len(scoped.first) else ""
        yield f"<li>{scoped.count} of {scoped.total} {what}{f': {names}{more}' if names else ''}</li>"
    yield '</ul><h2>What it does</h2><p class="fine">The first that holds speaks for the policy.</p>'
    for place, rule in enumerate(sheet.rules):
        yield from _rule(rule, place)
    yield '<p class="down">↓ if none holds, the policy has nothing to say</p>'
    yield from _parts(sheet)
    yield from _around(sheet)
    yield '<div class="sign"><div>Reviewed by</div><div>On</div></div></section>'


def _rule(rule: SheetRule, place: int) -> Iterator[str]:
    when = _said(rule.when) if rule.when else "always"
    if place:
        yield '<p class="down">↓ else</p>'
    yield f'<div class="flow"><div>{"when " if rule.when else ""}{when}</div><div class="arrow">→</div>'
    yield f'<div class="then">{_said(rule.then)}</div></div>'
    if rule.tell:
        link = f" <span class='fine'>{_text(rule.link)}</span>" if rule.link else ""
        yield f'<p class="told">People are shown: “{_text(rule.tell)}”{link}</p>'


def _parts(sheet: PolicySheet) -> Iterator[str]:
    if sheet.parts:
        yield "<h2>What it is built from</h2>"
    for part in sheet.parts:
        yield f"<h3>{part.kind.capitalize()}: {_text(part.title)}</h3>"
        yield f"<p class='fine'>{_text(part.note)}</p>" if part.note else ""
        yield "<ul>"
        for line in part.lines:
            note = f" <span class='fine'>({_text(line.note)})</span>" if line.note else ""
            yield f"<li>{_text(line.label)}: {_text(line.value)}{note}</li>"
        yield "</ul>"


def _around(sheet: PolicySheet) -> Iterator[str]:
    effect = sheet.effect
    if effect is not None:
        counts = f"{effect.blocked} blocked, {effect.challenged} challenged and {effect.allowed} allowed sign-ins"
        yield f"<h2>The last {effect.days} days</h2><p>It decided {counts};"
        yield f"{people_were(effect.people)} blocked or asked for more by it.</p>"
    if sheet.guarantees:
        yield "<h2>Guarantees that hang on it</h2><ul>"
        yield from (f"<li>{_text(each.title)}</li>" for each in sheet.guarantees)
        yield "</ul>"
    if sheet.rehearsals:
        yield "<h2>Rehearsals that it decides</h2><ul>"
        for each in sheet.rehearsals:
            yield f"<li>{_text(each.title)}: {_text(each.outcome)}{'' if each.ok else ', which it must not be'}</li>"
        yield "</ul>"
    if sheet.changes:
        yield "<h2>Last changes</h2><ul>"
        for change in sheet.changes:
            yield f"<li>Revision {change.revision}, {change.at[:10]}, {_text(change.by)}: {_text(change.why)}</li>"
        yield "</ul>"
    yield "<h2>Reviews</h2>"
    if not sheet.reviews:
        yield "<p>Nobody has reviewed it yet.</p>"
        return
    yield "<ul>"
    for review in sheet.reviews:
        again = f"; due again {review.again[:10]}" if review.again else ""
        since = "; changed since" if review.changed else ""
        note = f": {_text(review.note)}" if review.note else ""
        yield f"<li>{review.at[:10]} by {_text(review.by)}{again}{since}{note}</li>"
    yield "</ul>"
