"""A sentence as pieces: plain text, and names that a reader can follow to where they live."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True, slots=True)
class Piece:
    """A stretch of a sentence; `kind` and `id` name what it speaks of, when it can be followed."""

    text: str
    kind: str = ""
    id: str = ""


Sentence = tuple[Piece, ...]


def say(*parts: str | Piece | Sentence) -> Sentence:
    """Return one sentence of texts, pieces and sentences, neighbouring texts joined."""
    found: list[Piece] = []
    for part in parts:
        for piece in (Piece(part),) if isinstance(part, str) else (part,) if isinstance(part, Piece) else part:
            if found and not found[-1].kind and not piece.kind:
                found[-1] = Piece(found[-1].text + piece.text)
            elif piece.text:
                found.append(piece)
    return tuple(found)


def joined(parts: Iterable[Sentence], word: str) -> Sentence:
    """Return sentences as a list in prose: ``a, b and c``."""
    listed = list(parts)
    out: list[str | Sentence] = []
    for i, part in enumerate(listed):
        if i:
            out.append(f" {word} " if i == len(listed) - 1 else ", ")
        out.append(part)
    return say(*out)


def plain(sentence: Sentence) -> str:
    """Return a sentence as text."""
    return "".join(piece.text for piece in sentence)


def capital(sentence: Sentence) -> Sentence:
    """Return a sentence that starts with a capital letter."""
    # A name keeps its own spelling: an id that starts with a small letter is still that id.
    if not sentence or sentence[0].kind:
        return sentence
    first = sentence[0]
    return (Piece(first.text[:1].upper() + first.text[1:], first.kind, first.id), *sentence[1:])


def pieces_json(sentence: Sentence) -> list[dict[str, Any]]:
    """Return a sentence as JSON: plain pieces have a text only."""
    return [{"text": p.text, "kind": p.kind, "id": p.id} if p.kind else {"text": p.text} for p in sentence]


def duration_words(seconds: float) -> str:
    """Return a duration in words, to stand after ``the last``: ``12 hours``, ``hour``."""
    for unit, length in (("day", 86400), ("hour", 3600), ("minute", 60)):
        if seconds >= length and seconds % length == 0:
            count = int(seconds // length)
            return unit if count == 1 else f"{count} {unit}s"
    return f"{seconds:g} second{'s' if seconds != 1 else ''}"


def counted(number: int, one: str, many: str = "") -> str:
    """Return a number with its noun: ``1 app``, ``1,204 people``; without `many` it is the noun with an s."""
    return f"{number:,} {one if number == 1 else many or one + 's'}"
