"""How the command line writes: tables, sentences, diagnostics with carets, JSON.

Data goes to standard output, words about the work to standard error; colour only on a terminal.
"""

from __future__ import annotations

import os
import re
import sys
from collections.abc import Callable, Iterable, Mapping, Sequence
from pathlib import Path
from typing import Any, TypeVar

import click
import msgspec
from rich.box import Box
from rich.console import Console
from rich.table import Table
from rich.text import Text

from caddrel.core.diagnostics import Diagnostic

# What moves the cursor, or turns the order of letters round: in data it is shown, and never acted on.
_ACTING = re.compile(r"[\x00-\x08\x0b-\x1f\x7f-\x9f\u061c\u200e\u200f\u202a-\u202e\u2066-\u2069]")


def harmless(text: str) -> str:
    """Return a text in which control and bidirectional characters stand as their codes."""
    return _ACTING.sub(
        lambda match: f"\\x{ord(match[0]):02x}" if ord(match[0]) < 256 else f"\\u{ord(match[0]):04x}", text
    )


def _shown(text: str | Text | None) -> Text:
    """Return what is to be written: marked-up texts are put together from harmless ones with `mark` and `Text`."""
    if not isinstance(text, Text):
        return Text(harmless(text or ""))
    if _ACTING.search(text.plain):
        made = Text(style=text.style)
        for piece in text.split("\n", include_separator=True, allow_blank=True):
            made.append(harmless(piece.plain), piece.style)
        return made
    return text


F = TypeVar("F", bound=Callable[..., Any])

# Each outcome and each truth value has a shape of its own beside its word.
SHAPES = {
    "allowed": ("✓", "green"),
    "challenged": ("◆", "yellow"),
    "blocked": ("✕", "red"),
    "true": ("●", "green"),
    "false": ("○", "red"),
    "unknown": ("◌", "yellow"),
    "enforced": ("■", ""),
    "shadow": ("□", "dim"),
    "off": ("·", "dim"),
}
_RULED = Box("    \n    \n ── \n    \n    \n    \n    \n    \n")


def console(stderr: bool = False) -> Console:
    """Return a console as wide as the terminal; COLUMNS, or 100 where there is none."""
    stream = sys.stderr if stderr else sys.stdout
    width = None
    if not stream.isatty():
        columns = os.environ.get("COLUMNS", "")
        width = int(columns) if columns.isdigit() and int(columns) >= 40 else 100
    return Console(stderr=stderr, width=width, highlight=False, soft_wrap=False, emoji=False, markup=False)


def json_option(command: F) -> F:
    """Add ``--json`` to a command."""
    return click.option("--json", "as_json", is_flag=True, help="Write JSON instead of text for people.")(command)


def write_json(value: Any) -> None:
    """Write one JSON document."""
    sys.stdout.write(msgspec.json.format(msgspec.json.encode(value), indent=2).decode() + "\n")


def write_line(value: Any) -> None:
    """Write one line of NDJSON."""
    sys.stdout.write(msgspec.json.encode(value).decode() + "\n")


def mark(word: str | None) -> Text:
    """Return an outcome, truth value or mode with its shape."""
    if word is None:
        return Text("")
    shape, style = SHAPES.get(word, ("", ""))
    return Text(f"{shape} {word}".strip(), style=style)


def table(columns: Sequence[str], rows: Iterable[Sequence[str | Text | None]], right: Sequence[str] = ()) -> None:
    """Write a ruled table; the last columns give way when the terminal is narrow."""
    made = Table(box=_RULED, show_edge=False, pad_edge=False, padding=(0, 1), header_style="bold")
    for name in columns:
        made.add_column(name, justify="right" if name in right else "left", overflow="fold", no_wrap=False)
    for row in rows:
        made.add_row(*map(_shown, row))
    console().print(made)


def say(text: str | Text = "", indent: int = 0) -> None:
    """Write a line of text, wrapped to the terminal."""
    shown = _shown(text)
    out = console()
    if not indent:
        out.print(shown)
        return
    for line in shown.wrap(out, max(out.width - indent, 20)):
        out.print(Text(" " * indent) + line)


def heading(text: str) -> None:
    """Write a heading."""
    say(Text(f"\n{text}", style="bold"))


def say_error(message: str, hint: str = "", code: str = "") -> None:
    """Write one line about what went wrong, and what to do, to standard error."""
    line = Text("caddrel: ", style="bold red") + Text(harmless(message))
    if code:
        line += Text(f" [{code}]", style="dim")
    if hint:
        line += Text(f" — {harmless(hint)}", style="dim")
    console(stderr=True).print(line, soft_wrap=True)


def remark(message: str) -> None:
    """Write a line about the work to standard error."""
    console(stderr=True).print(Text(harmless(message)), soft_wrap=True)


def plain(pieces: Iterable[Any]) -> str:
    """Return the text of a sentence in pieces."""
    return "".join(piece.text for piece in pieces)


_SEVERITY = {"error": "bold red", "warning": "bold yellow", "note": "bold blue"}


def print_diagnostics(diagnostics: Iterable[Diagnostic], texts: Mapping[str, str]) -> None:
    """Write diagnostics to standard error: place, what is wrong, the line with a caret, what would be right."""
    out = console(stderr=True)
    lines_of: dict[str, list[str]] = {}
    for found in diagnostics:
        span = found.span
        where = f"{span.file}:{span.line}:{span.column}: " if span else ""
        head = Text(harmless(where), style="bold") + Text(found.severity, style=_SEVERITY[found.severity])
        out.print(head + Text(f": {harmless(found.message)} ") + Text(f"[{found.code}]", style="dim"), soft_wrap=True)
        if span and span.file in texts:
            if span.file not in lines_of:
                lines_of[span.file] = texts[span.file].split("\n")
            lines = lines_of[span.file]
            if found.severity != "note" and 0 < span.line <= len(lines):
                _print_excerpt(out, lines[span.line - 1], span.line, span.column, span.end_line, span.end_column)
        if found.hint:
            out.print(Text("    " + harmless(found.hint), style="italic"), soft_wrap=True)
        if found.change:
            out.print(Text(f"    suggested: {found.change}", style="italic"), soft_wrap=True)


def _print_excerpt(out: Console, line: str, number: int, column: int, end_line: int, end_column: int) -> None:
    shown = line.replace("\t", " ").rstrip("\r")
    start = 0
    if column > 90:
        start = column - 40
    piece = "".join(c if c.isprintable() else "·" for c in shown[start : start + 110])
    width = end_column - column if end_line == number else len(shown) - column + 1
    width = max(1, min(width, len(piece) - (column - 1 - start)))
    label = f"{number:>5} │ "
    out.print(Text(label, style="dim") + Text(piece), soft_wrap=True)
    out.print(
        Text(" " * (len(label) - 2) + "│ ", style="dim")
        + Text(" " * (column - 1 - start) + "^" * width, style="bold red")
    )


def write_pieces(pieces: Iterable[bytes], out: Path | None) -> None:
    """Write what is sent piece by piece to a file, or to standard output when there is none."""
    if out is None:
        for piece in pieces:
            sys.stdout.buffer.write(piece)
        return
    # Written beside the file first: a cut connection leaves no half of it.
    half = out.with_name(out.name + ".part")
    with half.open("wb") as file:
        for piece in pieces:
            file.write(piece)
    half.replace(out)
    remark(f"{out}: written")
