"""Cutting a condition or formula into tokens.

Not here: what tokens mean together (`parser`, `formulas`).
"""

from __future__ import annotations

import re
from dataclasses import dataclass

from caddrel.core.diagnostics import Diagnostic, Extent, shorten

LONGEST_CONDITION = 100_000
_MARKS = "._:/@+-"
# What most words are made of, taken at once.
_PLAIN = re.compile(rf"[A-Za-z0-9{re.escape(_MARKS)}]+").match


@dataclass(frozen=True, slots=True)
class Token:
    """`kind` is ``word``, ``quoted``, ``[``, ``]``, ``(``, ``)``, ``,`` or ``end``."""

    kind: str
    text: str
    extent: Extent


def is_bare(text: str) -> bool:
    """Tell whether a value can be written without quotes."""
    return bool(text) and all(_in_word(char) for char in text)


def _in_word(char: str) -> bool:
    return char.isalpha() or char in "0123456789" or char in _MARKS


def tokens(text: str) -> tuple[list[Token], list[Diagnostic]]:
    """Return the tokens of `text`, an ``end`` token last, and what could not be read."""
    found: list[Token] = []
    problems: list[Diagnostic] = []
    if len(text) > LONGEST_CONDITION:
        problems.append(
            Diagnostic(
                "condition-too-long",
                f"this condition has {len(text)} characters; at most {LONGEST_CONDITION} are read",
                "put long lists of networks or ids into a place or a group",
            )
        )
        return [Token("end", "", Extent(0, 0))], problems
    at = 0
    while at < len(text):
        char = text[at]
        start = at
        if char.isspace():
            at += 1
        elif char == "#":
            newline = text.find("\n", at)
            at = len(text) if newline < 0 else newline
        elif char in "()[],":
            at += 1
            found.append(Token(char, char, Extent(start, at)))
        elif _in_word(char):
            if (plain := _PLAIN(text, at)) is not None:
                at = plain.end()
            while at < len(text) and _in_word(text[at]):
                at += 1
            found.append(Token("word", text[start:at], Extent(start, at)))
        elif char == '"':
            at = _quoted(text, at, found, problems)
        else:
            at += 1
            problems.append(_strange(char, Extent(start, at)))
    found.append(Token("end", "", Extent(len(text), len(text))))
    return found, problems


_INSTEAD = {
    "=": "write `is`",
    "!": "write `is not` or `not`",
    "<": "write `is below` or `is at most`",
    ">": "write `is above` or `is at least`",
    "&": "write `and`",
    "|": "write `or`",
    "'": 'quote values with "',
    "{": "lists are written [a, b]",
    "}": "lists are written [a, b]",
}


def _strange(char: str, extent: Extent) -> Diagnostic:
    hint = _INSTEAD.get(char, 'put a value with unusual characters in quotes: "…"')
    return Diagnostic("unexpected-character", f"`{shorten(char)}` has no meaning here", hint, extent=extent)


def _quoted(text: str, start: int, found: list[Token], problems: list[Diagnostic]) -> int:
    """Read a quoted value from `start`; return where it ends."""
    out: list[str] = []
    at = start + 1
    while at < len(text) and text[at] not in '"\n':
        if text[at] == "\\":
            escaped = text[at + 1 : at + 2]
            if escaped not in ('"', "\\"):
                problems.append(
                    Diagnostic(
                        "bad-escape",
                        f"`\\{shorten(escaped)}` is not an escape",
                        'only \\" and \\\\ are',
                        extent=Extent(at, min(at + 2, len(text))),
                    )
                )
            out.append(escaped)
            at += 2
        else:
            out.append(text[at])
            at += 1
    if at >= len(text) or text[at] == "\n":
        problems.append(
            Diagnostic(
                "unclosed-quote",
                "this quoted value has no end",
                'close it with "',
                extent=Extent(start, min(at, len(text))),
            )
        )
    else:
        at += 1
    found.append(Token("quoted", "".join(out), Extent(start, min(at, len(text)))))
    return at
