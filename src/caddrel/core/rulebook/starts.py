"""Rulebooks to start from, each of which says what it is for; every policy of them begins in shadow."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from importlib.resources import files

_NAMES = ("small-office", "many-contractors", "shared-terminals", "empty")


@dataclass(frozen=True, slots=True)
class Start:
    """A rulebook to start from.

    Attributes
    ----------
    title, about
        For whom it is, as the comment at its beginning says.
    text
        The whole document.
    """

    name: str
    title: str
    about: str
    text: str


@cache
def starts() -> tuple[Start, ...]:
    """Return all, the one that nobody goes far wrong with first."""
    return tuple(_start(name) for name in _NAMES)


def _start(name: str) -> Start:
    text = files("caddrel.core.rulebook").joinpath("starts", f"{name}.yaml").read_text(encoding="utf-8")
    said = []
    for line in text.splitlines():
        if not line.startswith("# "):
            break
        said.append(line[2:])
    return Start(name, said[0], " ".join(said[1:]), text)
