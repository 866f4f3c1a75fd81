"""A YAML or JSON text as a tree that knows where everything stands.

Plain scalars stay text: their type comes from the rulebook format, never from YAML's guessing. Anchors, tags, merges
and duplicate keys are refused. Built from parser events without recursion, so depth costs nothing.
Not here: what the keys mean (`reader`).
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from typing import Any

import yaml

from caddrel.core.diagnostics import Diagnostic, Span, shorten

LARGEST_DOCUMENT = 4 * 1024 * 1024
DEEPEST = 24

_Loader = getattr(yaml, "CSafeLoader", yaml.SafeLoader)


@dataclass(slots=True)
class Place:
    """A point in a text: character index, and line and column counted from 0."""

    index: int
    line: int
    column: int


@dataclass(slots=True)
class Scalar:
    """A text; `style` is the YAML style character, empty for plain."""

    text: str
    style: str
    start: Place
    end: Place
    source: Source


@dataclass(slots=True)
class Entry:
    """One key of a mapping with its value."""

    key: Scalar
    value: Node


@dataclass(slots=True)
class Mapping:
    """Keys and values in document order."""

    start: Place
    end: Place
    source: Source
    flow: bool
    entries: list[Entry] = field(default_factory=list)

    def get(self, key: str) -> Node | None:
        """Return the value of a key, or None."""
        return next((e.value for e in self.entries if e.key.text == key), None)


@dataclass(slots=True)
class Sequence:
    """Items in document order."""

    start: Place
    end: Place
    source: Source
    flow: bool
    items: list[Node] = field(default_factory=list)


Node = Scalar | Mapping | Sequence


@dataclass(slots=True)
class Source:
    """A named text; the name is what diagnostics say before line and column."""

    name: str
    text: str


def span_of(node: Node) -> Span:
    """Return where a node stands; of a long one only the first line."""
    start, end = node.start, node.end
    if isinstance(node, Scalar) or node.flow:
        if end.line == start.line:
            return Span(node.source.name, start.line + 1, start.column + 1, end.line + 1, end.column + 1)
        line_end = node.source.text.find("\n", start.index)
        width = (line_end if line_end >= 0 else len(node.source.text)) - start.index
        return Span(node.source.name, start.line + 1, start.column + 1, start.line + 1, start.column + 1 + width)
    return Span(node.source.name, start.line + 1, start.column + 1, start.line + 1, start.column + 2)


def span_within(scalar: Scalar, start: int, end: int) -> Span:
    """Return where characters ``start:end`` of a scalar's value stand in the file.

    Quotes, escapes, folding and indentation make the two differ: the value is laid along the source, character by
    character, skipping the white space that YAML drops.
    """
    marks = _alignment(scalar)
    first = marks[min(start, len(marks) - 1)]
    last = marks[min(max(end - 1, start), len(marks) - 1)] + (1 if end > start else 0)
    return Span(scalar.source.name, *_place_from(scalar, first), *_place_from(scalar, max(last, first + 1)))


def _place_from(scalar: Scalar, index: int) -> tuple[int, int]:
    """Return line and column of an index, told from where the scalar begins: a document may be long."""
    text, begin = scalar.source.text, scalar.start
    newline = text.rfind("\n", begin.index, index)
    column = begin.column + 1 + index - begin.index if newline < 0 else index - newline
    return begin.line + 1 + text.count("\n", begin.index, index), column


def _alignment(scalar: Scalar) -> list[int]:
    """Return for each character of the value, and its end, the index in the source."""
    text, value = scalar.source.text, scalar.text
    at = scalar.start.index
    if scalar.style in {"|", ">"}:
        newline = text.find("\n", at)
        at = newline + 1 if newline >= 0 else len(text)
    elif scalar.style in {"'", '"'}:
        at += 1
    marks = []
    for char in value:
        if char.isspace():
            marks.append(at)
            if at < len(text) and text[at] == char:
                at += 1
            continue
        while at < len(text) and text[at] != char and text[at].isspace():
            at += 1
        if scalar.style == '"' and text[at : at + 1] == "\\":
            marks.append(at)
            at += 2
            continue
        marks.append(at)
        at += 2 if scalar.style == "'" and char == "'" else 1
    marks.append(at)
    return marks


def _line_column(text: str, index: int) -> tuple[int, int]:
    line_start = text.rfind("\n", 0, index) + 1
    return text.count("\n", 0, index) + 1, index - line_start + 1


class _Refused(Exception):
    def __init__(self, diagnostic: Diagnostic) -> None:
        super().__init__(diagnostic.message)
        self.diagnostic = diagnostic


def read_source(source: Source) -> tuple[Node | None, list[Diagnostic]]:
    """Return the tree of one document, or None, with the diagnostics.

    Duplicate keys are reported together and do not stop the reading; a text that is not YAML does.
    """
    size = len(source.text)
    if size > LARGEST_DOCUMENT:
        message = f"this document has {size} characters; at most {LARGEST_DOCUMENT} are read"
        span = Span(source.name, 1, 1, 1, 2)
        return None, [Diagnostic("document-too-large", message, "put addresses into address lists", span=span)]
    problems: list[Diagnostic] = []
    if source.text.lstrip().startswith("{"):
        source = Source(source.name, _SURROGATES.sub(_joined, source.text))
    try:
        return _build(source, problems), problems
    except _Refused as refused:
        return None, [*problems, refused.diagnostic]
    except yaml.MarkedYAMLError as error:
        mark = error.problem_mark or error.context_mark
        where = _place(mark)
        line, column = where.line + 1, where.column + 1
        span = Span(source.name, line, column, line, column + 1)
        message = error.problem or "this is not YAML"
        return None, [*problems, Diagnostic("not-yaml", f"this is not YAML: {message}", _yaml_hint(message), span=span)]
    except yaml.reader.ReaderError as error:
        position = error.position if isinstance(error.position, int) else 0
        line, column = _line_column(source.text, min(position, size))
        char = source.text[position : position + 1]
        message = f"the character U+{ord(char):04X} may not stand in a document" if char else "unreadable character"
        span = Span(source.name, line, column, line, column + 1)
        return None, [*problems, Diagnostic("not-yaml", message, "remove it", span=span)]
    except UnicodeEncodeError as error:
        line, column = _line_column(source.text, error.start)
        span = Span(source.name, line, column, line, column + 1)
        return None, [
            *problems,
            Diagnostic("not-yaml", "half of a surrogate pair stands alone", "remove it", span=span),
        ]


# JSON writes characters beyond the basic plane as two escapes; YAML knows them as one.
_SURROGATES = re.compile(r"\\u([dD][89abAB][0-9a-fA-F]{2})\\u([dD][c-fC-F][0-9a-fA-F]{2})")


def _joined(match: re.Match[str]) -> str:
    high, low = int(match[1], 16), int(match[2], 16)
    return f"\\U{0x10000 + ((high - 0xD800) << 10) + (low - 0xDC00):08x}"


def _yaml_hint(message: str) -> str:
    if "\\t" in message or "tab" in message:
        return "indent with spaces"
    if "expected ','" in message:
        return "inside [ ] or { }, put a text that holds such brackets or commas in quotes"
    if "mapping values are not allowed" in message:
        return "put a text that holds `: ` in quotes, or indent with the same number of spaces"
    return "check indentation, brackets and quotes just before"


def _place(mark: Any) -> Place:
    return Place(mark.index, mark.line, mark.column) if mark is not None else Place(0, 0, 0)


def _build(source: Source, problems: list[Diagnostic]) -> Node | None:
    builder = _Builder(source, problems)
    for event in yaml.parse(source.text, Loader=_Loader):
        builder.take(event)
    return builder.root


class _Builder:
    """Builds the tree from parser events, holding open mappings and lists on a stack of its own."""

    def __init__(self, source: Source, problems: list[Diagnostic]) -> None:
        self.source = source
        self.problems = problems
        self.root: Node | None = None
        self.documents = 0
        self.stack: list[Mapping | Sequence] = []
        self.keys: list[Scalar | None] = []
        self.seen: list[set[str]] = []

    def refuse(self, event: yaml.Event, code: str, message: str, hint: str = "") -> _Refused:
        start, end = _place(event.start_mark), _place(event.end_mark)
        end_column = end.column + 1 if end.line == start.line else start.column + 2
        span = Span(self.source.name, start.line + 1, start.column + 1, start.line + 1, end_column)
        return _Refused(Diagnostic(code, message, hint, span=span))

    def take(self, event: yaml.Event) -> None:
        self.refuse_features(event)
        match event:
            case yaml.DocumentStartEvent():
                self.documents += 1
                if self.documents > 1:
                    hint = "split it into files of one folder"
                    raise self.refuse(event, "yaml-feature", "a file holds one document", hint)
            case yaml.ScalarEvent():
                start, end = _place(event.start_mark), _place(event.end_mark)
                self.attach(Scalar(event.value, event.style or "", start, end, self.source), event)
            case yaml.MappingStartEvent() | yaml.SequenceStartEvent():
                self.open(event)
            case yaml.MappingEndEvent() | yaml.SequenceEndEvent():
                self.stack.pop().end = _place(event.end_mark)
                self.keys.pop()
                self.seen.pop()
            case _:
                pass

    def refuse_features(self, event: yaml.Event) -> None:
        if isinstance(event, yaml.AliasEvent) or getattr(event, "anchor", None):
            raise self.refuse(event, "yaml-feature", "anchors and aliases are not part of the format")
        if isinstance(event, yaml.NodeEvent) and getattr(event, "tag", None) not in {None, "!"}:
            hint = "types come from the format; quote a text that starts with !"
            raise self.refuse(event, "yaml-feature", "tags are not part of the format", hint)

    def open(self, event: yaml.MappingStartEvent | yaml.SequenceStartEvent) -> None:
        made = Mapping if isinstance(event, yaml.MappingStartEvent) else Sequence
        start = _place(event.start_mark)
        opened = made(start, start, self.source, bool(event.flow_style))
        self.attach(opened, event)
        self.stack.append(opened)
        self.keys.append(None)
        self.seen.append(set())
        if len(self.stack) > DEEPEST:
            raise self.refuse(event, "too-deep", f"lists and mappings go more than {DEEPEST} deep")

    def attach(self, node: Node, event: yaml.Event) -> None:
        """Put a node where it belongs: at the top, into a list, or as key or value of a mapping."""
        if not self.stack:
            self.root = node
            return
        parent = self.stack[-1]
        if isinstance(parent, Sequence):
            parent.items.append(node)
            return
        key = self.keys[-1]
        if key is None:
            if not isinstance(node, Scalar):
                raise self.refuse(event, "bad-key", "a key must be a plain word")
            if node.text == "<<" and not node.style:
                raise self.refuse(event, "yaml-feature", "merge keys are not part of the format")
            self.keys[-1] = node
            return
        if key.text in self.seen[-1]:
            message = f"`{shorten(key.text)}` is given twice"
            self.problems.append(Diagnostic("duplicate-key", message, "keep one of the two", span=span_of(key)))
        else:
            self.seen[-1].add(key.text)
            parent.entries.append(Entry(key, node))
        self.keys[-1] = None
