"""What is wrong with a text, said once for every reader: code, place, message, hint.

Not here: drawing. Carets and colours belong to the command line and the console.
"""

from __future__ import annotations

import difflib
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Literal, get_args

Severity = Literal["error", "warning", "note"]
# What a finding endangers, the worst first: a thief gets in, those who should get in do not, nobody can tell why
# somebody was stopped, the rulebook is harder to read than it need be.
Danger = Literal["somebody-gets-in", "nobody-gets-in", "nobody-can-explain", "tidiness"]
DANGERS: tuple[Danger, ...] = get_args(Danger)


@dataclass(frozen=True, slots=True)
class Extent:
    """A stretch of one text, in characters from its start; ``end`` is exclusive."""

    start: int
    end: int


@dataclass(frozen=True, slots=True)
class Span:
    """A stretch of a source file; lines and columns count from 1, the end is exclusive."""

    file: str
    line: int
    column: int
    end_line: int
    end_column: int


@dataclass(frozen=True, slots=True)
class Change:
    """A change of the document that would settle a finding: set what is at a path, or take it out.

    Attributes
    ----------
    path
        Place within the document, such as ``policies.x.rules[0].then``.
    value
        What to set there, as YAML; None takes it out.
    """

    path: str
    value: str | None = None

    def __str__(self) -> str:
        return f"take out `{self.path}`" if self.value is None else f"set `{self.path}` to `{self.value}`"


@dataclass(frozen=True, slots=True)
class Diagnostic:
    """One finding about a text that somebody wrote.

    Attributes
    ----------
    code
        Stable name of the kind of finding, the same in every release.
    message
        What is wrong, one sentence of plain text.
    hint
        What would be right; empty when nothing sensible can be said.
    expected
        The values that would have been accepted, where they can be listed.
    extent
        Place within a condition or formula, before it is known where that stands in a file.
    span
        Place within a source file.
    path
        Place within the document, such as ``policies.x.rules[0].when``.
    change
        A change that would settle it, where there is one.
    danger
        What it endangers; None for what is wrong rather than doubtful.
    accepted
        Why the rulebook says that it stands; empty where it does not.
    """

    code: str
    message: str
    hint: str = ""
    expected: tuple[str, ...] = ()
    extent: Extent | None = None
    span: Span | None = None
    path: str = ""
    severity: Severity = "error"
    change: Change | None = None
    danger: Danger | None = None
    accepted: str = ""

    def within(self, span: Span | None, path: str) -> Diagnostic:
        """Return the same finding placed in a file and document."""
        return replace(self, span=span, path=self.path or path)


class RulebookError(Exception):
    """A rulebook that cannot be used; ``diagnostics`` has every reason at once."""

    def __init__(self, diagnostics: Sequence[Diagnostic]) -> None:
        self.diagnostics = tuple(diagnostics)
        errors = sum(d.severity == "error" for d in diagnostics)
        super().__init__(f"the rulebook has {errors} error{'s' if errors != 1 else ''}")

    def __reduce__(self) -> tuple[type[RulebookError], tuple[Sequence[Diagnostic]]]:
        """Say how it is made again, in another process."""
        return RulebookError, (self.diagnostics,)


# Comparing a word with one other takes some ten microseconds.
_MANY = 1_000


def nearest(word: str, known: Iterable[str]) -> str | None:
    """Return the known word that `word` is most likely a slip of, or None."""
    # Long hostile words make the comparison quadratic; no slip of the pen is that long.
    if len(word) > 80:
        return None
    choices = list(known)
    if len(choices) > _MANY:
        # Of so many only those that begin alike are looked at: a slip of the pen is seldom in the first letter.
        first = word[:1].casefold()
        choices = [each for each in choices if each[:1].casefold() == first and abs(len(each) - len(word)) <= 3][:_MANY]
    folded = {c.casefold(): c for c in choices}
    if word.casefold() in folded:
        return folded[word.casefold()]
    found = difflib.get_close_matches(word, choices, n=1, cutoff=0.6)
    if found:
        return found[0]
    return next((c for c in choices if len(word) >= 4 and word.casefold() in c.casefold()), None)


def did_you_mean(word: str, known: Iterable[str], otherwise: str = "") -> str:
    """Return a hint naming the nearest known word, else `otherwise`."""
    close = nearest(word, known)
    return f"did you mean `{close}`?" if close else otherwise


def shorten(text: str, limit: int = 60) -> str:
    """Return `text` fit for a message: control characters made visible, cut at `limit`."""
    clean = "".join(c if c.isprintable() else f"\\u{ord(c):04x}" for c in text[: limit + 1])
    return clean if len(clean) <= limit else clean[: limit - 1] + "…"
